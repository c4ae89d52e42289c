"""Waits against python-dateutil and the rules of RFC 5545 that they are built on.

Sources: RFC 5545 section 3.3.5 (a local time that does not exist takes the
offset before the gap; a doubled one is the first), section 3.3.6 (nominal
durations keep the wall clock, exact ones do not); python-dateutil's
``relativedelta``, ``tz.resolve_imaginary`` and ``fold``.
"""

from datetime import UTC, datetime, timedelta

from dateutil import tz
from dateutil.relativedelta import relativedelta
from hypothesis import given, settings
from hypothesis import strategies as st
from whenever import Instant, PlainDateTime, Time

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration

ZONES = [
    "Europe/Lisbon", "Europe/Berlin", "America/New_York", "America/Sao_Paulo", "Australia/Lord_Howe",
    "Pacific/Auckland", "Asia/Kolkata", "Africa/Casablanca", "America/St_Johns", "Asia/Tehran",
]  # fmt: skip
zones = st.sampled_from(ZONES)
# Years of ordinary instants, and many close to clock changes in spring and autumn.
instants = st.datetimes(datetime(2015, 1, 1), datetime(2029, 12, 31)).map(
    lambda d: d.replace(tzinfo=UTC, microsecond=0)
)
clocks = st.builds(lambda h, m: (h, m), st.sampled_from([0, 1, 2, 3, 9, 23]), st.sampled_from([0, 30, 59]))
RULES = settings(max_examples=400)


def resolve(wall: datetime, zone: str) -> datetime:
    """dateutil's answer for a wall time: the first of two, and past the gap by its length."""
    aware = tz.resolve_imaginary(wall.replace(tzinfo=tz.gettz(zone), fold=0))
    return aware.astimezone(UTC)


def ours(moment: datetime) -> Instant:
    return Instant.from_timestamp(int(moment.timestamp()))


def theirs(moment: Instant) -> datetime:
    return datetime.fromtimestamp(moment.timestamp(), UTC)


@RULES
@given(instants, zones, st.integers(0, 14), st.integers(0, 60), st.integers(0, 90_000))
def test_adding_a_duration(moment, zone, months, days, seconds):
    wall = moment.astimezone(tz.gettz(zone)).replace(tzinfo=None)
    expected = (
        resolve(wall + relativedelta(months=months) + timedelta(days=days), zone)
        if months or days
        else moment
    )
    expected += timedelta(seconds=seconds)
    found = calendar.add(ours(moment), Duration(months, days, seconds * 10**9), zone)
    assert theirs(found) == expected


@RULES
@given(instants, zones, st.integers(0, 20), clocks, st.sets(st.integers(0, 6), min_size=1))
def test_the_next_day_at_an_hour_on_certain_weekdays(moment, zone, days, clock, weekdays):
    wall = moment.astimezone(tz.gettz(zone)).replace(tzinfo=None)
    day = (wall + timedelta(days=days)).date()
    if days:
        day = resolve(wall + timedelta(days=days), zone).astimezone(tz.gettz(zone)).date()
    candidate = datetime(day.year, day.month, day.day, *clock)
    if resolve(candidate, zone) < moment:
        candidate += timedelta(days=1)
    while candidate.weekday() not in weekdays:
        candidate += timedelta(days=1)
    found = calendar.wait_until(
        ours(moment),
        ours(moment),
        zone,
        span=Duration(days=days),
        at=Time(*clock),
        days=[calendar.WEEKDAYS[number] for number in weekdays],
    )
    assert theirs(found) == resolve(candidate, zone)


@RULES
@given(instants, zones, st.integers(0, 200_000), clocks)
def test_with_a_time_part_the_first_such_hour_at_or_after(moment, zone, seconds, clock):
    ready = moment + timedelta(seconds=seconds)
    day = ready.astimezone(tz.gettz(zone)).date()
    candidate = datetime(day.year, day.month, day.day, *clock)
    if resolve(candidate, zone) < ready:
        candidate += timedelta(days=1)
    found = calendar.wait_until(
        ours(moment),
        ours(moment),
        zone,
        span=Duration(nanoseconds=seconds * 10**9),
        span_has_time=True,
        at=Time(*clock),
    )
    assert theirs(found) == resolve(candidate, zone)


def test_the_worked_examples_of_rfc_5545_for_times_that_are_missing_or_doubled():
    """Section 3.3.5: TZID=America/New_York:20070311T023000 is 3:30 EDT, 20071104T013000 is 1:30 EDT."""
    gap = calendar.resolve(PlainDateTime(2007, 3, 11, 2, 30), "America/New_York")
    assert gap == Instant.from_utc(2007, 3, 11, 7, 30)
    fold = calendar.resolve(PlainDateTime(2007, 11, 4, 1, 30), "America/New_York")
    assert fold == Instant.from_utc(2007, 11, 4, 5, 30)


def test_the_worked_example_of_rfc_5545_for_nominal_and_exact_days():
    """Section 3.3.6: over the change to summer time a day is 23 hours and PT24H is not a day."""
    eve = calendar.resolve(PlainDateTime(2026, 3, 28, 12), "Europe/Lisbon")
    day = calendar.add(eve, Duration.parse("P1D"), "Europe/Lisbon")
    assert (day - eve).total("hours") == 23
    assert (calendar.add(eve, Duration.parse("PT24H"), "Europe/Lisbon") - eve).total("hours") == 24


@RULES
@given(instants, zones, clocks, clocks)
def test_posting_hours_open_and_close_where_dateutil_says(moment, zone, start, end):
    if start >= end:
        start, end = (9, 0), (19, 0)
    hours = calendar.OpenHours(Time(*start), Time(*end), frozenset(calendar.WEEKDAYS), zone)
    day = moment.astimezone(tz.gettz(zone)).date()
    opens = resolve(datetime(day.year, day.month, day.day, *start), zone)
    closes = resolve(datetime(day.year, day.month, day.day, *end), zone)
    assert hours.is_open(ours(moment)) == (opens <= moment < closes)
    if not hours.is_open(ours(moment)):
        assert hours.is_open(hours.next_opening(ours(moment)))
