"""Column types: instants as whole nanoseconds since 1970 (UTC), JSON with instants and money inside."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import BigInteger, Text
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator
from whenever import Date, Instant

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.school.values import Money


def to_nanoseconds(moment: Instant) -> int:
    """Nanoseconds since 1970 in UTC; fits SQLite's integers until the year 2262."""
    return moment.timestamp(unit="nanosecond")


def from_nanoseconds(value: int) -> Instant:
    return Instant.from_timestamp(value, unit="nanosecond")


class InstantColumn(TypeDecorator[Instant]):
    """An instant, kept as an integer so that SQLite compares it without reading it."""

    impl = BigInteger
    cache_ok = True

    def process_bind_param(self, value: Instant | None, dialect: Dialect) -> int | None:
        return None if value is None else to_nanoseconds(value)

    def process_result_value(self, value: Any, dialect: Dialect) -> Instant | None:
        return None if value is None else from_nanoseconds(value)


def pack(value: Any) -> str:
    """JSON text of plain data that may hold instants, dates, durations and money."""
    return _ENCODER.encode(value)


def unpack(text: str) -> Any:
    """The data that :func:`pack` was given, tuples as lists."""
    return _DECODER.decode(text)


def _plain(value: Any) -> dict[str, Any]:
    match value:
        case Instant():
            return {"$instant": to_nanoseconds(value)}
        case Date():
            return {"$date": value.format_iso()}
        case Duration():
            return {"$duration": str(value)}
        case Money():
            return {"$money": [value.amount, value.currency]}
        case _:
            raise TypeError(f"{value!r} can't be stored")


def _rich(found: dict[str, Any]) -> Any:
    if len(found) != 1:
        return found
    ((name, value),) = found.items()
    match name:
        case "$instant":
            return from_nanoseconds(value)
        case "$date":
            return Date.parse_iso(value)
        case "$duration":
            return Duration.parse(value)
        case "$money":
            return Money(amount=value[0], currency=value[1])
        case _:
            return found


# Made once: json.dumps and json.loads would make new ones for every value.
_ENCODER = json.JSONEncoder(ensure_ascii=False, separators=(",", ":"), default=_plain)
_DECODER = json.JSONDecoder(object_hook=_rich)


class Packed(TypeDecorator[Any]):
    """Plain data with instants inside, as JSON text."""

    impl = Text
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> str | None:
        return None if value is None else pack(value)

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        return None if value is None else unpack(value)
