"""A sample for trying: a message that came, said once more about somebody else, now, under a number of its own."""

from __future__ import annotations

import copy
import json
from typing import Any

from whenever import Instant

from patient_courier.core.school.values import moment_text
from patient_courier.core.translating.connection import FIELDS, At, Connection
from patient_courier.core.translating.message import Message, Refused, data_of
from patient_courier.core.translating.places import in_item, parts_of
from patient_courier.core.translating.translate import ways_to


def pretended(connection: Connection, message: Message, email: str, now: Instant, number: str) -> Message:
    """The message with this address in it, happening now, told from others by ``number``; JSON whatever it was.

    Raises Refused for a message that can't be read.
    """
    data = copy.deepcopy(data_of(message))
    items = [[]] if connection.each is None else ways_to(connection.each, message)
    value = connection.student.email
    if isinstance(value, At):
        around = (value.after or "", value.before or "")
        _put(data, items, value.place, email.join(around))
    if connection.at is not None:
        _put(data, items, connection.at.place, _moment(now, connection.at.as_))
    free = [place for place in connection.id or [] if place not in _read_for_more(connection)]
    if connection.id and not free:
        raise Refused(
            "What tells this message from others says what happened, too, so it can't be pretended again."
        )
    for place in free:
        _put(data, items, place, number)
    if not connection.id:
        # Its whole text tells it from others.
        data = {**data, "pretended": number} if isinstance(data, dict) else data
    return Message(now, "application/json", json.dumps(data, ensure_ascii=False).encode("utf-8", "replace"))


def _read_for_more(connection: Connection) -> set[str]:
    """The places that rules read: what stands there says what happened, and stays."""
    found = {test.place for rule in connection.rules for test in rule.when}
    for rule in connection.rules:
        values = (rule.event.value(name) for name in FIELDS[rule.event.type] if name != "order")
        found |= {value.place for value in values if isinstance(value, At)}
    return found


def _moment(now: Instant, form: str) -> str:
    unit = {"seconds": 1, "milliseconds": 1000}.get(form)
    return moment_text(now) if unit is None else str(int(now.timestamp() * unit))


def _put(data: Any, items: list[list[Any]], place: str, text: str) -> None:
    """Put a text at a place, in the message or in each of its items; where the way ends before, nothing is put."""
    inside, parts = in_item(place), list(parts_of(place))
    for way in items if inside else [[]]:
        *above, last = [*way, *parts] or [None]
        node = data
        for part in above:
            node = _child(node, part)
        if isinstance(node, dict) and last in node:
            node[last] = text
        elif isinstance(node, list) and str(last).isdigit() and int(last) < len(node):
            node[int(last)] = text


def _child(node: Any, part: Any) -> Any:
    if isinstance(node, dict):
        return node.get(part)
    if isinstance(node, list) and str(part).isdigit() and int(part) < len(node):
        return node[int(part)]
    return None
