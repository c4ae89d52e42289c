"""Copies of the school: what they are called, which of them are kept, when the next one is due."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import Field, field_validator
from whenever import Instant, Time

from patient_courier.core.calendar import calendar
from patient_courier.core.school.values import Model

Why = Literal["nightly", "by-hand", "before-upgrade"]
DAILY, WEEKLY, MONTHLY = 7, 4, 12
# Copies made by hand or before an upgrade: for how many days, and how many at least.
OTHERS_DAYS, OTHERS_LEAST = 30, 3
# When the school's night is deepest.
NIGHT = Time(3)
_BUCKET = re.compile(r"[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]")
_NAME = re.compile(
    r"school-(\d{4}-\d\d-\d\d)T(\d\d)(\d\d)(\d\d)Z-(nightly|by-hand|before-upgrade)\.db(\.age)?"
)


class ObjectStore(Model):
    """A store of objects that speaks S3; ``endpoint`` None: the one of the region."""

    bucket: str
    endpoint: Annotated[str, Field(max_length=2000, pattern=r"^https?://\S+$")] | None = None
    region: Annotated[str, Field(max_length=100)] = ""
    key: Annotated[str, Field(max_length=200)] = ""
    secret: Annotated[str, Field(max_length=200)] = ""

    @field_validator("bucket")
    @classmethod
    def _bucket(cls, value: str) -> str:
        if not _BUCKET.fullmatch(value):
            raise ValueError("A bucket is called by 3 to 63 small letters, digits, dots and hyphens.")
        return value


class Copying(Model):
    """How copies are kept: encrypted for ``recipient`` (an age public key), and in a ``second`` folder and a store as well."""

    recipient: Annotated[str, Field(pattern=r"^age1[a-z0-9]{58}$")] | None = None
    second: Annotated[str, Field(max_length=1000)] | None = None
    store: ObjectStore | None = None

    @field_validator("second")
    @classmethod
    def _second(cls, value: str | None) -> str | None:
        if value is not None and not value.startswith("/"):
            raise ValueError("Give the whole path of the folder, from / on.")
        return value


@dataclass(frozen=True, slots=True)
class CopyName:
    """What the name of a copy's file says; ``at`` in real time."""

    at: Instant
    why: Why
    encrypted: bool

    def __str__(self) -> str:
        stamp = self.at.format_iso(unit="second").replace(":", "")
        return f"school-{stamp}-{self.why}.db{'.age' if self.encrypted else ''}"


def read_name(name: str) -> CopyName | None:
    """What a file's name says; None when it is no copy of ours."""
    found = _NAME.fullmatch(name)
    if found is None:
        return None
    try:
        at = Instant.parse_iso(f"{found[1]}T{found[2]}:{found[3]}:{found[4]}Z")
    except ValueError:
        return None
    why: Why = (
        "nightly" if found[5] == "nightly" else "by-hand" if found[5] == "by-hand" else "before-upgrade"
    )
    return CopyName(at, why, bool(found[6]))


def kept(moments: Iterable[Instant], zone: str) -> set[Instant]:
    """Which copies stay: the newest of each of the last seven days that have one, of four weeks, of twelve months.

    Days, weeks (from Monday) and months are those of ``zone``.
    """
    newest_first = sorted(moments, reverse=True)
    found: set[Instant] = set()
    for most, period in ((DAILY, _day), (WEEKLY, _week), (MONTHLY, _month)):
        seen: set[tuple[int, ...]] = set()
        for at in newest_first:
            one = period(at, zone)
            if one not in seen and len(seen) < most:
                seen.add(one)
                found.add(at)
    return found


def staying(names: Iterable[CopyName], now: Instant, zone: str) -> set[CopyName]:
    """Which copies stay: of the nightly ones those of :func:`kept`; the others for thirty days, and the newest three anyway."""
    found = set(names)
    nights = kept((one.at for one in found if one.why == "nightly"), zone)
    others = sorted((one for one in found if one.why != "nightly"), key=lambda one: one.at, reverse=True)
    young = now.subtract(hours=24 * OTHERS_DAYS)
    return {one for one in found if one.why == "nightly" and one.at in nights} | {
        one for number, one in enumerate(others) if number < OTHERS_LEAST or one.at >= young
    }


def _day(at: Instant, zone: str) -> tuple[int, ...]:
    date = calendar.local_date(at, zone)
    return (date.year, date.month, date.day)


def _week(at: Instant, zone: str) -> tuple[int, ...]:
    date = calendar.local_date(at, zone)
    monday = date.subtract(days=date.day_of_week().value - 1)
    return (monday.year, monday.month, monday.day)


def _month(at: Instant, zone: str) -> tuple[int, ...]:
    date = calendar.local_date(at, zone)
    return (date.year, date.month)


def last_night(now: Instant, zone: str) -> Instant:
    """The last three o'clock in the morning: a copy from before then is due to be followed by another."""
    today = calendar.resolve(calendar.local_date(now, zone).at(NIGHT), zone)
    return (
        today
        if today <= now
        else calendar.resolve(calendar.local_date(now, zone).subtract(days=1).at(NIGHT), zone)
    )
