"""Local time for the second engine: the standard library's zoneinfo and dateutil's relativedelta, nothing of ours.

Nominal lengths keep the wall clock and exact ones are exact (RFC 5545 section 3.3.6); a local time that does not exist
moves forward by the gap and an ambiguous one is the first (section 3.3.5), which is what ``fold=0`` does (PEP 495).
"""

from __future__ import annotations

import re
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from dateutil.relativedelta import relativedelta

DAYS = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
LENGTH = re.compile(r"P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?$")


def length(text: str) -> tuple[relativedelta, timedelta]:
    found = LENGTH.match(text)
    assert found, text
    years, months, weeks, days, hours, minutes, seconds = (int(part or 0) for part in found.groups())
    nominal = relativedelta(years=years, months=months, weeks=weeks, days=days)
    return nominal, timedelta(hours=hours, minutes=minutes, seconds=seconds)


def real(day: date, clock: time, zone: str) -> datetime:
    return datetime.combine(day, clock, ZoneInfo(zone)).astimezone(UTC)


def local(moment: datetime, zone: str) -> datetime:
    return moment.astimezone(ZoneInfo(zone))


def plus(moment: datetime, text: str | None, zone: str, sign: int = 1) -> datetime:
    if text is None:
        return moment
    nominal, exact = length(text)
    if nominal:
        there = local(moment, zone).replace(tzinfo=None) + (nominal if sign > 0 else -nominal)
        moment = real(there.date(), there.time(), zone)
    return moment + sign * exact


def wait_end(step: dict[str, Any], arrival: datetime, began: datetime, zone: str) -> datetime:
    base = began if step.get("since") == "start" else arrival
    text, at, days = step.get("for"), step.get("at"), step.get("days")
    end = plus(base, text, zone)
    wall = local(end, zone)
    day, clock = wall.date(), wall.time()
    if at:
        clock = time.fromisoformat(at)
        end_at = real(day, clock, zone)
        if (text and "T" in text and end_at < end) or (not (text and "T" in text) and end_at < arrival):
            day += timedelta(days=1)
        end = real(day, clock, zone)
    if days and DAYS[day.weekday()] not in days:
        while DAYS[day.weekday()] not in days:
            day += timedelta(days=1)
        end = real(day, clock, zone)
    return end


def is_open(hours: dict[str, Any], now: datetime, zone: str) -> bool:
    day = local(now, zone).date()
    opens, closes = (real(day, time.fromisoformat(hours[name]), zone) for name in ("from", "to"))
    return DAYS[day.weekday()] in hours.get("days", DAYS) and opens <= now < closes


def next_opening(hours: dict[str, Any], now: datetime, zone: str, later_date: bool) -> datetime:
    day = local(now, zone).date() + timedelta(days=1 if later_date else 0)
    while True:
        opens = real(day, time.fromisoformat(hours["from"]), zone)
        if DAYS[day.weekday()] in hours.get("days", DAYS) and opens > now:
            return opens
        day += timedelta(days=1)


def same_wall_tomorrow(now: datetime, zone: str) -> datetime:
    return plus(now, "P1D", zone)
