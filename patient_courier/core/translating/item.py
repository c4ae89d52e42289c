"""One item of a message on its way, and what stands where a connection file points."""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any, Literal

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.text import shortened, without_halves
from patient_courier.core.translating.connection import At, Connection, Same
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.places import at_place, text_of

# RFC 8259, section 6.
_NUMBER = re.compile(r"-?(0|[1-9][0-9]*)(\.[0-9]+)?([eE][+-]?[0-9]+)?")


Why = Literal["unmapped", "unknown", "ahead", "other"]


@dataclass(frozen=True, slots=True)
class Waits:
    """Why an item is no event yet: where what is wrong stands, and the text that was found there.

    ``why`` tells what would help: to say what a text means (``unmapped``), to add it to the school (``unknown``), or only
    time (``ahead``); ``field`` is what could not be found out, ``type`` and ``id`` are those of the event it would be.
    """

    sentence: str
    place: str | None = None
    found: str | None = None
    why: Why = "other"
    field: str = ""
    type: str = ""
    id: str | None = None

    def as_json(self) -> dict[str, Any]:
        return {"waits": self.sentence, "place": self.place, "found": self.found}


class Waiting(Exception):
    """Ends the translation of one item."""

    def __init__(
        self,
        sentence: str,
        place: str | None = None,
        found: str | None = None,
        *,
        why: Why = "other",
        field: str = "",
    ) -> None:
        super().__init__(sentence)
        said = without_halves(found) if found is not None else None
        self.waits = Waits(without_halves(sentence), place, said, why, field)


@dataclass(frozen=True, slots=True)
class Item:
    """One item on its way: where it came from, and which one of the message it is."""

    connection: Connection
    definitions: Definitions
    message: Message
    data: Any
    item: Any
    number: int

    def at(self, place: str) -> Any:
        return at_place(self.data, self.item, place)

    def text(self, place: str) -> str | None:
        return text_of(self.at(place))


def value_of(item: Item, value: At | Same, called: str, field: str = "") -> str | None:
    """A value as a text, or None. What is not in its map waits; ``field`` is whose value it is, ``called`` how one says it."""
    if isinstance(value, Same):
        return value.is_.strip() or None
    _, text = cut(item, value)
    if text is None or value.map is None:
        return text
    if text not in value.map:
        sentence = f"Nobody has said yet what {called} “{shortened(text)}” is."
        raise Waiting(sentence, value.place, text, why="unmapped", field=field)
    return value.map[text].strip() or None


def cut(item: Item, value: At | Same | None) -> tuple[str | None, str | None]:
    """Where a value stands, and the text that is found there after the cuts."""
    if not isinstance(value, At):
        return None, value.is_ if value is not None else None
    text = item.text(value.place)
    if text is not None and value.after is not None:
        _, found, text = text.partition(value.after)
        text = text if found else None
    if text is not None and value.before is not None:
        text, found, _ = text.partition(value.before)
        text = text if found else None
    return value.place, (text.strip() or None) if text is not None else None


def decimal(text: str) -> Decimal | None:
    """A text that reads as a number of JSON's; one past all bounds is endless, or nought."""
    if not _NUMBER.fullmatch(text):
        return None
    try:
        return Decimal(text)
    except InvalidOperation:
        exponent = text.lower().partition("e")[2]
        return (
            Decimal(0) if exponent.startswith("-") else Decimal("-Infinity" if text[0] == "-" else "Infinity")
        )
