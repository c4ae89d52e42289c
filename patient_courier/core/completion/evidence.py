"""What speaks for a certificate, and against it: what was learnt, how the quizzes went, and in what time."""

from __future__ import annotations

from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState
from patient_courier.core.telling.words import span_of_minutes

# Who has gone through a course in less than this part of what its lessons last has not watched them: common practice, no source.
HURRIED = 0.5


@dataclass(frozen=True, slots=True)
class QuizTaken:
    title: str
    attempts: int
    score: float | None
    passed: bool


@dataclass(frozen=True, slots=True)
class Evidence:
    """Of one student in one course.

    ``progress`` in percent; ``began`` and ``ended`` are the first and the last lesson's completion; ``open_`` are titles of
    what is not done; ``hurried`` says so when it went faster than can be.
    """

    progress: int
    lessons_done: int
    lessons: int
    quizzes: tuple[QuizTaken, ...]
    began: Instant | None
    ended: Instant | None
    minutes: int
    open_: tuple[str, ...]
    hurried: str | None


def evidence(definitions: Definitions, state: StudentState, course: str) -> Evidence:
    """What is known of a student's way through a course."""
    facts = state.facts
    lessons = list(definitions.lessons_of(course))
    done = {key: facts.lessons[key] for key in lessons if key in facts.lessons}
    quizzes = [key for key in definitions.quizzes if key.partition("/")[0] == course]
    taken = []
    for key in quizzes:
        record = facts.quizzes.get(key)
        taken.append(
            QuizTaken(
                definitions.quizzes[key].title,
                record.attempts if record else 0,
                record.score if record else None,
                bool(record and record.passed),
            )
        )
    minutes = sum(definitions.lessons[key].minutes or 0 for key in done)
    began, ended = (min(done.values()), max(done.values())) if done else (None, None)
    return Evidence(
        progress=progress(definitions, state, course),
        lessons_done=len(done),
        lessons=len(lessons),
        quizzes=tuple(taken),
        began=began,
        ended=ended,
        minutes=minutes,
        open_=(
            *(definitions.lessons[key].title for key in lessons if key not in done),
            *(one.title for one in taken if not one.passed),
        ),
        hurried=_hurried(len(done), began, ended, minutes),
    )


def _hurried(done: int, began: Instant | None, ended: Instant | None, minutes: int) -> str | None:
    """The first lesson was watched before its completion, so that one lesson alone says nothing."""
    if began is None or ended is None or done < 2 or not minutes:
        return None
    took = (ended - began).total("minutes")
    if took >= HURRIED * minutes:
        return None
    return f"Finished {done} lessons in {span_of_minutes(took)}; they last {span_of_minutes(minutes)}."
