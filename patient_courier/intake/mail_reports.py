"""What mail servers say afterwards: letters that came back (RFC 3464) and complaints (RFC 5965).

A report is believed when it brings back something that only the letter held: the signed link in its List-Unsubscribe
field, or the envelope's own id (RFC 3461 section 4.4). What says neither names no letter of ours.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from email import message_from_bytes
from email.message import Message
from email.parser import HeaderParser
from email.policy import compat32
from typing import Literal

from flufl.bounce import all_failures

from patient_courier.core.school.text import shortened
from patient_courier.intake.mail_bounds import BoundedReport, has_many_parts

Kind = Literal["hard", "soft", "delayed", "complaint", "nothing"]
# RFC 3463 section 3.2, 3.3, as far as it says that there is no such mailbox: .7 and .8 are about the sender's address.
_NO_SUCH_BOX = re.compile(r"5\.1\.(?:[0-46]|9|10)\b|5\.2\.1\b")
_STATUS = re.compile(r"[245]\.\d{1,3}\.\d{1,3}\b")
_REPORTS = ("message/delivery-status", "message/global-delivery-status")
# What brings the letter back, whole or its header alone (RFC 3462 section 2, RFC 6533 section 3 for international mail).
_RETURNED = ("message/rfc822", "text/rfc822-headers", "message/global", "message/global-headers")
_TOKEN = re.compile(r"/post/stop/([\w.~-]+)")
# What a report says stands at its beginning, before the letter that it brings back.
MOST_BYTES = 256_000
_SPAM = {"abuse", "fraud", "virus", "other", "miscategorized"}


@dataclass(frozen=True, slots=True)
class Report:
    """What one message says: ``token`` and ``envelope`` prove which letter it is about.

    ``code`` is an enhanced status (RFC 3463) or empty, ``said`` the server's own words.
    """

    kind: Kind
    token: str | None
    envelope: str | None
    code: str
    said: str


_NOTHING = Report("nothing", None, None, "", "")


def read_report(raw: bytes) -> Report:
    """What a message reports, as far as its beginning says; ``nothing`` when it is no report of either kind."""
    raw = raw[:MOST_BYTES]
    if has_many_parts(raw):
        return _NOTHING
    try:
        return _read(message_from_bytes(raw, policy=BoundedReport()))
    except RecursionError:
        return _NOTHING  # parts in parts, deeper than any report


def _read(mail: Message) -> Report:
    parts = list(mail.walk())
    token = _token(parts)
    feedback = next((part for part in parts if part.get_content_type() == "message/feedback-report"), None)
    if feedback is not None:
        fields = _fields(_text(feedback))[0]
        kind: Kind = "complaint" if fields.get("feedback-type", "abuse").lower() in _SPAM else "nothing"
        return Report(kind, token, fields.get("original-envelope-id"), "", fields.get("feedback-type", ""))
    status = next((part for part in parts if part.get_content_type() in _REPORTS), None)
    if status is not None:
        return _of_status(status, token)
    try:
        temporary, permanent = all_failures(mail)
    except Exception:
        # The library's many readers of old servers' texts trip over what none of these would send.
        return Report("nothing", token, None, "", "")
    if permanent:
        return Report("hard", token, None, "", "the address does not work")
    if temporary:
        return Report("soft", token, None, "", "not now")
    return Report("nothing", token, None, "", "")


def _of_status(part: Message, token: str | None) -> Report:
    """The worst that is said of any recipient; a letter of ours has one."""
    blocks = _fields(_text(part))
    envelope = blocks[0].get("original-envelope-id") if blocks else None
    worst: tuple[int, Kind, str, str] = (0, "nothing", "", "")
    for block in blocks[1:] or blocks:
        action = block.get("action", "").lower()
        diagnostic = block.get("diagnostic-code", "").partition(";")[2].strip()
        inner = _STATUS.search(diagnostic)
        outer = _STATUS.search(block.get("status", ""))
        # What the far server itself said is closer to the truth than a 5.0.0 of the one that reports.
        code = (inner if inner and (outer is None or outer[0].endswith(".0.0")) else outer) or inner
        found = code[0] if code else ""
        rank, kind = _judged(action, found)
        if rank > worst[0]:
            worst = (rank, kind, found, shortened(diagnostic or block.get("status", ""), 300))
    return Report(worst[1], token, envelope, worst[2], worst[3])


def _judged(action: str, code: str) -> tuple[int, Kind]:
    if action == "failed":
        return (3, "hard") if _NO_SUCH_BOX.match(code) else (2, "soft")
    return (1, "delayed") if action == "delayed" else (0, "nothing")


def _token(parts: list[Message]) -> str | None:
    """The signed part of the letter's own stop link, from what was brought back of it."""
    for part in parts:
        if part.get_content_type() not in _RETURNED:
            continue
        inner = part.get_payload()
        header = (
            inner[0]
            if isinstance(inner, list) and inner and isinstance(inner[0], Message)
            else HeaderParser(policy=compat32).parsestr(_text(part))
        )
        found = _TOKEN.search("".join(str(header.get("List-Unsubscribe", "")).split()))
        if found:
            return found[1]
    return None


def _text(part: Message) -> str:
    """What a part says as text; the library takes a report's blocks apart, or leaves a kind that it does not know."""
    inner = part.get_payload()
    if isinstance(inner, list):
        return "\n".join(str(one) for one in inner)
    raw = part.get_payload(decode=True)
    return raw.decode("utf-8", "replace") if isinstance(raw, bytes) else str(inner)


def _fields(text: str) -> list[dict[str, str]]:
    """Blocks of fields, set apart by blank lines (RFC 3464 section 2.1), names in small letters."""
    found: list[dict[str, str]] = []
    for block in re.split(r"\n\s*\n", text.replace("\r\n", "\n").strip()):
        fields: dict[str, str] = {}
        for line in re.sub(r"\n[ \t]+", " ", block).splitlines():
            name, colon, value = line.partition(":")
            if colon:
                fields.setdefault(name.strip().lower(), value.strip())
        if fields:
            found.append(fields)
    return found or [{}]
