"""Ranges against statsmodels 0.15 (Wilson's score interval), the wave against zoneinfo (IANA time zone database)."""

from __future__ import annotations

from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st
from statsmodels.stats.proportion import proportion_confint
from whenever import Instant, PlainDateTime

from patient_courier.core.figures.rates import rate
from patient_courier.core.rehearsing.wave import wave
from patient_courier.core.school.broadcasts import Broadcast

NOW = Instant.from_utc(2026, 1, 1)
ZONES = {
    "Pacific/Kiritimati": 1, "Pacific/Auckland": 4, "Pacific/Chatham": 1, "Asia/Kathmandu": 2, "Europe/Lisbon": 30,
    "America/New_York": 14, "America/Sao_Paulo": 7, "Pacific/Honolulu": 2, "Pacific/Pago_Pago": 1,
}  # fmt: skip


@given(st.integers(1, 20_000).flatmap(lambda of: st.tuples(st.integers(0, of), st.just(of))))
def test_the_range_of_a_share_is_the_one_of_statsmodels(numbers):
    number, of = numbers
    low, high = proportion_confint(number, of, method="wilson")
    found = rate(number, of)
    assert found.low == pytest.approx(low, abs=1e-9) and found.high == pytest.approx(high, abs=1e-9)


def cast(at: str, **more) -> Broadcast:
    return Broadcast.model_validate({"key": "b", "letter": "l", "at": at, "zone": "student", **more})


# Ordinary days, and those on which clocks change in New York, Lisbon and Chatham (both ways).
@pytest.mark.parametrize(
    "day", ["2026-03-05", "2026-03-08", "2026-03-29", "2026-04-05", "2026-10-25", "2026-11-01"]
)
@pytest.mark.parametrize("hour", [1, 2, 3, 9, 23])
def test_each_crest_is_that_hour_on_the_wall_of_its_zones(day, hour):
    found = wave(cast(f"{day}T{hour:02d}:30:00"), ZONES, "Europe/Lisbon", NOW)
    assert sum(crest.students for crest in found.crests) == sum(ZONES.values())
    for crest in found.crests:
        for zone in crest.zones:
            wall = datetime.fromtimestamp(crest.at.timestamp(), UTC).astimezone(ZoneInfo(zone))
            wish = datetime.fromisoformat(f"{day}T{hour:02d}:30:00").replace(tzinfo=ZoneInfo(zone))
            there = wish.astimezone(UTC).astimezone(ZoneInfo(zone))
            # An hour that does not exist is moved by the gap (section 4); every other is met exactly.
            assert wall.replace(fold=0) == there.replace(fold=0)


def test_the_first_is_the_dateline_islands_and_the_last_the_other_side():
    found = wave(cast("2026-03-05T09:00:00"), ZONES, "Europe/Lisbon", NOW)
    assert found.crests[0].zones == ("Pacific/Kiritimati",) and found.crests[-1].zones == (
        "Pacific/Pago_Pago",
    )
    assert found.start == found.crests[0].at and found.late == 0


def test_whose_hour_is_past_when_it_is_scheduled_is_counted():
    now = PlainDateTime(2026, 3, 5, 8).assume_utc()
    found = wave(cast("2026-03-05T09:00:00"), ZONES, "Europe/Lisbon", now)
    late = [
        zone
        for zone in ZONES
        if datetime(2026, 3, 5, 9, tzinfo=ZoneInfo(zone)) < datetime(2026, 3, 5, 8, tzinfo=UTC)
    ]
    assert found.late == sum(ZONES[zone] for zone in late)


def test_a_pace_makes_the_last_leave_later():
    found = wave(cast("2026-03-05T09:00:00", zone="school"), ZONES, "Europe/Lisbon", NOW, pace=1)
    assert found.last is not None and (found.last - found.start).total("minutes") == sum(ZONES.values()) - 1
