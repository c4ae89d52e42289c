"""Marks that stand in a letter's markup where a student's values go, until it is cut there.

Their names can't be guessed, so that nothing a letter or a student says can be taken for one.
"""

from __future__ import annotations

import re
import secrets
from html import escape

from patient_courier.core.merge import Field, Template
from patient_courier.core.school.text import clean_text

SAFE_LINK = re.compile(r"(https?://|mailto:)", re.IGNORECASE)
# Stands where the link of one answer goes; no merge field is called like this.
ANSWER = "links.answer."


class Marks:
    """Puts marks where fields stand and remembers which is which; the same field has the same mark."""

    def __init__(self) -> None:
        self._token = secrets.token_hex(8)
        self._fields: dict[Field, int] = {}

    def text(self, template: str, *, html: bool = False, plain: bool = False) -> str:
        """The text with marks for its fields; unless it is HTML, or for the plain part, it is escaped on the way."""
        pieces = []
        for part in Template.parse(template).parts:
            if isinstance(part, Field):
                pieces.append(self.mark(part))
            else:
                pieces.append(clean_text(part) if html or plain else escape(clean_text(part)))
        return "".join(pieces)

    def link(self, template: str) -> str:
        """An address with marks, escaped; ``#`` when it leads neither to the web nor to a mail address."""
        parts = Template.parse(template).parts
        if parts and isinstance(parts[0], str) and not SAFE_LINK.match(parts[0].strip()):
            return "#"
        return self.text(template.strip())

    def mark(self, field: Field) -> str:
        return f"m{self._token}n{self._fields.setdefault(field, len(self._fields))}x"

    def cut(self, text: str) -> tuple[str | Field, ...]:
        """The text cut at its marks."""
        fields = list(self._fields)
        parts: list[str | Field] = []
        for index, piece in enumerate(re.split(f"m{self._token}n(\\d+)x", text)):
            if index % 2:
                parts.append(fields[int(piece)])
            elif piece:
                parts.append(piece)
        return tuple(parts)
