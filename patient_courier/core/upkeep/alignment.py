"""Domains that belong together (RFC 7489), lists of tags, and what a letter that arrived says of how it was found."""

from __future__ import annotations

import re
from dataclasses import dataclass
from email.utils import parsedate_to_datetime
from functools import cache

from publicsuffixlist import PublicSuffixList


@dataclass(frozen=True, slots=True)
class Shown:
    """What a receiver wrote into a letter that arrived (RFC 8601), and who signed it.

    ``clock_off``: seconds by which the clock of the first server that took it goes before that of the machine it comes from.
    """

    spf: str | None = None
    dkim: str | None = None
    dmarc: str | None = None
    selector: str | None = None
    signer: str | None = None
    by: str | None = None
    clock_off: float | None = None


def organizational(domain: str) -> str:
    """The domain that somebody has registered, above this one (RFC 7489 section 3.2)."""
    found = _suffixes().privatesuffix(domain.lower().rstrip("."))
    return str(found) if found else domain.lower().rstrip(".")


@cache
def _suffixes() -> PublicSuffixList:
    return PublicSuffixList()


def aligned(of_from: str, authenticated: str, mode: str) -> bool:
    """RFC 7489 section 3.1: whether what was shown is about the domain that readers see; ``mode`` is r or s."""
    left, right = of_from.lower().rstrip("."), authenticated.lower().rstrip(".")
    return left == right if mode == "s" else organizational(left) == organizational(right)


def tags_of(record: str) -> dict[str, str]:
    """A list of tags (RFC 6376 section 3.2, RFC 7489 section 6.4) as a dict."""
    pairs = (part.partition("=") for part in record.split(";") if "=" in part)
    return {name.strip().lower(): re.sub(r"\s+", " ", value).strip() for name, _, value in pairs}


def shown_in(source: str) -> Shown | None:
    """What stands in the source of a letter that arrived (RFC 8601, RFC 6376); None when it is no letter's source."""
    head = re.sub(r"\r?\n[ \t]+", " ", source.replace("\r\n", "\n").lstrip().partition("\n\n")[0])
    fields = [
        (name.strip().lower(), value.strip())
        for name, colon, value in (line.partition(":") for line in head.split("\n"))
        if colon
    ]
    if not any(name in ("from", "received", "message-id") for name, _ in fields):
        return None
    # The topmost is the last receiver's own; those below may have been written by anybody.
    results = next((value for name, value in fields if name == "authentication-results"), "")
    signatures = [tags_of(value) for name, value in fields if name == "dkim-signature"]
    said = {
        kind: found[1].lower()
        for kind in ("spf", "dkim", "dmarc")
        if (found := re.search(rf"(?:^|[;\s]){kind}\s*=\s*([a-z]+)", results, re.I))
    }
    of_from = next((value for name, value in fields if name == "from"), "").rstrip("> ").rpartition("@")[2]
    mine = [tags for tags in signatures if of_from and aligned(of_from, tags.get("d", ""), "r")]
    best = (mine or signatures or [{}])[0]
    by = results.partition(";")[0].split()[0][:100] if results.partition(";")[0].split() else None
    return Shown(
        said.get("spf"),
        said.get("dkim"),
        said.get("dmarc"),
        best.get("s"),
        best.get("d"),
        by,
        _clock_off(fields),
    )


def _clock_off(fields: list[tuple[str, str]]) -> float | None:
    """The time that the first server wrote (the lowest Received, RFC 5321 section 4.4) less that of the letter's Date."""
    received = [value.rpartition(";")[2] for name, value in fields if name == "received"]
    written = next((value for name, value in fields if name == "date"), None)
    if not received or written is None:
        return None
    try:
        first, ours = parsedate_to_datetime(received[-1].strip()), parsedate_to_datetime(written)
        return (first - ours).total_seconds()
    except (ValueError, TypeError, OverflowError):
        return None  # no moment, or one without a zone
