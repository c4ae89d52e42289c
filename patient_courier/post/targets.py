"""Where a letter's links lead: found in its finished page, so that each can be sent by way of the school and counted.

A link that goes by way of the school can lead only to what stood in that letter: its address holds no other than the
number of the link.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from html import escape, unescape
from urllib.parse import parse_qsl, urlencode, urlsplit, urlunsplit

from patient_courier.core.letters.merge import Field, Value
from patient_courier.core.school.courses import Campaign
from patient_courier.core.school.text import clean_text
from patient_courier.post.marks import SAFE_LINK, Part, Shown

# Stands for the way to one of the letter's links, by its number.
GO = "links.go."
_ADDRESS_SO_FAR = re.compile(r'(?:href|src)="([^"]*)$')
_OPENING = re.compile(r'(<a\b[^>]*?\bhref=")')
# Links of the letter's own: they say by themselves whose they are.
_OWN = "links."


_BEFORE_HOST_ENDS = re.compile(r"\s*(https?://[^/?#]*)?", re.IGNORECASE)


def names_host(parts: Iterable[str | Field]) -> bool:
    """Whether a value that comes from students would say where an address leads: it stands for all of it, or in its host."""
    written = ""
    for part in parts:
        if isinstance(part, str):
            written += part
        elif part.name.startswith("student."):
            return _BEFORE_HOST_ENDS.fullmatch(written) is not None
        else:
            written += (
                "https://x/" if not written.strip() else "x"
            )  # an address of the owner's, or a piece of one
    return False


@dataclass(frozen=True, slots=True)
class Target:
    """Where one link leads: pieces of text and fields."""

    parts: tuple[str | Field, ...]

    @property
    def template(self) -> str:
        """The address as it is written in the letter, merge fields by their names: the link's name in figures and events."""
        return "".join(
            part if isinstance(part, str) else f"{{{{ {part.name} }}}}" for part in self.parts
        ).strip()

    def address(self, values: Mapping[str, Value], zone: str) -> str | None:
        """The address for one student; None when it leads neither to the web nor to a mail address."""
        if names_host(self.parts):
            return None
        text = "".join(
            part if isinstance(part, str) else clean_text(part.text(values.get(part.name), zone))
            for part in self.parts
        ).strip()
        return text if SAFE_LINK.match(text) else None


@dataclass(slots=True)
class _Found:
    """The targets found so far; ``closed``: no others are wanted."""

    targets: list[Target] = field(default_factory=list)
    closed: bool = False

    def number(self, parts: tuple[str | Field, ...]) -> int | None:
        target = Target(parts)
        if target not in self.targets:
            if self.closed:
                return None
            self.targets.append(target)
        return self.targets.index(target)


def targets_of(parts: tuple[Part, ...]) -> tuple[Target, ...]:
    """Where the links of a page lead, in their order, each once.

    Links of the letter itself (stop, answers) and links to mail addresses are none of them.
    """
    found = _Found()
    _taken_out(parts, found)
    return tuple(found.targets)


def take_out(parts: tuple[Part, ...], targets: tuple[Target, ...]) -> tuple[Part, ...]:
    """The page with the address of each link to one of these targets replaced by a field ``links.go.N``; others stay."""
    return _taken_out(parts, _Found(list(targets), closed=True))


def _taken_out(parts: tuple[Part, ...], found: _Found) -> tuple[Part, ...]:
    out: list[Part] = []
    address: list[str | Field] | None = None  # what has been read of the address we are in
    for part in parts:
        if isinstance(part, Shown):
            out.append(Shown(part.name, _taken_out(part.parts, found)))
        elif isinstance(part, Field):
            (out if address is None else address).append(part)
        else:
            text = part
            while text:
                if address is None:
                    opening = _OPENING.search(text)
                    if opening is None:
                        out.append(text)
                        break
                    out.append(text[: opening.end()])
                    text, address = text[opening.end() :], []
                else:
                    inside, quote, text = text.partition('"')
                    if inside:
                        address.append(inside)
                    if quote:
                        out += [*_replaced(address, found), quote]
                        address = None
    return tuple(out)


def _replaced(address: list[str | Field], found: _Found) -> list[str | Field]:
    first = address[0] if address else "#"
    is_own = isinstance(first, Field) and first.name.startswith(_OWN)
    is_web = isinstance(first, Field) or first.lower().startswith(("http://", "https://"))
    if is_own or not is_web:
        return address
    number = found.number(tuple(unescape(part) if isinstance(part, str) else part for part in address))
    return address if number is None else [Field(f"{GO}{number}")]


def with_campaign(address: str, campaign: Campaign | None, letter: str) -> str:
    """A web address with the campaign's parameters behind it; those it has already stay as they are."""
    if campaign is None or not address.lower().startswith(("http://", "https://")):
        return address
    try:
        url = urlsplit(address)
    except ValueError:
        return address
    wanted = {
        "utm_source": campaign.source,
        "utm_medium": campaign.medium,
        "utm_campaign": campaign.campaign or letter,
    }
    there = {name for name, _ in parse_qsl(url.query, keep_blank_values=True)}
    more = urlencode({name: value for name, value in wanted.items() if value and name not in there})
    return urlunsplit(url._replace(query="&".join(part for part in (url.query, more) if part)))


def fill_html(parts: tuple[Part, ...], values: Mapping[str, Value], zone: str) -> str:
    """The page with a student's values. A value where a link goes must be a web or mail address; all are escaped."""
    found: list[str] = []
    _fill(parts, values, zone, found)
    return "".join(found)


def _fill(parts: tuple[Part, ...], values: Mapping[str, Value], zone: str, found: list[str]) -> None:
    for part in parts:
        if isinstance(part, str):
            found.append(part)
        elif isinstance(part, Shown):
            if values.get(part.name):
                _fill(part.parts, values, zone, found)
        else:
            text = clean_text(part.text(values.get(part.name), zone))
            opened = _ADDRESS_SO_FAR.search(found[-1]) if found else None
            if opened is not None and (
                names_host([opened[1], part]) or (not opened[1] and not SAFE_LINK.match(text))
            ):
                text = "#"
            found.append(escape(text))


def fill_text(parts: tuple[Part, ...], values: Mapping[str, Value], zone: str) -> str:
    """The plain text with a student's values."""
    found: list[str] = []
    for part in parts:
        if isinstance(part, str):
            found.append(part)
        elif isinstance(part, Shown):
            found.append(fill_text(part.parts, values, zone) if values.get(part.name) else "")
        else:
            found.append(clean_text(part.text(values.get(part.name), zone)))
    return "".join(found)
