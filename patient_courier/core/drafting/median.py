"""The median student of a course: when half of those who got there have finished each thing, and what is posted to them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter
from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration
from patient_courier.core.courses.course_line import items
from patient_courier.core.courses.standing import Standing
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import new_state
from patient_courier.core.figures import rates
from patient_courier.core.rehearsing.rehearsal import rehearse_moves
from patient_courier.core.school.courses import Course
from patient_courier.core.school.events import Event
from patient_courier.core.school.file import Student

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
NOON = calendar.clock(12, 0)
# How long after the last thing is finished letters are still looked for.
DAYS_AFTER = 21
MANY_A_DAY = 2


@dataclass(frozen=True, slots=True)
class PostedDay:
    day: int
    letters: list[str]
    crowded: bool


@dataclass(frozen=True, slots=True)
class MedianPost:
    """One student's post from start to finish on the median path, over all running sequences."""

    days: list[PostedDay]
    length: int
    letters: int


def step_times(people: list[Standing], course: Course) -> list[tuple[str, Duration]]:
    """The median path: for each lesson and quiz, the median of the days after enrolling at which it was finished.

    Never earlier than what comes before it. What nobody has finished follows a day later.
    """
    found: list[tuple[str, Duration]] = []
    last = 0.0
    for stop in items(course):
        days = [(one.done[stop] - one.began).total("hours") / 24 for one in people if stop in one.done]
        middle = rates.median(days)
        last = max(last + 0.02, middle if middle is not None else last + 1)
        found.append((stop, Duration(nanoseconds=int(last * 86_400) * 1_000_000_000)))
    return found


def median_post(definitions: Definitions, course: Course, people: list[Standing], first: Date) -> MedianPost:
    """Play the median student through all running sequences, from noon of the ``first`` day in the school's zone."""
    zone = definitions.school.timezone
    start = calendar.resolve(first.at(NOON), zone)
    body = {"key": "median", "email": "median@example.org", "first_name": "Robin", "news": True}
    state = new_state(Student.model_validate(body), definitions.school, 0)
    state.clock_done = start.subtract(nanoseconds=1)
    moves = _moves(definitions, course, people, start)
    last = max(at for at, _ in moves)
    events = [_EVENT.validate_python({**move, "student": "median", "at": at}) for at, move in moves]
    outcome = rehearse_moves(definitions, state, events, last.add(hours=24 * DAYS_AFTER))
    days: dict[int, list[str]] = {}
    for letter in outcome.letters:
        if letter.status == "sent" and letter.to is None:
            day = calendar.days_between(first, calendar.local_date(letter.at, zone))
            days.setdefault(day, []).append(definitions.letters[letter.letter].letter.called)
    most = min(definitions.school.daily_limit or MANY_A_DAY, MANY_A_DAY)
    return MedianPost(
        days=[PostedDay(day, found, len(found) > most) for day, found in sorted(days.items())],
        length=calendar.days_between(first, calendar.local_date(last, zone)),
        letters=sum(map(len, days.values())),
    )


def _moves(
    definitions: Definitions, course: Course, people: list[Standing], start: Instant
) -> list[tuple[Instant, dict[str, Any]]]:
    zone = definitions.school.timezone
    offer = next((o.key for o in definitions.offers.values() if o.courses == [course.key]), None)
    enrolled = {"type": "enrolled", "course": course.key, "via": "manual"}
    begun: dict[str, Any] = {"type": "purchased", "offer": offer} if offer else enrolled
    found = [(start, begun)]
    for stop, length in step_times(people, course):
        at = calendar.add(start, length, zone)
        if stop.startswith("quiz:"):
            found.append((at, {"type": "quiz_taken", "quiz": stop.removeprefix("quiz:"), "score": 100}))
        else:
            found.append((at.subtract(minutes=10), {"type": "lesson_started", "lesson": stop}))
            found.append((at, {"type": "lesson_completed", "lesson": stop}))
    return found
