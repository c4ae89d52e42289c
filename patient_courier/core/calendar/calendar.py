"""Waits, posting hours and local days: the only place where instants become local time.

Local times that a clock change removes move forward by the gap, doubled ones
are the first of the two (RFC 5545 section 3.3.5); nominal parts of a duration
keep the wall clock, exact parts do not (RFC 5545 section 3.3.6).
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from whenever import Date, Instant, PlainDateTime, Time, Weekday, ZonedDateTime

from patient_courier.core.calendar.duration import Duration

MIDNIGHT = Time(0)
MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_DAY = {weekday: WEEKDAYS[weekday.value - 1] for weekday in Weekday}


def resolve(local: PlainDateTime, zone: str) -> Instant:
    """The instant of a wall-clock time in a zone; gaps move forward, folds take the first."""
    return local.assume_tz(zone, disambiguation="compatible").to_instant()


def local(moment: Instant, zone: str) -> ZonedDateTime:
    """The moment on the wall clock of a zone."""
    return moment.to_tz(zone)


def local_date(moment: Instant, zone: str) -> Date:
    """The calendar day of the moment in a zone."""
    return moment.to_tz(zone).date()


def clock(hour: int, minute: int) -> Time:
    """A time of day."""
    return Time(hour, minute)


def days_between(first: Date, last: Date) -> int:
    """Whole days from one date to another."""
    return int((last.at(MIDNIGHT).assume_utc() - first.at(MIDNIGHT).assume_utc()).total("hours")) // 24


def weekday(day: Date) -> str:
    """``mon`` … ``sun``."""
    return _DAY[day.day_of_week()]


def add(moment: Instant, span: Duration, zone: str) -> Instant:
    """The moment after a span: calendar parts on the zone's wall clock first, exact parts then.

    Months are clamped to the month's last day.
    """
    if span.months or span.days:
        wall = moment.to_tz(zone)
        moment = resolve(wall.date().add(months=span.months, days=span.days).at(wall.time()), zone)
    return moment.add(nanoseconds=span.nanoseconds) if span.nanoseconds else moment


def subtract(moment: Instant, span: Duration, zone: str) -> Instant:
    """The moment a span earlier, by the same rule as :func:`add`."""
    if span.months or span.days:
        wall = moment.to_tz(zone)
        moment = resolve(wall.date().subtract(months=span.months, days=span.days).at(wall.time()), zone)
    return moment.subtract(nanoseconds=span.nanoseconds) if span.nanoseconds else moment


def first_at_or_after(moment: Instant, at: Time, zone: str) -> Date:
    """The first local date whose wall time ``at`` is not before the moment."""
    day = local_date(moment, zone)
    return day if resolve(day.at(at), zone) >= moment else day.add(days=1)


def wait_until(
    arrival: Instant,
    base: Instant,
    zone: str,
    *,
    span: Duration | None = None,
    span_has_time: bool = False,
    at: Time | None = None,
    days: Collection[str] = (),
) -> Instant:
    """When a wait ends.

    ``arrival`` is when the run came to the wait, ``base`` what ``for`` counts
    from. A result that is not after ``arrival`` means: go on at once.
    """
    moment = add(base, span, zone) if span else base
    if at is None and not days:
        return moment
    if at is None:
        wall = moment.to_tz(zone)
        day, clock = wall.date(), wall.time()
        if weekday(day) in days:
            return moment
    elif span_has_time:
        day, clock = first_at_or_after(moment, at, zone), at
    else:
        day, clock = local_date(moment, zone), at
        if resolve(day.at(clock), zone) < arrival:
            day = day.add(days=1)
    while days and weekday(day) not in days:
        day = day.add(days=1)
    return resolve(day.at(clock), zone)


def town(zone: str) -> str:
    """The town that a zone is named after."""
    return zone.rpartition("/")[2].replace("_", " ")


@dataclass(frozen=True, slots=True)
class OpenHours:
    """Posting hours with their zone settled: open from ``start`` up to, not including, ``end``."""

    start: Time
    end: Time
    days: frozenset[str]
    zone: str

    def is_open(self, moment: Instant) -> bool:
        day = local_date(moment, self.zone)
        if weekday(day) not in self.days:
            return False
        return resolve(day.at(self.start), self.zone) <= moment < resolve(day.at(self.end), self.zone)

    def next_opening(self, moment: Instant, *, not_before: Date | None = None) -> Instant:
        """The first opening at or after the moment, on ``not_before`` or a later local date."""
        for day in self._days_from(not_before or local_date(moment, self.zone)):
            opens = resolve(day.at(self.start), self.zone)
            # A clock change can swallow the whole interval: then it does not open that day.
            if opens >= moment and opens < resolve(day.at(self.end), self.zone):
                return opens
        raise ValueError("these posting hours never open")

    def _days_from(self, day: Date) -> Iterator[Date]:
        # Two weeks and a day: a day of the week comes twice, so one swallowed by a clock change is no end.
        for _ in range(15):
            if weekday(day) in self.days:
                yield day
            day = day.add(days=1)
