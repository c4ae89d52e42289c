"""How sure a share is: the range it may lie in, for the small numbers of a small school."""

from __future__ import annotations

from dataclasses import dataclass
from math import sqrt
from statistics import NormalDist

# Shares of fewer than so many are said to be small: common practice, no source.
SMALL = 30


@dataclass(frozen=True, slots=True)
class Share:
    """``number`` out of ``of``; the true share lies between ``low`` and ``high`` (0 to 1) in 95 of 100 such cases."""

    number: int
    of: int
    share: float
    low: float
    high: float
    small: bool


def share(number: int, of: int) -> Share:
    """The share with its score interval (Wilson, 1927, Journal of the American Statistical Association 22, 209-212)."""
    if of == 0:
        return Share(0, 0, 0.0, 0.0, 1.0, True)
    z = NormalDist().inv_cdf(0.975)
    p = number / of
    middle = (p + z * z / (2 * of)) / (1 + z * z / of)
    half = z * sqrt(p * (1 - p) / of + z * z / (4 * of * of)) / (1 + z * z / of)
    low = 0.0 if number == 0 else max(0.0, middle - half)
    high = 1.0 if number == of else min(1.0, middle + half)
    return Share(number, of, p, low, high, of < SMALL)
