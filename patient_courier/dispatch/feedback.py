"""Feedback that students give: kept for the owner, and told to destinations."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.destinations.told import News, things
from patient_courier.core.engine.definitions import Definitions
from patient_courier.store.completion import feedback
from patient_courier.store.destinations.hearing import hearing, tell


def take_feedback(
    session: Session,
    definitions: Definitions,
    student: int,
    letter: str,
    course: str | None,
    answer: str,
    value: int | None,
    now: Instant,
    words: str | None = None,
) -> None:
    """Keep a student's rating, or the words beside it. ``words`` None: left as they are."""
    feedback.note(session, student, letter, course, answer, value, now, words)
    if who := hearing(session):
        ready = definitions.letters.get(letter)
        about: dict[str, Any] = {
            **things(definitions, {"course": course}),
            "letter": {"key": letter, "title": ready.letter.called if ready else letter},
            "feedback": {"answer": answer, "value": value, "words": words or ""},
        }
        courses = frozenset({course} if course else ())
        tell(session, who, [(student, News("feedback_given", now, courses, about))])
