"""What a student wishes to get: news, and help with each course; stopped and resumed, each noted in their consent log."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import CourseEvent, Event, PlainEvent
from patient_courier.dispatch.taking import take_events
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import consents, people
from patient_courier.store.students.consents import Source
from patient_courier.store.students.people import Person


class Silence(ValueError):
    """The student has reported a letter as unwanted: nothing is resumed for them."""


def wish(
    session: Session,
    definitions: Definitions,
    student: Person,
    course: str | None,
    on: bool,
    now: Instant,
    source: Source,
) -> bool:
    """Stop or resume help with a course, or news where ``course`` is None; False when it stands so already.

    Stopping again is no event, however often a link is opened. Raises Silence.
    """
    facts = load_states(session, [student.id], definitions)[student.id].facts
    stands = facts.news if course is None else course not in facts.help_stopped
    if stands == on:
        return False
    if not on:
        take_events(session, definitions, [_stop(student.key, course, now)], now, source)
        return True
    if facts.complained:
        raise Silence("This student reported a letter as unwanted, so nothing but silence is right.")
    if course is None:
        people.resume_news(session, student.id)
    else:
        people.resume_help(session, student.id, course)
    consents.note(session, [student.id], "news_on" if course is None else "help_on", now, source, course)
    return True


def _stop(student: str, course: str | None, now: Instant) -> Event:
    body = {"student": student, "at": now}
    if course is None:
        return PlainEvent.model_validate({**body, "type": "news_stopped"})
    return CourseEvent.model_validate({**body, "type": "course_help_stopped", "course": course})
