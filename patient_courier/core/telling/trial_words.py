"""Trials in words: what is tried, how long it takes, and what can be said of it."""

from __future__ import annotations

from fractions import Fraction
from math import ceil

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures.differences import FEWEST, Difference, Group, Verdict
from patient_courier.core.school.trials import Trial
from patient_courier.core.telling.story import matcher_words
from patient_courier.core.telling.words import counted, span

# Shares that one says with a small whole number.
_ONE_IN = (2, 3, 4, 5, 10, 20)
_DAYS_A_WEEK, _DAYS_A_MONTH, _DAYS_A_YEAR = 7, 30.4, 365


def one_in(percent: int) -> str:
    """``1 in 5`` for 20%, ``7 in 100`` for 7%."""
    exact = next((whole for whole in _ONE_IN if round(100 / whole) == percent), None)
    return f"1 in {exact}" if exact else f"{percent} in 100"


def held_back_words(percent: int) -> str:
    """What became of a run that a trial held back."""
    return f"Held back by lot, as {one_in(percent)} is."


def trial_words(definitions: Definitions, trial: Trial) -> str:
    """What is tried, as one sentence."""
    goal = matcher_words(definitions, trial.goal)
    return f"{one_in(trial.hold_back)} held back, to see whether a student has {goal} within {span(trial.within.value)}."


def points(share: float) -> int:
    """A difference of shares in whole points, never rounded to none."""
    return round(100 * share) or (1 if share > 0 else -1 if share < 0 else 0)


def answer_words(verdict: Verdict, always: Difference | None, written_to: Group, held_back: Group) -> str:
    """What can be said, however often one has looked; the sentence before the picture."""
    if verdict == "too_early" or always is None:
        fewest = min(written_to.students, held_back.students)
        if fewest >= FEWEST:
            return "Nothing can be said yet: nearly all reach it, or nearly none, so it takes more students."
        side = "held back" if held_back.students <= written_to.students else "written to"
        return (
            f"Nothing can be said yet: the time of {counted(fewest, 'student')} who {'was' if fewest == 1 else 'were'} "
            f"{side} is over, and it takes at least {FEWEST}."
        )
    low, high = points(always.low), points(always.high)
    if verdict == "helps":
        return f"It helps: by {low} to {high} points."
    if verdict == "harms":
        return f"It does harm: by {-high} to {-low} points."
    return f"No difference can be told so far: it lies between {_side(low)} and {_side(high)}."


def compared_words(what: str, verdict: Verdict, always: Difference | None, one: str, other: str) -> str:
    """Which of two letters is ``opened`` (or so) by more of those who get it, as far as that can be told at any look."""
    if verdict == "too_early" or always is None:
        return f"Which of them is {what} more, can't be said yet."
    low, high = points(always.low), points(always.high)
    if verdict == "not_told":
        return f"No difference can be told so far: “{one}” is {what} between {_side(low)} and {_side(high)} than “{other}”."
    more = one if verdict == "helps" else other
    least, most = sorted((abs(low), abs(high)))
    return f"“{more}” is {what} more: by {least} to {most} points."


def _side(points_: int) -> str:
    return "none" if points_ == 0 else f"{abs(points_)} points {'better' if points_ > 0 else 'worse'}"


def range_words(found: Difference) -> str:
    """A difference with its range: ``12 points, between 3 and 21``."""
    value, low, high = (
        str(round(100 * share)).replace("-", "−") for share in (found.value, found.low, found.high)
    )
    return f"{value} points, between {low} and {high}"


def how_long(weekly: Fraction, needed: int, within_days: float, hoped: int) -> str:
    """How long it takes until a difference of ``hoped`` points can be told; ``weekly`` students come in, ``needed`` it takes."""
    takes = f"To tell a difference of {counted(hoped, 'point')} takes about {rounded(needed)} students"
    if weekly == 0:
        return f"{takes}. In the last 90 days nobody has come in, so it can't be said how long that is."
    days = float(needed / weekly) * _DAYS_A_WEEK + within_days
    a_week = f"{round(weekly)} a week" if weekly >= 1 else f"{round(weekly * 4) or 1} in four weeks"
    return f"{takes}: with your {a_week}, {about(days)}. It can't be told sooner."


def rounded(number: int) -> int:
    """A number as one says it: two figures of it."""
    step: int = 10 ** max(0, len(str(number)) - 2)
    return ceil(number / step) * step


def about(days: float) -> str:
    """``about 3 weeks``, ``about 5 months``, ``about 4 years``."""
    for least, length, word in (
        (1.5 * _DAYS_A_YEAR, _DAYS_A_YEAR, "year"),
        (2 * _DAYS_A_MONTH, _DAYS_A_MONTH, "month"),
        (2 * _DAYS_A_WEEK, _DAYS_A_WEEK, "week"),
    ):
        if days >= least:
            return f"about {counted(round(days / length), word)}"
    return f"about {counted(max(1, round(days)), 'day')}"
