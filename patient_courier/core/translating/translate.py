"""What a message becomes: for each of its items an event, a reason why it waits, or that it is not for us.

The order in which an item is looked at is that of the lines in :func:`_event`: the first that is wrong is named.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from decimal import Decimal
from functools import lru_cache
from hashlib import sha256
from itertools import islice
from typing import Any

from jsonpath_rfc9535 import JSONPathEnvironment, JSONPathError, JSONPathQuery
from pydantic import TypeAdapter, ValidationError
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.events import Event
from patient_courier.core.school.text import is_fit, shortened, without_halves
from patient_courier.core.school.values import ReportedMoment, moment_text
from patient_courier.core.translating.connection import FIELDS, Connection, Rule, Test
from patient_courier.core.translating.item import Item, Waiting, Waits, cut, decimal, value_of
from patient_courier.core.translating.message import (
    MOST_ITEMS,
    Message,
    Refused,
    data_of,
    with_numbers,
)
from patient_courier.core.translating.own_fields import EXACT, called, own_field, student_of
from patient_courier.core.translating.places import in_item, is_there, text_of, walk

# A clock ahead of ours by no more than this counts as ours.
AHEAD_HOURS = 24
# Characters of an event's id.
MOST_ID = 200
_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
_MOMENT: TypeAdapter[Instant] = TypeAdapter(ReportedMoment)
_PATHS = JSONPathEnvironment()


@dataclass(frozen=True, slots=True)
class Reported:
    """An event that an item became: as in the school file, with the student as they are described."""

    event: dict[str, Any]

    def as_json(self) -> dict[str, Any]:
        return {"event": self.event}


@dataclass(frozen=True, slots=True)
class NotForUs:
    """No rule is for this item."""

    def as_json(self) -> dict[str, Any]:
        return {"not_for_us": True}


Became = Reported | Waits | NotForUs


@dataclass(frozen=True, slots=True)
class Translated:
    """What a message became: item by item, or refused as a whole."""

    items: list[Became] = field(default_factory=list)
    refused: str | None = None

    def as_json(self) -> dict[str, Any]:
        if self.refused is not None:
            return {"refused": self.refused}
        return {"items": [one.as_json() for one in self.items]}


def translate(connection: Connection, definitions: Definitions, message: Message) -> Translated:
    """What a message of this connection becomes in this school. Never raises for what stands in the message."""
    try:
        data = data_of(message)
        items = items_of(connection.each, message, data)
    except Refused as refused:
        return Translated(refused=without_halves(str(refused)))
    return Translated(
        [
            _item(Item(connection, definitions, message, data, item, number))
            for number, item in enumerate(items, 1)
        ]
    )


def items_of(each: str | None, message: Message, data: Any) -> list[Any]:
    """The items of a message whose ``data`` has been read; without ``each`` it is the one item. Raises Refused."""
    return [data] if each is None else [walk(data, way) for way in ways_to(each, message)]


def ways_to(each: str, message: Message) -> list[list[Any]]:
    """The ways to the items that a path (RFC 9535) finds, as names and numbers. Raises Refused."""
    # Numbers are compared as numbers in a path; what stands in the items are texts.
    try:
        nodes = islice(_path(each).finditer(with_numbers(message)), MOST_ITEMS + 1)
        ways = [list(node.location) for node in nodes]
    except (JSONPathError, RecursionError) as error:
        raise Refused(f"Its items can't be looked for: {error}") from error
    if len(ways) > MOST_ITEMS:
        raise Refused(f"There are more than {MOST_ITEMS:,} items in this message.")
    return ways


@lru_cache(maxsize=64)
def _path(each: str) -> JSONPathQuery:
    """A path made ready: that takes ten times as long as following it."""
    return _PATHS.compile(each)


def _item(item: Item) -> Became:
    rule = next((one for one in item.connection.rules if all(_holds(item, test) for test in one.when)), None)
    if rule is None:
        return NotForUs()
    try:
        return Reported(_event(item, rule))
    except Waiting as waiting:
        return replace(waiting.waits, type=rule.event.type, id=_id_if_any(item, rule.event.type))


def _id_if_any(item: Item, type: str) -> str | None:
    """The id that an item waits under, so that its repeat is known; None where it has none."""
    try:
        return _id(item, type)
    except Waiting:
        return None


def _holds(item: Item, test: Test) -> bool:
    node = item.at(test.place)
    if test.exists is not None:
        return is_there(node) == test.exists
    # Of a list, each of its texts.
    texts = {text_of(one) for one in (node if isinstance(node, list) else [node])} - {None}
    if test.is_ is not None:
        return not texts.isdisjoint(one.strip() for one in test.is_)
    return texts.isdisjoint(one.strip() for one in test.not_ or ())


def _event(item: Item, rule: Rule) -> dict[str, Any]:
    email = _address(item)
    at = _moment(item)
    id = _id(item, rule.event.type)
    own = {name: own_field(item, rule, name) for name in FIELDS[rule.event.type]}
    student = student_of(item, email)
    body = {
        "at": moment_text(at),
        "type": rule.event.type,
        "student": "student",
        "id": id,
        **{name: value for name, value in own.items() if value is not None},
    }
    try:
        event = _EVENT.validate_python(body)
    except ValidationError as error:
        raise _unfit(item, rule, error, body) from error
    made: dict[str, Any] = event.model_dump(mode="json", by_alias=True, exclude_none=True)
    return made | {"student": student}


def _unfit(item: Item, rule: Rule, error: ValidationError, body: dict[str, Any]) -> Waiting:
    """What an event of ours can't hold: a text that is too long, a key with control characters in it."""
    fault = validation_faults(error, body)[0]
    name = fault.pointer.rpartition("/")[2]
    value = rule.event.value(name) if name in FIELDS[rule.event.type] else None
    place, found = cut(item, value) if value is not None else (None, None)
    said = called(name)
    return Waiting(f"{said[:1].upper()}{said[1:]} can't be used: {fault.sentence}.", place, found)


def _address(item: Item) -> str:
    value = item.connection.student.email
    text = value_of(item, value, "the address")
    place, found = cut(item, value)
    if text is None:
        raise Waiting("There is no address here.", place, found)
    try:
        return _checked(text)
    except ValueError as error:
        raise Waiting(f"{error}.".replace("..", "."), place, found) from error


# The items of a message have one buyer, and a buyer is seldom alone with one message.
_checked = lru_cache(maxsize=256)(check_email)


def _moment(item: Item) -> Instant:
    when, received = item.connection.at, item.message.received
    if when is None:
        return received
    text = item.text(when.place)
    if text is None:
        raise Waiting("There is no time here.", when.place)
    try:
        at = _MOMENT.validate_python(text if when.as_ == "rfc3339" else _since_1970(text, when.as_))
    except (ValueError, OverflowError) as error:
        raise Waiting(f"“{shortened(text)}” can't be read as a time.", when.place, text) from error
    if at > received.add(hours=AHEAD_HOURS):
        sentence = f"This lies more than {AHEAD_HOURS} hours ahead: {shortened(text)}."
        raise Waiting(sentence, when.place, text, why="ahead")
    return min(at, received)


def _since_1970(text: str, unit: str) -> Instant:
    number = decimal(text)
    if number is None or not -(10**15) < number < 10**15:
        raise ValueError(text)
    nanoseconds = EXACT.multiply(number, Decimal(10**9 if unit == "seconds" else 10**6))
    return Instant.from_timestamp(int(nanoseconds), unit="nanosecond")


def _id(item: Item, type: str) -> str:
    places = item.connection.id
    parts = []
    for place in places or []:
        text = item.text(place)
        if text is None:
            raise Waiting("There is nothing here that tells this from others.", place)
        if not is_fit(text):
            raise Waiting("What tells this from others is no line of text.", place, text)
        parts.append(text)
    own = "/".join(parts) if places else sha256(item.message.body).hexdigest()[:32]
    numbered = item.connection.each is not None and not any(in_item(place) for place in places or [])
    made = f"{item.connection.key}:{type}:{own}" + (f"#{item.number}" if numbered else "")
    if len(made) > MOST_ID:
        longest = max(
            zip(parts, places or [], strict=True), key=lambda one: len(one[0]), default=(None, None)
        )
        raise Waiting("What tells this from others is too long.", longest[1], longest[0])
    return made
