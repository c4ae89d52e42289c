"""Figures of a course in words: the sentence before the picture."""

from __future__ import annotations

from collections.abc import Sequence

from patient_courier.core.figures.rates import SMALL
from patient_courier.core.figures.survival import Watched, at, curve, half
from patient_courier.core.telling.words import counted

HALF_A_YEAR = 182


def finishing_words(people: Sequence[Watched]) -> str:
    """“Half finish within 71 days; 38% have not after half a year.” Nothing is said of days that nobody was watched for."""
    if not people:
        return "Nobody has enrolled yet."
    steps, longest = curve(people), max(one.days for one in people)
    middle = half(steps)
    first = "Fewer than half finish so far" if middle is None else f"Half finish within {_days(middle)}"
    latest = at(steps, min(HALF_A_YEAR, longest))
    share = round(100 * (1 - (latest.share if latest else 0)))
    when = (
        "half a year"
        if longest >= HALF_A_YEAR
        else f"{_days(longest)}, the longest that anybody has been here"
    )
    small = f" They are only {len(people)}, so it says little." if len(people) < SMALL else ""
    return f"{first}; {share}% have not after {when}.{small}"


def _days(days: float) -> str:
    return counted(max(1, round(days)), "day")
