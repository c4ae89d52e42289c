"""Marks that stand in a letter's markup where a student's values go, until it is cut there.

Their names can't be guessed, so that nothing a letter or a student says can be taken for one.
"""

from __future__ import annotations

import re
import secrets
from dataclasses import dataclass
from html import escape

from patient_courier.core.letters.merge import Field, Template
from patient_courier.core.school.looks import PICTURES
from patient_courier.core.school.text import clean_text

SAFE_LINK = re.compile(r"(https?://|mailto:)", re.IGNORECASE)
# Stands where the link of one answer goes; no merge field is called like this.
ANSWER = "links.answer."
# Stands where the calendar file of a date goes, by the place of its block.
EVENT = "links.event."
# Stands where the link goes by which a student says how their name is printed.
NAME = "links.name"
# Stands where the link goes by which a student asks for their certificate.
CLAIM = "links.claim"
# What the button of that link says.
CLAIM_LABEL = "Ask for your certificate"


@dataclass(frozen=True, slots=True)
class Shown:
    """Parts that stand there only when the value of this name is something."""

    name: str
    parts: tuple[Part, ...]


Part = str | Field | Shown


class Marks:
    """Puts marks where fields stand and remembers which is which; the same field has the same mark."""

    def __init__(self) -> None:
        self._token = secrets.token_hex(8)
        self._fields: dict[Field, int] = {}
        self._names: list[str] = []
        self._cut = re.compile(f"m{self._token}([noc])(\\d+)x")

    def text(self, template: str, *, html: bool = False, plain: bool = False) -> str:
        """The text with marks for its fields; unless it is HTML, or for the plain part, it is escaped on the way."""
        pieces = []
        for part in Template.parse(template).parts:
            if isinstance(part, Field):
                pieces.append(self.mark(part))
            else:
                pieces.append(clean_text(part) if html or plain else escape(clean_text(part)))
        return "".join(pieces)

    def link(self, template: str, *, picture: bool = False) -> str:
        """An address with marks, escaped; ``#`` when it leads neither to the web nor to a mail address.

        A ``picture`` may be named by its path in this school too.
        """
        parts = Template.parse(template).parts
        first = parts[0].strip() if parts and isinstance(parts[0], str) else None
        if first is not None and not SAFE_LINK.match(first) and not (picture and first.startswith(PICTURES)):
            return "#"
        return self.text(template.strip())

    def mark(self, field: Field) -> str:
        return f"m{self._token}n{self._fields.setdefault(field, len(self._fields))}x"

    def value(self, name: str) -> str:
        """The mark of a value that may be missing."""
        return self.mark(Field(name))

    def section(self, name: str, inside: str, around: str = "{}") -> str:
        """Markup that stands there only when the value of this name is something; marks are put in as ``around`` says."""
        number = len(self._names)
        self._names.append(name)
        first, last = (around.format(f"m{self._token}{kind}{number}x") for kind in "oc")
        return f"{first}{inside}{last}"

    def cut(self, text: str) -> tuple[Part, ...]:
        """The text cut at its marks."""
        fields = list(self._fields)
        levels: list[list[Part]] = [[]]
        pieces = self._cut.split(text)
        for at in range(0, len(pieces), 3):
            if pieces[at]:
                levels[-1].append(pieces[at])
            if at + 2 >= len(pieces):
                break
            kind, number = pieces[at + 1], int(pieces[at + 2])
            if kind == "n":
                levels[-1].append(fields[number])
            elif kind == "o":
                levels.append([])
            else:
                inside = tuple(levels.pop())
                levels[-1].append(Shown(self._names[number], inside))
        return tuple(levels[0])
