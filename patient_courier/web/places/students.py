"""Students: the list, and one student's timeline of what they did, what we sent, and what not."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel, field_validator
from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core import calendar, words
from patient_courier.core.conditions import progress
from patient_courier.core.definitions import Definitions
from patient_courier.core.happening import Happening
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.file import Student
from patient_courier.core.school.values import check_zone, moment_text
from patient_courier.core.state import StudentState
from patient_courier.dispatch.receiving import free_key
from patient_courier.store.opening import add_student
from patient_courier.store.states import load_states
from patient_courier.store.tables import DeliveryRow, EnrolmentRow, EventRow, StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.deliveries import STATUS_WORDS, student_name

router = APIRouter(prefix="/api/students", tags=["students"])
PAGE = 50
# Said by another line of the timeline already.
_UNSAID = ("quiz_taken",)
Kind = Literal["did", "sent", "not_sent", "held"]
_KINDS: dict[str, Kind] = {"sent": "sent", "queued": "sent", "posting": "sent", "held": "held"}


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


class RunOut(BaseModel):
    """Where the student stands in a sequence; ``until`` in the student's time."""

    sequence: str
    name: str
    subject: str | None
    started: str
    outcome: str
    step: str | None
    until: str | None


class TimelineItem(BaseModel):
    """One line of a student's timeline, newest first; ``delivery`` opens the letter."""

    at: str
    day: str
    clock: str
    kind: Kind
    text: str
    detail: str
    delivery: int | None


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
    address_works: bool
    tags: list[str]
    fields: dict[str, str | int | float | bool | None]
    courses: list[CourseStanding]
    runs: list[RunOut]
    timeline: list[TimelineItem]


class NewStudent(BaseModel):
    """A student to add by hand; who gave no time zone is taken to live in the school's."""

    email: str
    first_name: str = ""
    last_name: str = ""
    timezone: str | None = None
    news: bool = False

    @field_validator("email")
    @classmethod
    def _email(cls, value: str) -> str:
        return check_email(value.strip())

    @field_validator("timezone")
    @classmethod
    def _zone(cls, value: str | None) -> str | None:
        return check_zone(value) if value else None


class StudentKey(BaseModel):
    key: str


@router.get("")
def list_students(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    q: str = "",
    course: str = "",
    page: int = Query(1, ge=1, le=100_000),
) -> StudentPage:
    """Students by name; ``q`` looks in names and addresses, ``course`` keeps those enrolled in it."""
    query = select(StudentRow)
    for word in q.split():
        name = func.coalesce(StudentRow.first_name, "") + " " + func.coalesce(StudentRow.last_name, "")
        query = query.where(
            or_(name.icontains(word, autoescape=True), StudentRow.email.icontains(word, autoescape=True))
        )
    if course:
        query = query.where(
            StudentRow.id.in_(select(EnrolmentRow.student_id).where(EnrolmentRow.course == course))
        )
    total = (
        session.scalar(select(func.count()).select_from(query.with_only_columns(StudentRow.id).subquery()))
        or 0
    )
    order = func.lower(func.coalesce(func.nullif(StudentRow.first_name, ""), StudentRow.email))
    rows = session.scalars(query.order_by(order, StudentRow.id).limit(PAGE).offset((page - 1) * PAGE)).all()
    definitions = definitions_in(post, session)
    states = load_states(session, [row.id for row in rows], definitions)
    return StudentPage(
        total=total, items=[_summary(session, definitions, row, states[row.id]) for row in rows]
    )


def _summary(
    session: Session, definitions: Definitions, row: StudentRow, state: StudentState
) -> StudentSummary:
    seen = max(state.facts.activity.values(), default=None)
    return StudentSummary(
        key=row.key,
        name=student_name(row),
        email=row.email,
        zone=state.zone,
        local_time=_clock_there(session, state.zone),
        courses=_standings(definitions, state),
        last_seen=words.day(calendar.local_date(seen, state.zone)) if seen else None,
        letters=len(state.facts.sent),
    )


def _clock_there(session: Session, zone: str) -> str:
    return words.moment(now_in(session), zone)


def _standings(definitions: Definitions, state: StudentState) -> list[CourseStanding]:
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
    if session.scalar(select(StudentRow.id).where(func.lower(StudentRow.email) == body.email.lower())):
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
    add_student(session, student)
    return StudentKey(key=key)


def find_student(session: Session, key: str) -> StudentRow:
    """The student with this key. 404 when there is none."""
    row = session.scalar(select(StudentRow).where(StudentRow.key == key))
    if row is None:
        raise HTTPException(404, "There is no such student.")
    return row


@router.get("/{key}")
def get_student(key: str, user: SignedIn, post: ThePost, session: Reading) -> StudentOut:
    definitions = definitions_in(post, session)
    row = find_student(session, key)
    state = load_states(session, [row.id], definitions)[row.id]
    return StudentOut(
        key=row.key,
        name=student_name(row),
        first_name=row.first_name,
        last_name=row.last_name,
        email=row.email,
        zone=state.zone,
        own_zone=row.timezone is not None,
        local_time=_clock_there(session, state.zone),
        news=row.news,
        address_works=not row.bounced,
        tags=list(state.facts.tags),
        fields=row.fields,
        courses=_standings(definitions, state),
        runs=_runs(definitions, state),
        timeline=_timeline(session, definitions, row, state.zone),
    )


def _runs(definitions: Definitions, state: StudentState) -> list[RunOut]:
    found = []
    for run in reversed(state.runs):
        plan = definitions.sequences[run.sequence]
        kind, key = (run.subject.kind, run.subject.key) if run.subject else (None, None)
        about = words.title(definitions, kind, key) if kind and kind != "tag" else key
        found.append(
            RunOut(
                sequence=run.sequence,
                name=plan.sequence.name or run.sequence,
                subject=about,
                started=words.moment(run.started, state.zone),
                outcome=run.outcome or "open",
                step=run.step,
                until=words.moment(run.due, state.zone) if run.due else None,
            )
        )
    return found


def _timeline(session: Session, definitions: Definitions, row: StudentRow, zone: str) -> list[TimelineItem]:
    found = []
    events = (
        select(EventRow)
        .where(EventRow.student_id == row.id, EventRow.type.not_in(_UNSAID))
        .order_by(EventRow.number)
    )
    for event in session.scalars(events):
        text = words.what_happened(definitions, Happening(event.type, event.at, event.names))
        if event.type in ("quiz_passed", "quiz_failed"):
            text += f" with {event.names['score']:g}%"
        found.append(
            (event.at, event.number, _item(event.at, zone, "did", text[0].upper() + text[1:], "", None))
        )
    for delivery in session.scalars(
        select(DeliveryRow).where(DeliveryRow.student_id == row.id).order_by(DeliveryRow.id)
    ):
        kind = _KINDS.get(delivery.status, "not_sent")
        detail = words.reason(delivery.reason) or STATUS_WORDS[delivery.status]
        plan = definitions.sequences.get(delivery.sequence)
        name = (plan.sequence.name if plan else "") or delivery.sequence
        detail = name if kind == "sent" else f"{detail} · {name}"
        # Behind what set it going at the same moment.
        found.append(
            (
                delivery.at,
                10**12 + delivery.id,
                _item(delivery.at, zone, kind, delivery.subject, detail, delivery.id),
            )
        )
    return [item for _, _, item in sorted(found, key=lambda entry: entry[:2], reverse=True)]


def _item(at: Instant, zone: str, kind: Kind, text: str, detail: str, delivery: int | None) -> TimelineItem:
    day, _, clock = words.moment(at, zone).partition(", ")
    return TimelineItem(
        at=moment_text(at), day=day, clock=clock, kind=kind, text=text, detail=detail, delivery=delivery
    )
