"""The dispatch log: every delivery, searched and opened, and what its story is worded from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session
from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening
from patient_courier.core.engine.plan import Plan
from patient_courier.core.school.sequences import Sequence
from patient_courier.store.base.definitions import letter_version
from patient_courier.store.base.tables import (
    POSTED,
    DeliveryRow,
    EventRow,
    RunRow,
    SequenceVersionRow,
    StudentRow,
)
from patient_courier.store.students.people import PAGE, Person, person_of, with_words

GROUPS = {
    "sent": ("sent",),
    "skipped": ("skipped", "dropped"),
    "held": ("held",),
    "going": ("queued", "posting"),
    "waiting": ("stuck", "unsure", "bounced"),
}


@dataclass(frozen=True, slots=True)
class Logged:
    """A delivery as the log has it."""

    id: int
    student_id: int
    run: int
    step: str
    sequence: str
    broadcast: str | None
    course: str | None
    letter: str
    letter_version: int
    purpose: str
    status: str
    reason: str | None
    subject: str
    at: Instant
    recipients: list[str] | None
    holds: list[Any]
    values: dict[str, Any]
    story: int
    again_of: int | None
    sent_by: str | None


@dataclass(frozen=True, slots=True)
class Told:
    """What a delivery's story is worded from: its run's sequence, trail and beginning, and the events it names."""

    plan: Plan
    cause: int
    started: Instant
    trail: list[Any]
    events: dict[int, Happening]


def logged(row: DeliveryRow) -> Logged:
    """A row as an entry of the log."""
    return Logged(**{name: getattr(row, name) for name in Logged.__slots__})


def _with_students() -> Select[DeliveryRow, StudentRow]:
    return select(DeliveryRow, StudentRow).join(StudentRow, StudentRow.id == DeliveryRow.student_id)


def search(
    session: Session, *, words: str, status: str, sequence: str, broadcast: str, student: str, page: int
) -> tuple[int, list[tuple[Logged, Person]]]:
    """A page of the log, the newest first, and how many entries there are. ``status`` is one of GROUPS, or empty."""
    query = _with_students()
    if status:
        query = query.where(DeliveryRow.status.in_(GROUPS[status]))
    if sequence:
        query = query.where(DeliveryRow.sequence == sequence)
    if broadcast:
        query = query.where(DeliveryRow.broadcast == broadcast)
    if student:
        query = query.where(StudentRow.key == student)
    query = with_words(query, words, DeliveryRow.subject)
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(DeliveryRow.id).subquery())
    )
    rows = session.execute(
        query.order_by(DeliveryRow.at.desc(), DeliveryRow.id.desc()).limit(PAGE).offset((page - 1) * PAGE)
    )
    return total or 0, [(logged(row), person_of(who)) for row, who in rows]


def lately(session: Session, most: int) -> list[tuple[Logged, Person]]:
    """What was decided last, the newest first."""
    rows = session.execute(
        _with_students().order_by(DeliveryRow.at.desc(), DeliveryRow.id.desc()).limit(most)
    )
    return [(logged(row), person_of(who)) for row, who in rows]


def find(session: Session, id: int) -> tuple[Logged, Person] | None:
    row = session.execute(_with_students().where(DeliveryRow.id == id)).first()
    return (logged(row[0]), person_of(row[1])) if row else None


def of_student(session: Session, student: int) -> list[Logged]:
    """Everything that was decided for a student, in the order in which it was."""
    query = select(DeliveryRow).where(DeliveryRow.student_id == student).order_by(DeliveryRow.id)
    return [logged(row) for row in session.scalars(query)]


def course_of(session: Session, one: Logged) -> str | None:
    """The course that a delivery's run or broadcast is about."""
    if one.broadcast is not None:
        return one.course
    subject = session.scalar(select(RunRow.subject).where(RunRow.number == one.run))
    return next((key for kind, key in subject["objects"] if kind == "course"), None) if subject else None


def told(session: Session, one: Logged) -> Told:
    """What the story of a delivery is worded from."""
    run = session.get_one(RunRow, one.run)
    numbers = {run.cause} | {entry[1] for entry in run.trail if entry[0] == "left"}
    events = {
        found.number: Happening(found.type, found.at, found.names)
        for found in session.scalars(select(EventRow).where(EventRow.number.in_(numbers)))
    }
    body = session.get_one(SequenceVersionRow, (run.sequence, run.version)).body
    plan = Plan(Sequence.model_validate(body), run.version)
    return Told(plan, run.cause, run.started, run.trail[: one.story], events)


def inside_at(session: Session, definitions: Definitions, one: Logged) -> list[str]:
    """The sequences that hold broadcasts which the student of a delivery was inside when it was decided, by name."""
    rows = session.scalars(
        select(RunRow.sequence)
        .where(
            RunRow.student_id == one.student_id,
            RunRow.started <= one.at,
            RunRow.ended.is_(None) | (RunRow.ended > one.at),
        )
        .order_by(RunRow.number)
    )
    found = [definitions.sequences[key].sequence for key in dict.fromkeys(rows)]
    return [sequence.called for sequence in found if sequence.holds_broadcasts]


def letter_of(session: Session, one: Logged) -> Any:
    """The letter of a delivery, in the version that went out."""
    return letter_version(session, one.letter, one.letter_version)


def limited_by_day(
    session: Session, ids: list[int], since: Instant, zone: str, purposes: tuple[str, ...]
) -> dict[int, dict[Date, int]]:
    """How many letters of these purposes each of these students really got since, by their local day.

    ``zone`` is for those whose own is unknown.
    """
    d = DeliveryRow
    rows = session.execute(
        select(d.student_id, d.at, StudentRow.timezone)
        .join(StudentRow, StudentRow.id == d.student_id)
        .where(
            d.student_id.in_(ids),
            d.at >= since,
            d.status.in_(POSTED),
            d.purpose.in_(purposes),
            d.recipients.is_(None),
        )
    )
    found: dict[int, dict[Date, int]] = {}
    for id, at, own in rows:
        days = found.setdefault(id, {})
        day = calendar.local_date(at, own or zone)
        days[day] = days.get(day, 0) + 1
    return found
