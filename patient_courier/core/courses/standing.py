"""Where a student stands in a course, and whether they have gone silent there."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field

from whenever import Instant

from patient_courier.core.courses.course_line import COMPLETED, ENROLLED, items
from patient_courier.core.school.courses import Course


@dataclass(slots=True)
class Standing:
    """A student in a course: when they enrolled, when they last did something there, what they have finished when.

    ``stop`` is where they stand now, by the course line; :func:`stand` says it.
    """

    student_id: int
    began: Instant
    seen: Instant
    finished: bool = False
    done: dict[str, Instant] = field(default_factory=dict)
    stop: str = ENROLLED


def stand(course: Course, people: Iterable[Standing]) -> None:
    """Put everyone at their stop.

    A student stands at the first thing that is open behind the furthest they
    have finished; at the enrolment, when they have done nothing yet.
    """
    order = items(course)
    place = {stop: index for index, stop in enumerate(order)}
    for one in people:
        furthest = max((place[stop] for stop in one.done if stop in place), default=-1)
        if one.finished:
            one.stop = COMPLETED
        elif furthest < 0 and one.seen <= one.began:
            one.stop = ENROLLED
        else:
            open_ones = [stop for stop in order[furthest + 1 :] if stop not in one.done]
            open_ones = open_ones or [stop for stop in order if stop not in one.done]
            one.stop = open_ones[0] if open_ones else COMPLETED


def is_silent(one: Standing, now: Instant, days: int) -> bool:
    """Whether a student who has not finished has done nothing in the course for that many days of 24 hours."""
    return not one.finished and one.seen.add(hours=24 * days) <= now


def silent_at(people: Iterable[Standing], now: Instant, days: int) -> Counter[str]:
    """How many have gone silent at each stop."""
    return Counter(one.stop for one in people if is_silent(one, now, days))
