"""How long until something happens, where for some it has not happened yet: the curve of E. L. Kaplan and P. Meier (1958)."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import groupby
from math import exp, log, sqrt
from typing import Final

_Z: Final = 1.959963984540054  # 97.5% point of the normal distribution


@dataclass(frozen=True, slots=True)
class Watched:
    """Somebody watched for so many days; ``happened``: at their end it happened, else they were watched no longer."""

    days: float
    happened: bool


@dataclass(frozen=True, slots=True)
class Step:
    """From this day on: the share (0 to 1) for whom it has happened by then, with its range, and how many were watched still."""

    day: float
    share: float
    low: float
    high: float
    watched: int


def curve(found: Iterable[Watched]) -> list[Step]:
    """The share for whom it has happened by each day on which it did, the earliest first.

    The range is M. Greenwood's (1926) on the scale of log(-log), which keeps it between 0 and 1
    (J. D. Kalbfleisch and R. L. Prentice, "The Statistical Analysis of Failure Time Data"). Who leaves on a day is watched that day.
    """
    ordered = sorted(found, key=lambda one: one.days)
    watched, left, spread = len(ordered), 1.0, 0.0
    steps: list[Step] = []
    for day, group in groupby(ordered, key=lambda one: one.days):
        happened = [one.happened for one in group]
        times = sum(happened)
        if times:
            left *= 1 - times / watched
            spread = spread + times / (watched * (watched - times)) if watched > times else spread
            low, high = _range(left, spread)
            steps.append(Step(day, 1 - left, low, high, watched))
        watched -= len(happened)
    return steps


def _range(left: float, spread: float) -> tuple[float, float]:
    """The range of the share for whom it has happened, from the share that is left and Greenwood's sum."""
    if left <= 0 or left >= 1:
        return 1 - left, 1 - left
    half = _Z * sqrt(spread) / abs(log(left))
    place = log(-log(left))
    return 1 - exp(-exp(place - half)), 1 - exp(-exp(place + half))


def at(steps: Sequence[Step], day: float) -> Step | None:
    """The step that holds on a day; None before the first."""
    found = None
    for step in steps:
        if step.day > day:
            break
        found = step
    return found


def half(steps: Iterable[Step]) -> float | None:
    """The day by which it has happened for half of them; None while it has not."""
    return next((step.day for step in steps if step.share >= 0.5 - 1e-12), None)
