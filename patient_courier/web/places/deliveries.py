"""Dispatch log: every delivery, searchable; opened, the letter as sent and the reasons. And Needs you."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel
from sqlalchemy import Select, and_, func, or_, select, update
from sqlalchemy.orm import Session

from patient_courier.core import words
from patient_courier.core.definitions import Definitions, Plan
from patient_courier.core.fields import Source
from patient_courier.core.guards import blank_field, field_values, refusal, subject_line
from patient_courier.core.happening import Happening
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.values import moment_text
from patient_courier.core.story import story
from patient_courier.dispatch.outbox import render_delivery
from patient_courier.store.states import load_states
from patient_courier.store.tables import (
    DeliveryRow,
    EventRow,
    ProblemRow,
    RunRow,
    SequenceVersionRow,
    StudentRow,
)
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api", tags=["deliveries"])
PAGE = 50

STATUS_WORDS = {
    "queued": "going out",
    "posting": "going out",
    "sent": "sent",
    "skipped": "not posted",
    "held": "kept back",
    "stuck": "waits for you",
    "dropped": "not posted",
    "bounced": "came back",
    "unsure": "waits for you",
}


class DeliveryOut(BaseModel):
    """One line of the log. ``local`` is the student's time, ``school_time`` the school's."""

    id: int
    at: str
    local: str
    school_time: str
    student: str
    student_name: str
    email: str
    letter: str
    letter_name: str
    subject: str
    purpose: str
    sequence: str
    sequence_name: str
    step: str
    status: str
    status_words: str
    reason: str
    to: list[str] | None


class DeliveryPage(BaseModel):
    total: int
    items: list[DeliveryOut]


class DeliveryDetail(BaseModel):
    """A delivery with its story, and the letter as it was sent (or would have been)."""

    delivery: DeliveryOut
    story: list[str]
    html: str
    text: str


class NeedsYou(BaseModel):
    """Something that waits for the owner: a stuck letter (``delivery``) or an event that could not be read."""

    kind: Literal["delivery", "event", "circles"]
    id: int
    title: str
    sentence: str
    at: str
    student: str | None
    letter: str | None
    body: dict[str, Any] | None
    can_post: bool


class Settle(BaseModel):
    """What to do about it: ``post`` a stuck or unsure letter again, or put it aside as ``done``."""

    action: Literal["post", "done"]


def student_name(row: StudentRow) -> str:
    return " ".join(x for x in (row.first_name, row.last_name) if x) or row.email


def delivery_out(definitions: Definitions, row: DeliveryRow, student: StudentRow) -> DeliveryOut:
    zone = definitions.school.timezone
    letter = definitions.letters.get(row.letter)
    plan = definitions.sequences.get(row.sequence)
    return DeliveryOut(
        id=row.id,
        at=moment_text(row.at),
        local=words.moment(row.at, student.timezone or zone),
        school_time=words.moment(row.at, zone),
        student=student.key,
        student_name=student_name(student),
        email=student.email,
        letter=row.letter,
        letter_name=(letter.letter.name if letter else "") or row.letter,
        subject=row.subject,
        purpose=row.purpose,
        sequence=row.sequence,
        sequence_name=(plan.sequence.name if plan else "") or row.sequence,
        step=row.step,
        status=row.status,
        status_words=STATUS_WORDS[row.status],
        reason=words.reason(row.reason),
        to=row.recipients,
    )


@router.get("/deliveries")
def list_deliveries(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    q: str = "",
    status: Literal["", "sent", "skipped", "held", "waiting"] = "",
    sequence: str = "",
    student: str = "",
    page: int = Query(1, ge=1, le=100_000),
) -> DeliveryPage:
    """The log, newest first. ``q`` looks in names, addresses and subjects."""
    query = select(DeliveryRow, StudentRow).join(StudentRow, StudentRow.id == DeliveryRow.student_id)
    query = _filtered(query, q, status, sequence, student)
    total = (
        session.scalar(select(func.count()).select_from(query.with_only_columns(DeliveryRow.id).subquery()))
        or 0
    )
    rows = session.execute(
        query.order_by(DeliveryRow.at.desc(), DeliveryRow.id.desc()).limit(PAGE).offset((page - 1) * PAGE)
    )
    definitions = definitions_in(post, session)
    return DeliveryPage(total=total, items=[delivery_out(definitions, row, who) for row, who in rows])


def _filtered(query: Select[Any], q: str, status: str, sequence: str, student: str) -> Select[Any]:
    groups = {
        "sent": ("sent", "queued", "posting"),
        "skipped": ("skipped", "dropped"),
        "held": ("held",),
        "waiting": ("stuck", "unsure", "bounced"),
    }
    if status:
        query = query.where(DeliveryRow.status.in_(groups[status]))
    if sequence:
        query = query.where(DeliveryRow.sequence == sequence)
    if student:
        query = query.where(StudentRow.key == student)
    for word in q.split():
        name = func.coalesce(StudentRow.first_name, "") + " " + func.coalesce(StudentRow.last_name, "")
        found = [
            column.icontains(word, autoescape=True)
            for column in (name, StudentRow.email, DeliveryRow.subject)
        ]
        query = query.where(or_(*found))
    return query


@router.get("/deliveries/{id}")
def get_delivery(id: int, user: SignedIn, post: ThePost, session: Reading) -> DeliveryDetail:
    row = session.get(DeliveryRow, id)
    if row is None:
        raise HTTPException(404, "There is no such delivery.")
    definitions = definitions_in(post, session)
    student = session.get_one(StudentRow, row.student_id)
    rendered = render_delivery(session, definitions, row, post.signer)
    return DeliveryDetail(
        delivery=delivery_out(definitions, row, student),
        story=_story(session, definitions, row, student),
        html=rendered.html,
        text=rendered.text,
    )


def _story(session: Session, definitions: Definitions, row: DeliveryRow, student: StudentRow) -> list[str]:
    run = session.get_one(RunRow, row.run)
    numbers = {run.cause} | {entry[1] for entry in run.trail if entry[0] == "left"}
    events = {
        found.number: Happening(found.type, found.at, found.names)
        for found in session.scalars(select(EventRow).where(EventRow.number.in_(numbers)))
    }
    body = session.get_one(SequenceVersionRow, (run.sequence, run.version)).body
    return story(
        definitions,
        Plan(Sequence.model_validate(body), run.version),
        events.get(run.cause),
        run.trail[: row.story],
        events,
        started=run.started,
        zone=student.timezone or definitions.school.timezone,
        purpose=row.purpose,
        status=row.status,
        reason=row.reason,
        at=row.at,
        holds=row.holds,
    )


@router.get("/needs-you")
def needs_you(user: SignedIn, post: ThePost, session: Reading) -> list[NeedsYou]:
    """What waits for the owner, newest first."""
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    letters = session.execute(
        select(DeliveryRow, StudentRow)
        .join(StudentRow, StudentRow.id == DeliveryRow.student_id)
        .where(DeliveryRow.status.in_(("stuck", "unsure")), DeliveryRow.seen.is_(False))
        .order_by(DeliveryRow.at.desc())
        .limit(PAGE)
    )
    found = []
    for row, student in letters:
        line = delivery_out(definitions, row, student)
        found.append(
            NeedsYou(
                kind="delivery",
                id=row.id,
                title=f"“{line.letter_name}” to {line.student_name}",
                sentence=line.reason
                if row.status == "stuck"
                else f"It may or may not have arrived. {line.reason}",
                at=line.school_time,
                student=student.key,
                letter=row.letter,
                body=None,
                can_post=True,
            )
        )
    for problem in session.scalars(
        select(ProblemRow).where(ProblemRow.done.is_(False)).order_by(ProblemRow.id.desc()).limit(PAGE)
    ):
        event = problem.kind == "event"
        found.append(
            NeedsYou(
                kind="event" if event else "circles",
                id=problem.id,
                title="An event could not be used" if event else "A student goes in circles",
                sentence=problem.reason,
                at=words.moment(problem.at, zone),
                student=None,
                letter=None,
                body=problem.body if event else None,
                can_post=False,
            )
        )
    return found


@router.post("/needs-you/{kind}/{id}", status_code=204)
def settle(
    kind: Literal["delivery", "event", "circles"],
    id: int,
    body: Settle,
    user: SignedIn,
    post: ThePost,
    session: Writing,
) -> None:
    """Put something aside, or post a letter after all: with the student's values of now, at once."""
    if kind != "delivery":
        session.execute(update(ProblemRow).where(ProblemRow.id == id).values(done=True))
        return
    row = session.scalar(
        select(DeliveryRow).where(and_(DeliveryRow.id == id, DeliveryRow.status.in_(("stuck", "unsure"))))
    )
    if row is None:
        raise HTTPException(409, "This letter no longer waits for you.")
    if body.action == "done":
        row.seen = True
        return
    blank = _refill(session, definitions_in(post, session), row)
    if blank:
        raise HTTPException(
            409, f"{blank} Give the letter a fallback, or the student a value; then try again."
        )
    row.status, row.reason = "queued", None


def _refill(session: Session, definitions: Definitions, row: DeliveryRow) -> str | None:
    """Give a stuck letter its newest text and values; returns what is still blank, or what now stands against it."""
    state = load_states(session, [row.student_id], definitions)[row.student_id]
    run = next(run for run in state.runs if run.number == row.run)
    letter = definitions.letters[row.letter]
    values = field_values(letter, Source(definitions, state, run.subject, run.event_at))
    against = None if row.recipients else refusal(letter, state, run, row.at)
    stopped = against or blank_field(letter, values, state.zone)
    if stopped:
        return words.reason(stopped.reason)
    row.values, row.letter_version = values, letter.version
    row.subject = subject_line(letter, values, state.zone)
    return None
