"""How far apart two shares are: the range of their difference, for one look and for any number of looks; and how many it takes.

Written-to students are one group, held-back ones the other. Everything is a fraction from -1 to 1.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, log, sqrt
from typing import Final, Literal

from patient_courier.core.figures.rates import rate

_Z: Final = 1.959963984540054  # 97.5% point of the normal distribution
_Z_POWER: Final = 0.8416212335729143  # 80% point
# The range of every look rests on a limit for many students: it is made a little wider, and begins where both groups are large
# enough (also by the spread of their shares), so that it is wrong in under 5% for real numbers: found by simulation, no source.
ALPHA: Final = 0.04
FEWEST, FEWEST_SPREAD = 20, 5.0
# The size of two equal groups together for which it is made tightest; it holds for all others as well.
TIGHTEST: Final = 100
Verdict = Literal["too_early", "not_told", "helps", "harms"]


@dataclass(frozen=True, slots=True)
class Group:
    """``reached`` of ``students`` whose end has come."""

    reached: int
    students: int


@dataclass(frozen=True, slots=True)
class Difference:
    """Share of the first group less that of the second, with the lower and upper end of its range."""

    value: float
    low: float
    high: float


def difference(written_to: Group, held_back: Group) -> Difference | None:
    """The difference with its range at 95% for one look: R. G. Newcombe 1998, method 10 (from the two Wilson ranges).

    None while one of the groups has nobody in it.
    """
    if not written_to.students or not held_back.students:
        return None
    a, b = rate(written_to.reached, written_to.students), rate(held_back.reached, held_back.students)
    value = a.fraction - b.fraction
    low = value - sqrt((a.fraction - a.low) ** 2 + (b.high - b.fraction) ** 2)
    high = value + sqrt((a.high - a.fraction) ** 2 + (b.fraction - b.low) ** 2)
    return Difference(value, max(-1.0, low), min(1.0, high))


def at_every_look(written_to: Group, held_back: Group) -> Difference | None:
    """The difference with a range that holds at all looks together, however often one looks.

    An asymptotic confidence sequence: I. Waudby-Smith, D. Arbour, R. Sinha, E. H. Kennedy, A. Ramdas, "Time-uniform central
    limit theory and asymptotic confidence sequences" (Annals of Statistics, 2024), theorem 2.2, with H. Robbins' normal
    mixture made tightest for groups of TIGHTEST. The variance is that of A. Agresti and B. Caffo 2000 (one of each added),
    which keeps it off zero in small groups. None before enough of both groups have come to their end.
    """
    a, b = written_to.students, held_back.students
    if min(a, b) < FEWEST or min(a, b) * _spread(written_to, held_back) < FEWEST_SPREAD:
        return None
    value = written_to.reached / a - held_back.reached / b
    # Unequal groups tell as much as so many students in equal ones.
    mixed = 4 * a * b / (a + b) * _RHO_SQUARED
    wide = sqrt(2 * (mixed + 1) / mixed * log(sqrt(mixed + 1) / ALPHA))
    half = wide * sqrt(_variance(written_to) + _variance(held_back))
    return Difference(value, max(-1.0, value - half), min(1.0, value + half))


# The ratio that makes the mixture tightest at a chosen number (the same paper, appendix B.2).
_RHO_SQUARED: Final = (-2 * log(ALPHA) + log(-2 * log(ALPHA)) + 1) / TIGHTEST


@dataclass(frozen=True, slots=True)
class Look:
    """What could be said after so many days: the difference with the range of every look, after ``students`` in both groups."""

    day: float
    students: int
    found: Difference


def as_it_came(ended: Sequence[tuple[float, bool, bool]], most: int) -> list[Look]:
    """How the answer came, from the days at which students' time was over, in order, with whether they were held back and got
    there: at most ``most`` looks, the last of them after everybody."""
    groups = {False: Group(0, 0), True: Group(0, 0)}
    looks: list[Look] = []
    for number, (day, held_back, reached) in enumerate(ended, 1):
        was = groups[held_back]
        groups[held_back] = Group(was.reached + reached, was.students + 1)
        # Spread evenly over the students, since each of them says as much.
        if number == len(ended) or number * most // len(ended) > (number - 1) * most // len(ended):
            found = at_every_look(groups[False], groups[True])
            if found is not None:
                looks.append(Look(day, number, found))
    return looks


def _spread(written_to: Group, held_back: Group) -> float:
    """The variance of one student's result, both groups taken together."""
    share = (written_to.reached + held_back.reached + 1) / (written_to.students + held_back.students + 2)
    return share * (1 - share)


def _variance(group: Group) -> float:
    share = (group.reached + 1) / (group.students + 2)
    return share * (1 - share) / (group.students + 2)


def verdict(written_to: Group, held_back: Group) -> Verdict:
    """What can be said, at any look: that it helps or does harm only when no range of any look is likely to be wrong."""
    found = at_every_look(written_to, held_back)
    if found is None:
        return "too_early"
    return "helps" if found.low > 0 else "harms" if found.high < 0 else "not_told"


def students_needed(usual: float, hoped: float, hold_back: int) -> int:
    """How many students in all it takes to tell a difference of ``hoped`` from a ``usual`` share, with 80% certainty.

    ``hold_back`` percent of them are held back. Two-sided at 5%, two proportions, one look (J. L. Fleiss, "Statistical
    Methods for Rates and Proportions", without his correction). Raises ValueError for a share outside 0 to 1, or no difference.
    """
    other = usual + hoped
    if not 0 <= usual <= 1 or not 0 <= other <= 1 or hoped == 0:
        raise ValueError("A share lies between 0 and 100%, and a difference is not nought.")
    back = hold_back / 100
    mean = back * usual + (1 - back) * other
    none = sqrt(mean * (1 - mean) / (back * (1 - back)))
    some = sqrt(usual * (1 - usual) / back + other * (1 - other) / (1 - back))
    return ceil(((_Z * none + _Z_POWER * some) / hoped) ** 2)
