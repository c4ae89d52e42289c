"""A student's record in the owner's hands: added, edited, enrolments, consent with its log, everything as JSON, erasing."""

from __future__ import annotations

import json
from typing import Any, Literal

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field, field_validator

from patient_courier.core.school.courses import check_email
from patient_courier.core.school.events import Enrolled
from patient_courier.core.school.file import Student
from patient_courier.core.school.text import Line
from patient_courier.core.school.values import check_zone
from patient_courier.core.telling import words
from patient_courier.dispatch.by_hand import Act, do
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.dispatch.wishes import Silence, wish
from patient_courier.store.engine.loading import load_states
from patient_courier.store.school import erasing
from patient_courier.store.students import consents, people
from patient_courier.store.students.adding import add_student
from patient_courier.store.students.consents import Source
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.places.students.page import StudentOut, find_student, student_out
from patient_courier.web.refusals import attachment

router = APIRouter(prefix="/api/students", tags=["students"])
FieldValue = str | int | float | bool | None
MOST_FIELDS = 100


class StudentRecord(BaseModel):
    """What is written down of a student; who gave no time zone is taken to live in the school's."""

    email: str = Field(max_length=320)
    first_name: Line = Field("", max_length=200)
    last_name: Line = Field("", max_length=200)
    timezone: str | None = None

    @field_validator("email")
    @classmethod
    def _email(cls, value: str) -> str:
        return check_email(value.strip())

    @field_validator("timezone")
    @classmethod
    def _zone(cls, value: str | None) -> str | None:
        return check_zone(value) if value else None


class NewStudent(StudentRecord):
    """A student to add by hand."""

    news: bool = False


class StudentKey(BaseModel):
    key: str


class StudentEdit(StudentRecord):
    """A student's record with the school's own fields."""

    fields: dict[Line, FieldValue] = Field({}, max_length=MOST_FIELDS)


class ConsentIn(BaseModel):
    """News, or help letters for a course, stopped or resumed by hand; the note says why or on whose word."""

    what: Literal["news", "help"]
    on: bool
    course: str | None = None
    note: Line = Field("", max_length=500)


class ConsentOut(BaseModel):
    at: str
    words: str
    how: str
    by: str
    note: str


class EnrolIn(BaseModel):
    course: str = Field(max_length=200)
    preview: bool = False


class SequenceIn(BaseModel):
    sequence: str = Field(max_length=200)
    act: Literal["start", "stop"]


class EraseIn(BaseModel):
    """``sentence`` is “erase” and the student's address, typed by hand."""

    sentence: str = Field(max_length=400)


@router.post("", status_code=201)
def new_student(body: NewStudent, user: SignedIn, session: Writing) -> StudentKey:
    """Add a student by hand; that they want news is put in their consent log."""
    if people.by_address(session, body.email) is not None:
        raise HTTPException(
            409, "There is a student with this address already. Look for them by name or address."
        )
    key = people.free_key(session, body.email)
    student = Student(
        key=key,
        email=body.email,
        first_name=body.first_name.strip(),
        last_name=body.last_name.strip(),
        timezone=body.timezone,
        news=body.news,
    )
    add_student(session, student, now_in(session), Source("added by hand", user.name))
    return StudentKey(key=key)


@router.put("/{key}")
def edit(key: str, body: StudentEdit, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Change the record. A new address is taken to work until a letter comes back."""
    person = find_student(session, key)
    other = people.by_address(session, body.email)
    if other is not None and other.id != person.id:
        raise HTTPException(409, f"{other.name} has this address already.")
    values: dict[str, Any] = {
        "email": body.email,
        "first_name": body.first_name.strip() or None,
        "last_name": body.last_name.strip() or None,
        "timezone": body.timezone,
        "fields": {name: value for name, value in body.fields.items() if value not in (None, "")},
    }
    if body.email.lower() != person.email.lower():
        people.lift_bounce(session, person.id)
    people.change(session, person.id, **values)
    return _again(session, post, key)


def _again(session: Session, post: Post, key: str) -> StudentOut:
    session.flush()
    session.expire_all()
    return student_out(session, post, key)


@router.post("/{key}/consent")
def change_consent(key: str, body: ConsentIn, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Stop or resume news or course help for a student, with a note for the log."""
    person, definitions = find_student(session, key), definitions_in(post, session)
    course = None
    if body.what == "help":
        known_course(definitions, body.course or "")
        course = body.course
    source, now = Source("by hand", user.name, body.note), read_clock(session).now
    try:
        wish(session, definitions, person, course, body.on, now, source)
    except Silence as error:
        raise HTTPException(409, str(error)) from error
    return _again(session, post, key)


class NotedIn(BaseModel):
    on: bool


@router.put("/{key}/noted")
def note_openings(key: str, body: NotedIn, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Whether it may be noted which links a student opens, and their letters."""
    people.change(session, find_student(session, key).id, tracked=body.on)
    return _again(session, post, key)


@router.get("/{key}/consents")
def consent_log(key: str, user: SignedIn, post: ThePost, session: Reading) -> list[ConsentOut]:
    """What they agreed to or stopped, the newest first, in the school's time."""
    definitions = definitions_in(post, session)
    person = find_student(session, key)
    said = {
        "news_on": "wants news",
        "news_off": "stopped news",
        "help_on": "wants help with",
        "help_off": "stopped help with",
    }
    return [
        ConsentOut(
            at=words.moment(one.at, definitions.school.timezone),
            words=said[one.what]
            + (f" {words.title(definitions, 'course', one.course)}" if one.course else ""),
            how=one.how,
            by=one.by,
            note=one.note,
        )
        for one in consents.of_student(session, person.id)
    ]


@router.post("/{key}/enrolments")
def enrol(key: str, body: EnrolIn, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Enrol a student by hand, or let them look at a preview; sequences react as to any enrolment."""
    person, definitions = find_student(session, key), definitions_in(post, session)
    known_course(definitions, body.course)
    via = "preview" if body.preview else "manual"
    facts = load_states(session, [person.id], definitions)[person.id].facts
    if not facts.may_enrol(body.course, via):
        raise HTTPException(409, "This student is in the course already.")
    now = read_clock(session).now
    event = {"type": "enrolled", "student": key, "at": now, "course": body.course, "via": via}
    take_events(session, definitions, [Enrolled.model_validate(event)], now)
    return _again(session, post, key)


@router.delete("/{key}/enrolments/{course}")
def end_enrolment(key: str, course: str, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """End a student's access by hand; what they have learnt stays."""
    person, definitions = find_student(session, key), definitions_in(post, session)
    facts = load_states(session, [person.id], definitions)[person.id].facts
    if facts.status(course) not in ("active", "completed", "preview"):
        raise HTTPException(409, "This student is not in the course.")
    people.end_enrolment(session, person.id, course, read_clock(session).now)
    return _again(session, post, key)


@router.post("/{key}/sequences")
def start_or_stop(key: str, body: SequenceIn, user: SignedIn, post: ThePost, session: Writing) -> StudentOut:
    """Start a sequence for a student by hand, or stop it."""
    person, definitions = find_student(session, key), definitions_in(post, session)
    if body.sequence not in definitions.sequences:
        raise HTTPException(404, "There is no such sequence.")
    did = do(
        session, definitions, Act(body.act, body.sequence), [person.id], read_clock(session).now, user.name
    )
    if not did.students:
        why = (
            "It does not run, or says that this student may not come in."
            if body.act == "start"
            else "They are not inside."
        )
        raise HTTPException(409, why)
    return _again(session, post, key)


@router.get(
    "/{key}/everything", response_class=Response, responses={200: {"content": {"application/json": {}}}}
)
def everything(key: str, user: SignedIn, session: Reading) -> Response:
    """All that is kept about a student, as JSON."""
    person = find_student(session, key)
    text = json.dumps(erasing.everything(session, person.id), ensure_ascii=False, indent=1)
    headers = {"Content-Disposition": attachment(f"{key}.json")}
    return Response(text, media_type="application/json", headers=headers)


@router.post("/{key}/erase", status_code=204)
def erase(key: str, body: EraseIn, user: SignedIn, session: Writing) -> None:
    """Erase a student for good; counts without a person stay. 409 when the sentence is not typed as asked."""
    person = find_student(session, key)
    if body.sentence.strip().lower() != f"erase {person.email}".lower():
        raise HTTPException(409, f"Type “erase {person.email}” to erase this student for good.")
    erasing.erase(session, person.id)
