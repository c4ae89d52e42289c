"""What students think of a course: answers on a scale from 1 to 5, and words beside them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures.rates import Rate, rate
from patient_courier.core.school.letters import Letter

SCALE = (1, 2, 3, 4, 5)
# From here on a student is glad, and up to there something is wrong; common practice, no source.
GLAD, LOW = 4, 2


@dataclass(frozen=True, slots=True)
class Rating:
    """A student's newest answer to a letter's question; ``words`` is empty where they left none."""

    student: int
    letter: str
    course: str | None
    value: int
    at: Instant
    words: str = ""


@dataclass(frozen=True, slots=True)
class Feedback:
    """Figures of some ratings: how many of each value, the mean (one decimal), and how many were glad, with its range."""

    counts: list[int]
    mean: float | None
    glad: Rate


@dataclass(frozen=True, slots=True)
class Month:
    """The figures of one month of the school's calendar, ``2026-03``."""

    month: str
    feedback: Feedback


def scales(definitions: Definitions) -> dict[str, dict[str, int]]:
    """The letters that ask for a rating, with what each answer counts."""
    found = {key: scale(ready.letter) for key, ready in definitions.letters.items()}
    return {key: values for key, values in found.items() if values}


def scale(letter: Letter) -> dict[str, int]:
    """What each answer of a letter counts; empty for a letter that asks for no rating."""
    return {choice.key: choice.value for _, choice in letter.answers() if choice.value is not None}


def figures_of(ratings: Iterable[Rating]) -> Feedback:
    """How many of each value, from 1 to 5."""
    counted = Counter(one.value for one in ratings)
    total = counted.total()
    mean = round(sum(value * number for value, number in counted.items()) / total, 1) if total else None
    glad = sum(number for value, number in counted.items() if value >= GLAD)
    return Feedback([counted[value] for value in SCALE], mean, rate(glad, total))


def by_month(ratings: Iterable[Rating], zone: str) -> list[Month]:
    """The figures of each month in which somebody answered, the oldest first; ``zone`` is the school's."""
    months: dict[str, list[Rating]] = {}
    for one in sorted(ratings, key=lambda one: one.at):
        day = calendar.local_date(one.at, zone)
        months.setdefault(f"{day.year:04}-{day.month:02}", []).append(one)
    return [Month(month, figures_of(found)) for month, found in months.items()]
