"""Students: the list, and one student's timeline of what they did, what we sent, and what not."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field, field_validator
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.file import Student
from patient_courier.core.school.text import Line
from patient_courier.core.school.values import check_zone, moment_text
from patient_courier.core.telling import words
from patient_courier.core.telling.story import to_whom
from patient_courier.core.telling.timeline import UNSAID, Decided, TimelineItem, timeline
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.receiving import free_key
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.completion import certificates as prints
from patient_courier.store.completion import feedback
from patient_courier.store.engine.loading import load_states
from patient_courier.store.outbox import log, returns
from patient_courier.store.school.opening import add_student
from patient_courier.store.students import people
from patient_courier.store.students.consents import Source
from patient_courier.store.students.people import Person
from patient_courier.web.context import (
    PageNumber,
    Reading,
    Search,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)

router = APIRouter(prefix="/api/students", tags=["students"])


class CourseStanding(BaseModel):
    course: str
    title: str
    status: str
    progress: int


class StudentSummary(BaseModel):
    key: str
    name: str
    email: str
    zone: str
    local_time: str
    courses: list[CourseStanding]
    last_seen: str | None
    letters: int


class StudentPage(BaseModel):
    total: int
    items: list[StudentSummary]


class StudentRun(BaseModel):
    """Where the student stands in a sequence; ``started`` and ``until`` in the student's time, ``_at`` as RFC 3339."""

    sequence: str
    name: str
    subject: str | None
    started: str
    started_at: str
    outcome: str
    step: str | None
    until: str | None
    until_at: str | None


class ReturnOut(BaseModel):
    """A letter that came back, or a complaint: when, in words, and which delivery it was."""

    at: str
    kind: str
    words: str
    delivery: int


class CertificateShort(BaseModel):
    """A certificate of the student: its number, of which course, and whether it stands."""

    code: str
    course: str
    name: str
    revoked: bool


class WordsOut(BaseModel):
    """What the student answered to a question for feedback, and wrote beside it; ``value`` from 1 to 5."""

    letter: str
    letter_name: str
    course: str | None
    value: int | None
    words: str
    at: str


class StudentOut(BaseModel):
    key: str
    name: str
    first_name: str | None
    last_name: str | None
    email: str
    zone: str
    own_zone: bool
    local_time: str
    news: bool
    help_stopped: list[str]
    address_works: bool
    complained: bool
    returns: list[ReturnOut]
    certificates: list[CertificateShort]
    words: list[WordsOut]
    tracked: bool
    tags: list[str]
    fields: dict[str, str | int | float | bool | None]
    courses: list[CourseStanding]
    runs: list[StudentRun]
    timeline: list[TimelineItem]


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


@router.get("")
def list_students(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    q: Search = "",
    course: str = "",
    page: PageNumber = 1,
) -> StudentPage:
    """Students by name; ``q`` looks in names and addresses, ``course`` keeps those enrolled in it."""
    total, found = people.search(session, q, course, page)
    definitions = definitions_in(post, session)
    states = load_states(session, [person.id for person in found], definitions)
    now = now_in(session)
    return StudentPage(
        total=total, items=[_summary(definitions, person, states[person.id], now) for person in found]
    )


def _summary(definitions: Definitions, person: Person, state: StudentState, now: Instant) -> StudentSummary:
    seen = max(state.facts.activity.values(), default=None)
    return StudentSummary(
        key=person.key,
        name=person.name,
        email=person.email,
        zone=state.zone,
        local_time=words.moment(now, state.zone),
        courses=standings_of(definitions, state),
        last_seen=words.day(calendar.local_date(seen, state.zone)) if seen else None,
        letters=len(state.facts.sent),
    )


def standings_of(definitions: Definitions, state: StudentState) -> list[CourseStanding]:
    """Where a student stands in each of their courses."""
    return [
        CourseStanding(
            course=key,
            title=definitions.courses[key].title,
            status=state.facts.status(key) or "",
            progress=progress(definitions, state, key),
        )
        for key in state.facts.enrolments
        if key in definitions.courses
    ]


@router.post("", status_code=201)
def new_student(body: NewStudent, user: SignedIn, session: Writing) -> StudentKey:
    """Add a student by hand; that they want news is put in their consent log."""
    if people.by_address(session, body.email) is not None:
        raise HTTPException(
            409, "There is a student with this address already. Look for them by name or address."
        )
    key = free_key(session, body.email.partition("@")[0].lower())
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


def find_student(session: Session, key: str) -> Person:
    """The student with this key. 404 when there is none."""
    person = people.find(session, key)
    if person is None:
        raise HTTPException(404, "There is no such student.")
    return person


@router.get("/{key}")
def get_student(key: str, user: SignedIn, post: ThePost, session: Reading) -> StudentOut:
    return student_out(session, post, key)


def student_out(session: Session, post: Post, key: str) -> StudentOut:
    """A student with everything about them. 404 when there is none."""
    definitions = definitions_in(post, session)
    person = find_student(session, key)
    state = load_states(session, [person.id], definitions)[person.id]
    events = people.happened_to(session, person.id, without=UNSAID)
    names = broadcasts.names(session)
    letters = [
        Decided(
            x.id,
            x.at,
            x.status,
            x.reason,
            x.subject,
            x.sequence,
            names.get(x.broadcast or "", ""),
            to_whom(x.recipients),
            x.sent_by,
        )
        for x in log.of_student(session, person.id)
    ]
    return StudentOut(
        key=person.key,
        name=person.name,
        first_name=person.first_name,
        last_name=person.last_name,
        email=person.email,
        zone=state.zone,
        own_zone=person.timezone is not None,
        local_time=words.moment(now_in(session), state.zone),
        news=person.news,
        help_stopped=sorted(state.facts.help_stopped),
        address_works=not person.bounced,
        complained=state.facts.complained,
        returns=[
            ReturnOut(
                at=words.moment(one.at, definitions.school.timezone),
                kind=one.kind,
                words=f"{_RETURNED[one.kind]}{f': {one.said}' if one.said else ''}",
                delivery=one.delivery,
            )
            for one in returns.of_student(session, person.id)
        ],
        certificates=[
            CertificateShort(
                code=one.code,
                course=words.title(definitions, "course", one.course),
                name=one.name,
                revoked=one.revoked,
            )
            for one in prints.of_student(session, person.id)
        ],
        words=[
            WordsOut(
                letter=one.letter,
                letter_name=_letter_name(definitions, one.letter),
                course=words.title(definitions, "course", one.course) if one.course else None,
                value=one.value,
                words=one.words,
                at=words.moment(one.at, state.zone),
            )
            for one in feedback.of_student(session, person.id)
        ],
        tracked=people.is_tracked(session, person.id),
        tags=list(state.facts.tags),
        fields=person.fields,
        courses=standings_of(definitions, state),
        runs=_runs(definitions, state),
        timeline=timeline(definitions, events, letters, state.zone),
    )


_RETURNED = {
    "hard": "Came back for good",
    "soft": "Came back for now",
    "complaint": "Reported as unwanted",
}


def _letter_name(definitions: Definitions, key: str) -> str:
    found = definitions.letters.get(key)
    return (found.letter.name if found else "") or key


def _runs(definitions: Definitions, state: StudentState) -> list[StudentRun]:
    found = []
    for run in reversed(state.runs):
        plan = definitions.sequences[run.sequence]
        kind, key = (run.subject.kind, run.subject.key) if run.subject else (None, None)
        about = words.title(definitions, kind, key) if kind and kind != "tag" else key
        found.append(
            StudentRun(
                sequence=run.sequence,
                name=plan.sequence.name or run.sequence,
                subject=about,
                started=words.moment(run.started, state.zone),
                started_at=moment_text(run.started),
                outcome=run.outcome or "open",
                step=run.step,
                until=words.moment(run.due, state.zone) if run.due else None,
                until_at=moment_text(run.due) if run.due else None,
            )
        )
    return found
