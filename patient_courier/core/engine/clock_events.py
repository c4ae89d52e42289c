"""Events that only time brings: unlocking, access ending, inactive, and the end of access."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening
from patient_courier.core.engine.state import StudentState

# Within one course and one instant.
_ORDER = {"unlocking": 0, "access_ending": 1, "inactive": 2, "expiry": 3}


@dataclass(frozen=True, slots=True)
class ClockEvent:
    """A moment that time brings to one enrolment; ``what`` is None for the end of access."""

    at: Instant
    course: str
    kind: str
    what: Happening | None


def clock_events(definitions: Definitions, state: StudentState) -> Iterator[ClockEvent]:
    """Every clock event of the student as things stand, past and to come, in no order."""
    for moment in _moments(definitions, state):
        yield _event(moment)


# When, in which course, of what kind; the span it is asked for with, and the module.
_Moment = tuple[Instant, str, str, Duration | None, str | None]


def _event(moment: _Moment) -> ClockEvent:
    at, course, kind, span, module = moment
    if span is None:
        return ClockEvent(at, course, kind, None)
    names = {"course": course, "span": span}
    return ClockEvent(at, course, kind, Happening(kind, at, {**names, "module": module} if module else names))


def _moments(definitions: Definitions, state: StudentState) -> Iterator[_Moment]:
    for course in state.facts.enrolments:
        if course in definitions.courses and state.facts.is_open(course):
            yield from _of_course(definitions, state, course)


def _of_course(definitions: Definitions, state: StudentState, course: str) -> Iterator[_Moment]:
    found, zone = definitions.courses[course], state.zone
    began = state.facts.enrolments[course].began
    ends = calendar.add(began, found.access.value, zone) if found.access else None
    for module, unlocks in definitions.unlocking_modules[course]:
        opens = calendar.add(began, unlocks, zone)
        for span in definitions.clock_spans("unlocking", course, module):
            at = calendar.subtract(opens, span, zone)
            if at > began:
                yield at, course, "unlocking", span, module
    if ends:
        for span in definitions.clock_spans("access_ending", course):
            at = calendar.subtract(ends, span, zone)
            if at > began:
                yield at, course, "access_ending", span, None
    if course not in state.facts.courses:
        seen = state.facts.last_seen(course)
        for span in definitions.clock_spans("inactive", course):
            at = calendar.add(seen, span, zone)
            if at > began:
                yield at, course, "inactive", span, None
    if ends and ends > began:
        yield ends, course, "expiry", None, None


def next_clock_event(definitions: Definitions, state: StudentState) -> Instant | None:
    """When time will next bring something to this student; None when nothing is to come."""
    done = state.clock_done
    return min((one[0] for one in _moments(definitions, state) if one[0] > done), default=None)


def due_clock_events(definitions: Definitions, state: StudentState, moment: Instant) -> list[ClockEvent]:
    """The clock events of a moment in order: by course, then unlocking, access ending, inactive, expiry."""
    found = [_event(one) for one in _moments(definitions, state) if one[0] == moment > state.clock_done]
    return sorted(found, key=lambda event: (definitions.course_order[event.course], _ORDER[event.kind]))


def still_due(definitions: Definitions, state: StudentState, entry: ClockEvent) -> bool:
    """Whether an earlier event of the same instant has left this one standing."""
    return any(event == entry for event in clock_events(definitions, state))
