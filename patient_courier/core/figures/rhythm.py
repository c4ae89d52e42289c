"""How often something comes by its own habit, and whether its silence is more than chance."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

# Fewer days with something on them say nothing of a habit.
FEWEST_DAYS = 6
# A silence is said when it would come by chance less often than this.
UNLIKELY = 0.01


@dataclass(frozen=True, slots=True)
class Silence:
    """``days`` whole days without anything, where ``usual`` a day come on the days that have some (the median)."""

    days: int
    usual: int


def silence(counts: Sequence[int]) -> Silence | None:
    """Whether the latest days are unusually silent.

    ``counts`` are what came on each whole day, oldest first, the day in hand left out; None when nothing is to be said.
    A day stays empty with the share of days that were empty before the silence, one more day of each kind assumed so that
    none is certain (Laplace's rule of succession); days are taken as independent of each other.
    """
    last = max((place for place, count in enumerate(counts) if count), default=-1)
    first = next((place for place, count in enumerate(counts) if count), 0)
    days = len(counts) - 1 - last
    before = counts[first : last + 1]
    full = sorted(count for count in before if count)
    if days == 0 or len(full) < FEWEST_DAYS:
        return None
    empty = (len(before) - len(full) + 1) / (len(before) + 2)
    return Silence(days, full[len(full) // 2]) if empty**days < UNLIKELY else None
