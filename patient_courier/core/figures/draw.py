"""By lot, and always the same: which side of a trial somebody is on, and which of two letters they get."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from fractions import Fraction
from itertools import accumulate

_SIDES = 2**64


def lot(*parts: str) -> Fraction:
    """A number from 0 up to, not including, 100: exactly the first 8 bytes of SHA-256 of the parts with / between.

    It depends on nothing else, so the same parts always draw the same, live, rehearsed and from a file.
    """
    digest = hashlib.sha256("/".join(parts).encode()).digest()
    return Fraction(int.from_bytes(digest[:8], "big") * 100, _SIDES)


def is_held_back(trial: str, student: str, hold_back: int) -> bool:
    """Whether a student (by their key) is among the ``hold_back`` percent of a trial (by its key) who get nothing."""
    return lot(trial, student) < hold_back


def drawn(shares: Sequence[int], *parts: str) -> int:
    """Which of some versions is drawn, by its place: the first whose shares (percent, 100 in all), added up, are above the lot."""
    here = lot(*parts)
    return next(place for place, upto in enumerate(accumulate(shares)) if here < upto)
