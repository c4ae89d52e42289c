"""The day ruler: on which elapsed day, and at what hour, each step of a sequence comes.

Computed by sending two imaginary students through the plan, the quickest and
the slowest; where they differ, the ruler shows a range.
"""

from __future__ import annotations

from dataclasses import dataclass

from whenever import Instant, PlainDateTime

from patient_courier.core.calendar import calendar
from patient_courier.core.calendar.duration import Duration
from patient_courier.core.school import sequences as s
from patient_courier.core.telling import words

# A Monday at noon, far from clock changes: an ordinary hour for an event.
_START = PlainDateTime(2026, 1, 5, 12)
_ZONE = "UTC"


@dataclass(frozen=True, slots=True)
class Mark:
    """Where a step stands: elapsed days from the start, earliest and latest (None: no end), and the hour in words."""

    step: str
    first_day: int
    last_day: int | None
    label: str
    detail: str

    @property
    def said(self) -> str:
        """``day 3, 10:00``; of the first day only the hour."""
        there = self.last_day or self.last_day is None
        return f"{self.label.lower()}, {self.detail}" if there else self.detail


@dataclass(frozen=True, slots=True)
class Front:
    """How far the quickest and the slowest have come."""

    early: Instant
    late: Instant | None
    detail: str = "at once"


def first_front() -> Front:
    """Where everybody begins: an ordinary Monday at noon."""
    start = calendar.resolve(_START, _ZONE)
    return Front(start, start)


def days_between(start: Front, front: Front) -> int:
    """Elapsed days from the start to where the quickest have come."""
    return _days(start.early, front.early)


def later(front: Front, length: Duration) -> Front:
    """Where the quickest and the slowest have come after a length of time."""
    late = calendar.add(front.late, length, _ZONE) if front.late else None
    return Front(calendar.add(front.early, length, _ZONE), late, f"after {words.span(length)}")


def ruler(sequence: s.Sequence) -> list[Mark]:
    """A mark for every step that time can bring a student to, nested ones included, in reading order.

    None for what stands behind a wait without an end, for when that has passed.
    """
    return marks_of(sequence.steps)


def marks_of(steps: list[s.Step]) -> list[Mark]:
    """The same for steps that begin at a moment of their own, such as an event that a run waited for."""
    start = calendar.resolve(_START, _ZONE)
    marks: list[Mark] = []
    _walk(steps, Front(start, start), start, marks)
    return marks


def _walk(steps: list[s.Step], front: Front, start: Instant, marks: list[Mark]) -> Front:
    for step in steps:
        marks.append(_mark(step.id, front, start))
        front = _after(step, front, start, marks)
    return front


def _mark(step: str, front: Front, start: Instant) -> Mark:
    first = _days(start, front.early)
    last = None if front.late is None else _days(start, front.late)
    if last is None:
        label = f"Day {first} or later"
    elif last == first:
        label = f"Day {first}"
    else:
        label = f"Days {first}–{last}"
    return Mark(step, first, last, label, front.detail)


def _days(start: Instant, moment: Instant) -> int:
    return calendar.days_between(calendar.local_date(start, _ZONE), calendar.local_date(moment, _ZONE))


def _after(step: s.Step, front: Front, start: Instant, marks: list[Mark]) -> Front:
    match step:
        case s.Wait():
            return after_wait(step, front, start)
        case s.WaitFor():
            then = _walk(step.then, front, start, marks)
            if step.within is None:
                late = Front(front.early, None, "when it happens")
                return _join([Front(then.early, None, then.detail), late])
            waited = later(front, step.within.value)
            passed = waited.late
            other = _walk(step.else_, waited, start, marks)
            return _join(
                [Front(then.early, passed and max(passed, then.late or passed), "when it happens"), other]
            )
        case s.Branch():
            ways = [_walk(arm.steps, front, start, marks) for arm in step.arms]
            return _join([*ways, _walk(step.otherwise, front, start, marks)])
        case s.Waypoint():
            return (
                Front(start, None, "when it happens") if step.hold else Front(start, front.late, front.detail)
            )
        case s.Repeat():
            once = _walk(step.steps, front, start, marks)
            return Front(once.early, None if step.times is None else once.late, once.detail)
        case s.Dated():
            inside = _walk(step.steps, Front(front.early, None, words.day(step.at.date())), start, marks)
            return Front(front.early, None, inside.detail)
        case (
            s.Send()
            | s.TagStep()
            | s.StartSequence()
            | s.StopSequence()
            | s.Tell()
            | s.CertificateStep()
            | s.Call()
            | s.End()
        ):
            return front


def after_wait(step: s.Wait, front: Front, start: Instant) -> Front:
    def end(moment: Instant) -> Instant:
        until = calendar.wait_until(
            moment,
            start if step.since == "start" else moment,
            _ZONE,
            span=step.for_.value if step.for_ else None,
            span_has_time=step.for_ is not None and step.for_.has_time,
            at=step.at,
            days=step.days or (),
        )
        return max(until, moment)

    if step.at is not None:
        detail = f"{step.at.hour:02d}:{step.at.minute:02d}"
    elif step.for_ is not None:
        detail = f"+ {words.span(step.for_.value)}"
    else:
        detail = front.detail
    return Front(end(front.early), end(front.late) if front.late else None, detail)


def _join(ways: list[Front]) -> Front:
    early = min(way.early for way in ways)
    lates = [way.late for way in ways]
    late = None if any(x is None for x in lates) else max(x for x in lates if x is not None)
    details = {way.detail for way in ways}
    return Front(early, late, details.pop() if len(details) == 1 else "")
