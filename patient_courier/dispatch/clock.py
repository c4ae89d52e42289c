"""What time it is: the real time, or the school clock of a practice school.

The only module that looks at the computer's clock.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import Connection, select, update
from sqlalchemy.orm import Session
from whenever import Instant, OffsetDateTime, PlainDateTime

from patient_courier.core.calendar import calendar
from patient_courier.core.school.values import FIRST_YEAR, LAST_YEAR
from patient_courier.store.base.plain import CLOCK
from patient_courier.store.base.statements import Statement
from patient_courier.store.base.tables import ClockRow

_CLOCK = Statement(select(CLOCK.c.now, CLOCK.c.moving_to))


@dataclass(frozen=True, slots=True)
class SchoolClock:
    """Where a school's time stands; ``moving_to`` is set while a practice clock is on its way."""

    now: Instant
    practice: bool
    moving_to: Instant | None = None

    @property
    def horizon(self) -> Instant:
        """Up to when things may happen."""
        return self.moving_to or self.now


def real_now() -> Instant:
    """The real time."""
    return Instant.now()


def read_clock(session: Session | Connection) -> SchoolClock:
    """The school's time. A practice clock stands still until the owner moves it."""
    row = _CLOCK.first(session)
    if row is None:
        return SchoolClock(real_now(), practice=False)
    return SchoolClock(row.now, practice=True, moving_to=row.moving_to)


class ClockError(ValueError):
    """The clock can't be moved like that; the message says why."""


def move_clock(session: Session, to: Instant) -> None:
    """Send the practice clock on its way; what falls due until then happens in order."""
    clock = read_clock(session)
    if not clock.practice:
        raise ClockError("This school runs on real time, so its clock can't be moved.")
    if to < clock.horizon:
        raise ClockError("The school clock only moves forward. Choose a later moment.")
    session.execute(update(ClockRow).values(moving_to=to))


def read_target(text: str, zone: str) -> Instant:
    """A moment to move a clock to: with an offset or Z (RFC 3339), or without one as the wall clock of the zone.

    Raises ValueError for anything else, and for what lies beyond the years that can be kept.
    """
    try:
        found = calendar.resolve(PlainDateTime.parse_iso(text), zone)
    except ValueError:
        found = OffsetDateTime.parse_iso(text.upper().replace("Z", "+00:00")).to_instant()
    if not FIRST_YEAR <= found.to_stdlib().year <= LAST_YEAR:
        raise ValueError("too far away")
    return found


def set_clock(session: Session, now: Instant, *, arrived: bool) -> None:
    """Note how far the practice clock has come."""
    session.execute(update(ClockRow).values(now=now, **({"moving_to": None} if arrived else {})))
