"""What running a sequence would bring to those to whom its start has happened already: played ahead, posting nothing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.courses.course_line import hung, items
from patient_courier.core.courses.ruler import ruler
from patient_courier.core.engine.agenda import Agenda, Limits
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect, LetterDecided
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.happening import Happening, Subject
from patient_courier.core.engine.matching import matches
from patient_courier.core.engine.state import StudentState
from patient_courier.core.rehearsing.forecasting import FORECAST_IN_ALL, FORECAST_OF_A_RUN
from patient_courier.core.rehearsing.rehearsal import SHOWN
from patient_courier.core.school import sequences as s

# A letter that is kept back may wait for some days longer than the sequence lasts.
_DAYS_BEHIND, _MOST_DAYS = 8, 120


@dataclass(frozen=True, slots=True)
class First:
    """The first that a student would be sent by the sequence, or why not: ``sent``, ``skipped``, ``stuck``,
    ``held_back`` by the lot of a trial, or ``nothing``."""

    status: str
    reason: str | None = None
    letter: str = ""
    at: Instant | None = None


def stop_of(definitions: Definitions, sequence: str) -> tuple[str, str] | None:
    """The course and the lesson or quiz at which all its letters hang, when it is one."""
    found = {(course, one.stop) for course in definitions.courses for one in hung(definitions, course)
             if one.sequence == sequence}  # fmt: skip
    if len(found) != 1:
        return None
    course, stop = next(iter(found))
    return (course, stop) if stop in items(definitions.courses[course]) else None


def moved_on(sequence: s.Sequence, what: Happening, subject: Subject | None) -> bool:
    """Whether an event that came after the start would have carried a run past something, or out of it."""
    beyond = [step.reach for step in sequence.steps if isinstance(step, s.Waypoint)]
    return any(matches(matcher, what, subject) for matcher in [*beyond, *sequence.leaves])


def horizon(sequence: s.Sequence, now: Instant) -> Instant:
    """As far as its letters reach, and a little longer."""
    last = max((mark.last_day or mark.first_day for mark in ruler(sequence)), default=0)
    return now.add(hours=24 * min(last + _DAYS_BEHIND, _MOST_DAYS))


def play(
    definitions: Definitions,
    key: str,
    starts: Mapping[str, tuple[StudentState, Happening, int]],
    now: Instant,
) -> dict[str, First]:
    """Take these students in now, and play them on if they do nothing more: what each would be sent first.

    Uses up the states. The sequence must be running in these definitions.
    """
    found: dict[str, First] = {}

    def note(effect: Effect) -> None:
        if (
            isinstance(effect, LetterDecided)
            and effect.sequence == key
            and effect.to is None
            and effect.status in SHOWN
        ):
            first = First(effect.status, effect.reason, effect.letter, effect.at)
            found.setdefault(effect.student, first)

    held_back: set[str] = set()
    engine = Engine(definitions)
    agenda = Agenda(engine, note, now, Limits(FORECAST_OF_A_RUN, FORECAST_IN_ALL + 20 * len(starts)))
    for state, what, number in starts.values():
        for effect in engine.start_missed(state, key, what, number, now):
            note(effect)
        if any(
            run.sequence == key and run.outcome == "held_back" and run.cause == number for run in state.runs
        ):
            held_back.add(state.student.key)
        agenda.add_student(state)
    agenda.run_until(horizon(definitions.sequences[key].sequence, now))
    return {
        student: found.get(student, First("held_back" if student in held_back else "nothing"))
        for student in starts
    }
