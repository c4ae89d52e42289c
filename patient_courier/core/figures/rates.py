"""Rates with their likely range."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt
from statistics import median as middle

# The 97.5% point of the normal distribution: a range that holds in 95 of 100 cases.
_Z = 1.959963984540054
# Shares of fewer than so many are said to be small: common practice, no source.
SMALL = 30


@dataclass(frozen=True, slots=True)
class Rate:
    """``part`` of ``whole`` as a fraction, with the lower and upper end of its likely range."""

    part: int
    whole: int
    fraction: float
    low: float
    high: float

    @property
    def small(self) -> bool:
        """Whether it rests on so few that it says little."""
        return self.whole < SMALL


def rate(part: int, whole: int) -> Rate:
    """A rate with Wilson's score interval at 95% (E. B. Wilson, 1927), which also holds for few students."""
    if whole == 0:
        return Rate(0, 0, 0.0, 0.0, 0.0)
    p = part / whole
    spread = _Z * sqrt(p * (1 - p) / whole + _Z**2 / (4 * whole**2))
    centre, scale = p + _Z**2 / (2 * whole), 1 + _Z**2 / whole
    # The share itself is always inside; at 0 and 1 rounding would leave it out by a hair.
    return Rate(
        part,
        whole,
        p,
        max(0.0, min(p, (centre - spread) / scale)),
        min(1.0, max(p, (centre + spread) / scale)),
    )


def median(values: list[float]) -> float | None:
    """The middle value; None without any."""
    return middle(values) if values else None
