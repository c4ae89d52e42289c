"""A letter made ready once: its HTML and its plain text cut at the places where a student's values go.

A version of a letter never changes, so that all the work on its markup is done
once for each look it stands in; for each student only values are filled in.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from patient_courier.core.letters.merge import Template, Value, one_line
from patient_courier.core.school.blocks import CertificateBlock, EventBlock
from patient_courier.core.school.courses import Campaign
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PICTURES
from patient_courier.core.school.text import clean_text
from patient_courier.post.links import Links
from patient_courier.post.look import Look
from patient_courier.post.marks import ANSWER, CLAIM, EVENT, NAME, Part
from patient_courier.post.page import SEEN, html_parts
from patient_courier.post.plain import text_parts
from patient_courier.post.targets import GO, Target, fill_html, fill_text, take_out, targets_of, with_campaign

_BLANK_LINES = re.compile(r"\n{3,}")


@dataclass(frozen=True, slots=True)
class Rendered:
    """A letter as one student sees it."""

    subject: str
    preheader: str
    html: str
    text: str


@dataclass(frozen=True, slots=True)
class Prepared:
    """A letter that only waits for a student's values; ``targets`` are where its links lead, by their numbers."""

    key: str
    subject: Template
    preheader: Template
    html: tuple[Part, ...]
    text: tuple[Part, ...]
    answers: tuple[str, ...]
    targets: tuple[Target, ...]
    events: tuple[tuple[str, EventBlock], ...]
    has_certificate: bool
    site: str
    campaign: Campaign | None

    def fill(self, values: Mapping[str, Value], zone: str, links: Links) -> Rendered:
        """The letter with a student's values; dates in ``zone``."""
        filled: dict[str, Value] = {
            **{name: self._absolute(value) for name, value in values.items()},
            "links.stop": links.stop,
            "links.preferences": links.preferences,
            "links.view_online": links.view_online,
            SEEN: links.seen,
            NAME: links.name or "#",
            CLAIM: links.claim or "#",
            **{ANSWER + key: links.to_answer(key) for key in self.answers},
            **{EVENT + place: links.to_event(number) for number, (place, _) in enumerate(self.events)},
        }
        for number in range(len(self.targets)):
            direct = self.address(number, filled, zone) or "#"
            filled[f"{GO}{number}"] = (
                links.to_target(number) if links.go and direct.startswith("http") else direct
            )
        return Rendered(
            subject=one_line(self.subject.render(filled, zone, html=False)),
            preheader=one_line(self.preheader.render(filled, zone, html=False)),
            html=fill_html(self.html, filled, zone),
            text=_BLANK_LINES.sub("\n\n", fill_text(self.text, filled, zone)),
        )

    def address(self, number: int, values: Mapping[str, Value], zone: str) -> str | None:
        """Where one of its links leads for a student; None when it leads nowhere."""
        found = self.targets[number].address(values, zone)
        return with_campaign(found, self.campaign, self.key) if found else None

    def _absolute(self, value: Value) -> Value:
        is_picture = isinstance(value, str) and value.startswith(PICTURES)
        return f"{self.site}{value}" if is_picture else value


def events_of(letter: Letter) -> tuple[tuple[str, EventBlock], ...]:
    """The dates in a letter, with their places."""
    return tuple((place, block) for place, block in letter.every_block() if isinstance(block, EventBlock))


def prepare(letter: Letter, look: Look) -> Prepared:
    """Make a letter ready in a look. Raises ValueError for one that can't be drawn."""
    return _prepare(letter.model_dump_json(by_alias=True), _Framed(look))


class _Framed:
    """A look that is known again by what stands in it: models with lists inside can't be hashed."""

    def __init__(self, look: Look) -> None:
        self.look = look
        self._key = repr(look)

    def __hash__(self) -> int:
        return hash(self._key)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Framed) and other._key == self._key


@lru_cache(maxsize=512)
def _prepare(letter_json: str, framed: _Framed) -> Prepared:
    letter = Letter.model_validate_json(letter_json)
    found = framed.look
    look = replace(found, school=clean_text(found.school), postal_address=clean_text(found.postal_address))
    # Numbered by the letter alone: another layout or signature changes nothing about where its links lead. What stands
    # in those is not the letter's, and leads there directly.
    targets = targets_of(html_parts(letter, Look("", "")))
    return Prepared(
        key=letter.key,
        subject=Template.parse(letter.subject),
        preheader=Template.parse(letter.preheader),
        html=take_out(html_parts(letter, look), targets),
        text=text_parts(letter, look),
        answers=tuple(choice.key for _, choice in letter.answers()),
        targets=targets,
        events=events_of(letter),
        has_certificate=any(isinstance(block, CertificateBlock) for _, block in letter.every_block()),
        site=look.site,
        campaign=look.campaign,
    )
