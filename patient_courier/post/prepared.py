"""A letter made ready once: its HTML and its plain text cut at the places where a student's values go.

A version of a letter never changes, so that all the work on its markup is done
once; for each student only values are filled in.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from html import escape

from patient_courier.core.merge import Field, Template, Value, one_line
from patient_courier.core.school.courses import School
from patient_courier.core.school.letters import AnswersBlock, Letter
from patient_courier.core.school.text import clean_text
from patient_courier.post.links import Links
from patient_courier.post.marks import ANSWER, SAFE_LINK
from patient_courier.post.page import html_parts
from patient_courier.post.plain import text_parts


@dataclass(frozen=True, slots=True)
class Rendered:
    """A letter as one student sees it."""

    subject: str
    preheader: str
    html: str
    text: str


@dataclass(frozen=True, slots=True)
class Prepared:
    """A letter that only waits for a student's values."""

    subject: Template
    preheader: Template
    html: tuple[str | Field, ...]
    text: tuple[str | Field, ...]
    answers: tuple[str, ...]

    def fill(self, values: Mapping[str, Value], zone: str, links: Links) -> Rendered:
        """The letter with a student's values; dates in ``zone``."""
        filled = {
            **values,
            "links.stop": links.stop,
            "links.preferences": links.preferences,
            "links.view_online": links.view_online,
            **{ANSWER + key: links.to_answer(key) for key in self.answers},
        }
        return Rendered(
            subject=one_line(self.subject.render(filled, zone, html=False)),
            preheader=one_line(self.preheader.render(filled, zone, html=False)),
            html=_fill_html(self.html, filled, zone),
            text="".join(
                part if isinstance(part, str) else clean_text(part.text(filled.get(part.name), zone))
                for part in self.text
            ),
        )


def _fill_html(parts: tuple[str | Field, ...], values: Mapping[str, Value], zone: str) -> str:
    """A value where a link goes must be a web or mail address; all are escaped."""
    found: list[str] = []
    for part in parts:
        if isinstance(part, str):
            found.append(part)
            continue
        text = clean_text(part.text(values.get(part.name), zone))
        if found and found[-1].endswith(('href="', 'src="')) and not SAFE_LINK.match(text):
            text = "#"
        found.append(escape(text))
    return "".join(found)


def prepare(letter: Letter, school: School) -> Prepared:
    """Make a letter ready in the school's frame. Raises ValueError for one that can't be drawn."""
    return _prepare(letter.model_dump_json(by_alias=True), school.name, school.postal_address)


@lru_cache(maxsize=512)
def _prepare(letter_json: str, school_name: str, postal_address: str) -> Prepared:
    letter = Letter.model_validate_json(letter_json)
    return Prepared(
        subject=Template.parse(letter.subject),
        preheader=Template.parse(letter.preheader),
        html=html_parts(letter, clean_text(school_name), clean_text(postal_address)),
        text=text_parts(letter, clean_text(postal_address)),
        answers=tuple(
            choice.key
            for block in letter.blocks
            if isinstance(block, AnswersBlock)
            for choice in block.answers
        ),
    )
