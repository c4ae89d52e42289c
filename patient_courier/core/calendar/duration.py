"""ISO 8601 durations as values, split the way RFC 5545 section 3.3.6 uses them.

Months, weeks and days are *nominal* (calendar days in some zone); hours,
minutes and seconds are *exact*.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from decimal import Decimal
from functools import cache

_PATTERN = re.compile(
    r"P(?:(?P<years>\d+)Y)?(?:(?P<months>\d+)M)?(?:(?P<weeks>\d+)W)?(?:(?P<days>\d+)D)?"
    r"(?P<time>T(?:(?P<hours>\d+)H)?(?:(?P<minutes>\d+)M)?(?:(?P<seconds>\d+(?:[.,]\d{1,9})?)S)?)?"
)
# Wide enough for any course, small enough that no sum leaves the calendar.
LONGEST_YEARS = 100


@dataclass(frozen=True, slots=True)
class Duration:
    """A span of months and days (calendar, nominal) and nanoseconds (exact).

    Two durations are equal when these values are: ``P1W`` is ``P7D``, but
    ``PT24H`` is not ``P1D``.
    """

    months: int = 0
    days: int = 0
    nanoseconds: int = 0

    @classmethod
    def parse(cls, text: str) -> Duration:
        """Read an ISO 8601 duration such as ``P1DT2H`` or ``P2W``.

        Raises ValueError with a sentence for the creator.
        """
        return _parse(text)

    def __str__(self) -> str:
        date = (f"{self.months}M" if self.months else "") + (f"{self.days}D" if self.days else "")
        seconds, rest = divmod(self.nanoseconds, 1_000_000_000)
        hours, seconds = divmod(seconds, 3600)
        minutes, seconds = divmod(seconds, 60)
        fraction = f".{rest:09d}".rstrip("0") if rest else ""
        time = (f"{hours}H" if hours else "") + (f"{minutes}M" if minutes else "")
        time += f"{seconds}{fraction}S" if seconds or rest else ""
        if not date and not time:
            return "PT0S"
        return f"P{date}" + (f"T{time}" if time else "")

    @property
    def is_zero(self) -> bool:
        return not (self.months or self.days or self.nanoseconds)


@cache
def _parse(text: str) -> Duration:
    match = _PATTERN.fullmatch(text)
    if match is None or text == "P" or match["time"] == "T":
        raise ValueError(
            f"“{text}” is not a length of time; write for example P1D (a day), PT30M (30 minutes) or P1DT2H"
        )
    whole = {
        name: int(value or 0) for name, value in match.groupdict().items() if name not in ("time", "seconds")
    }
    seconds = Decimal((match["seconds"] or "0").replace(",", "."))
    found = Duration(
        months=whole["years"] * 12 + whole["months"],
        days=whole["weeks"] * 7 + whole["days"],
        nanoseconds=int((whole["hours"] * 3600 + whole["minutes"] * 60 + seconds) * 1_000_000_000),
    )
    days = found.months * 31 + found.days + found.nanoseconds // (86_400 * 1_000_000_000)
    if days > LONGEST_YEARS * 366:
        raise ValueError(f"“{text}” is longer than {LONGEST_YEARS} years")
    return found


def has_time_part(text: str) -> bool:
    """Whether an ISO 8601 duration names hours, minutes or seconds (``PT0S`` does)."""
    return "T" in text
