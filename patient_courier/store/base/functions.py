"""Functions that questions in SQL ask for, where SQLite has none: lengths and days in a zone, free fields."""

from __future__ import annotations

from functools import cache

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.conditions import field_fits
from patient_courier.core.school import conditions as c
from patient_courier.store.base.columns import from_nanoseconds, unpack


def within_function(at: int, zone: str, span: str, now: int) -> bool:
    """SQL function ``pc_within``: whether a time plus a length, in a zone, is not before now."""
    return calendar.add(from_nanoseconds(at), Duration.parse(span), zone) >= from_nanoseconds(now)


def day_function(at: int, zone: str) -> str:
    """SQL function ``pc_day``: the local date of a time in a zone, as ISO 8601 text."""
    return calendar.local_date(from_nanoseconds(at), zone).format_iso()


def field_function(fields: str, condition: str) -> bool:
    """SQL function ``pc_field``: whether packed free fields are as a ``field`` condition asks."""
    return field_fits(_field_condition(condition), unpack(fields))


@cache
def _field_condition(text: str) -> c.IsField:
    return c.IsField.model_validate_json(text)


FUNCTIONS = {"pc_within": (4, within_function), "pc_day": (2, day_function), "pc_field": (2, field_function)}
