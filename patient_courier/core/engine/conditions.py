"""Conditions in memory, for one student."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.derive import quiz_passed
from patient_courier.core.engine.happening import Subject
from patient_courier.core.engine.state import StudentState
from patient_courier.core.school import conditions as c
from patient_courier.core.school.values import THIS, Span


@dataclass(frozen=True, slots=True)
class Asked:
    """Who is asked, about what, and when."""

    definitions: Definitions
    state: StudentState
    now: Instant
    subject: Subject | None = None

    def object(self, kind: str, key: str) -> str | None:
        """The object meant, with ``this`` settled; None when the run has no such object."""
        if key != THIS:
            return key
        return self.subject.get(kind) if self.subject else None

    def within(self, at: Instant, span: Span | None) -> bool:
        """Whether the time plus the span is not before now, in the student's calendar."""
        return span is None or calendar.add(at, span.value, self.state.zone) >= self.now


def holds(condition: c.Condition, asked: Asked) -> bool:
    """Whether the condition is true of the student now."""
    match condition:
        case c.All():
            return all(holds(part, asked) for part in condition.all)
        case c.Any_():
            return any(holds(part, asked) for part in condition.any)
        case c.Not():
            return not holds(condition.not_, asked)
        case c.IsEnrolled():
            return _enrolled(condition, asked)
        case c.IsCompleted():
            return _completed(condition, asked)
        case c.IsProgress():
            course = asked.object("course", condition.course)
            if course is None:
                return False
            low, high = condition.at_least or 0, 100 if condition.at_most is None else condition.at_most
            return low <= progress(asked.definitions, asked.state, course) <= high
        case c.IsQuiz():
            return _quiz(condition, asked)
        case c.IsBought():
            offer = None if condition.offer == "any" else asked.object("offer", condition.offer)
            if offer is None and condition.offer != "any":
                return False
            return any(asked.within(p.at, condition.within) for p in asked.state.facts.bought(offer))
        case c.IsTagged():
            return asked.object("tag", condition.tag) in asked.state.facts.tags
        case c.IsSequence():
            return _sequence(condition, asked)
        case c.IsLetter():
            return _letter(condition, asked)
        case c.IsInactive():
            return _inactive(condition, asked)
        case c.IsJoined():
            return _joined(condition, asked)
        case c.IsCertified():
            found = asked.state.facts.certificates.get(asked.object("course", condition.course) or "")
            return found is not None and found.issued is not None
        case c.IsNewsOn():
            return asked.state.facts.news
        case c.IsField():
            return field_fits(condition, asked.state.student.fields)
        case c.IsStudent():
            return asked.state.student.key in condition.keys
    raise TypeError(f"not a condition: {condition!r}")


def progress(definitions: Definitions, state: StudentState, course: str) -> int:
    """Percent of lessons completed and quizzes passed, rounded down; 0 for a course without any."""
    done = total = 0
    for module in definitions.courses[course].modules:
        lessons = definitions.lessons_in[f"{course}/{module.key}"]
        quizzes = definitions.quizzes_in[f"{course}/{module.key}"]
        total += len(lessons) + len(quizzes)
        done += len(state.facts.lessons.keys() & lessons)
        done += sum(quiz_passed(state.facts, quiz) for quiz in quizzes)
    return done * 100 // total if total else 0


def _enrolled(condition: c.IsEnrolled, asked: Asked) -> bool:
    facts = asked.state.facts
    wanted = condition.status or ["active", "completed"]
    if condition.course == "any":
        return any(facts.status(course) in wanted for course in facts.enrolments)
    course = asked.object("course", condition.course)
    return course is not None and facts.status(course) in wanted


def _completed(condition: c.IsCompleted, asked: Asked) -> bool:
    facts = asked.state.facts
    for kind, key, known in (
        ("course", condition.course, facts.courses),
        ("module", condition.module, facts.modules),
        ("lesson", condition.lesson, facts.lessons),
    ):
        if key is not None:
            return asked.object(kind, key) in known
    return False


def _quiz(condition: c.IsQuiz, asked: Asked) -> bool:
    quiz = asked.object("quiz", condition.quiz)
    if quiz is None:
        return False
    record = asked.state.facts.quizzes.get(quiz)
    if record is None:
        return condition.result == "not_taken"
    result = "passed" if record.passed else "failed"
    return condition.result == result and record.attempts >= condition.taken


def _sequence(condition: c.IsSequence, asked: Asked) -> bool:
    runs = asked.state.runs_of(condition.sequence)
    match condition.is_:
        case "inside":
            return any(run.is_open for run in runs)
        case "finished":
            return any(run.outcome == "finished" for run in runs)
        case "been_inside":
            return bool(runs)


def _letter(condition: c.IsLetter, asked: Asked) -> bool:
    facts = asked.state.facts
    match condition.is_:
        case "sent":
            return any(
                s.letter == condition.letter and asked.within(s.at, condition.within) for s in facts.sent
            )
        case "opened":
            at = facts.opened.get(condition.letter)
        case "clicked":
            at = facts.clicked.get(condition.letter)
    return at is not None and asked.within(at, condition.within)


def _inactive(condition: c.IsInactive, asked: Asked) -> bool:
    facts = asked.state.facts
    course = None if condition.course == "any" else asked.object("course", condition.course)
    if course is None and condition.course != "any":
        return False
    candidates = facts.enrolments if course is None else [course]
    return any(
        facts.status(key) == "active"
        and calendar.add(facts.last_seen(key), condition.for_.value, asked.state.zone) <= asked.now
        for key in candidates
    )


def _joined(condition: c.IsJoined, asked: Asked) -> bool:
    first = asked.state.facts.first_event
    if first is None:
        return False
    day = calendar.local_date(first, asked.state.zone)
    if condition.before is not None and day >= condition.before:
        return False
    return condition.after is None or day > condition.after


def field_fits(condition: c.IsField, fields: Mapping[str, object]) -> bool:
    """Whether a student's free fields are as the condition asks."""
    value = fields.get(condition.name)
    if condition.filled is not None:
        return (value is not None and value != "") == condition.filled
    if condition.contains is not None:
        return isinstance(value, str) and condition.contains in value
    # True and 1 are different answers, although Python takes them for equal.
    return value == condition.equals and isinstance(value, bool) == isinstance(condition.equals, bool)
