"""What the owner does to one student: tags, an approved certificate, an address that works after all."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.facts import Certificate
from patient_courier.core.school.events import CourseEvent, Event, TagEvent
from patient_courier.core.school.values import TagName
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import people
from patient_courier.web.context import Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.places.students.page import StudentOut, find_student, student_out

router = APIRouter(prefix="/api/students", tags=["students"])


class TagChanges(BaseModel):
    """Tags to put on and to take off; those that are there already, or are not, change nothing."""

    add: list[TagName] = Field([], max_length=100)
    remove: list[TagName] = Field([], max_length=100)


@router.post("/{key}/tags")
def change_tags(key: str, body: TagChanges, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Tag a student by hand; sequences react as to any tag."""
    find_student(session, key)
    now = read_clock(session).now
    changes = [("tag_added", tag) for tag in body.add] + [("tag_removed", tag) for tag in body.remove]
    events: list[Event] = [
        TagEvent.model_validate({"type": type, "student": key, "at": now, "tag": tag})
        for type, tag in changes
    ]
    return _take(session, post, key, events)


@router.post("/{key}/certificates/{course}/approve")
def approve_certificate(key: str, course: str, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Approve a certificate that was requested; it is issued at once."""
    found = _certificate(session, post, key, course)
    if found is None or found.requested is None:
        raise HTTPException(409, "This student has not asked for a certificate of this course.")
    if found.issued is not None:
        raise HTTPException(409, "This student has the certificate already.")
    return _report(session, post, key, "certificate_approved", course)


@router.post("/{key}/certificates/{course}/revoke")
def revoke_certificate(key: str, course: str, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Take an issued certificate back; what was requested before is void with it."""
    found = _certificate(session, post, key, course)
    if found is None or found.issued is None:
        raise HTTPException(409, "This student has no certificate of this course.")
    return _report(session, post, key, "certificate_revoked", course)


@router.post("/{key}/address-works")
def address_works(key: str, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Lift a bounce: the owner knows that letters arrive there."""
    people.lift_bounce(session, find_student(session, key).id)
    session.expire_all()
    return student_out(session, post, key)


def _certificate(session: Session, post: Post, key: str, course: str) -> Certificate | None:
    """What is known of a student's certificate of a course. 404 when there is no such student or course."""
    person = find_student(session, key)
    definitions = definitions_in(post, session)
    known_course(definitions, course)
    return load_states(session, [person.id], definitions)[person.id].facts.certificates.get(course)


def _report(session: Session, post: Post, key: str, type: str, course: str) -> StudentOut:
    body = {"type": type, "student": key, "at": read_clock(session).now, "course": course}
    return _take(session, post, key, [CourseEvent.model_validate(body)])


def _take(session: Session, post: Post, key: str, events: list[Event]) -> StudentOut:
    take_events(session, definitions_in(post, session), events, read_clock(session).now)
    session.expire_all()
    return student_out(session, post, key)
