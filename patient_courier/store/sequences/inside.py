"""Who is inside a sequence: on which version, at which step, until when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import RunRow, SequenceRow, SequenceVersionRow, StudentRow
from patient_courier.store.students.people import PAGE, Person, person_of


@dataclass(frozen=True, slots=True)
class Standing:
    """A student inside a sequence; ``rounds`` of the repeats they are in."""

    person: Person
    due: Instant | None
    version: int
    step: str | None
    rounds: dict[str, int]


def exists(session: Session, sequence: str) -> bool:
    return session.get(SequenceRow, sequence) is not None


def has_been_used(session: Session, sequence: str) -> bool:
    """Whether anybody has ever been inside."""
    return session.scalar(select(RunRow.number).where(RunRow.sequence == sequence).limit(1)) is not None


def number_inside(session: Session, sequence: str) -> int:
    return (
        session.scalar(select(func.count()).where(RunRow.sequence == sequence, RunRow.outcome.is_(None))) or 0
    )


def number_on_older(session: Session, sequence: str, version: int) -> int:
    """How many are inside on another version than this."""
    query = select(func.count()).where(
        RunRow.sequence == sequence, RunRow.outcome.is_(None), RunRow.version != version
    )
    return session.scalar(query) or 0


def by_version(session: Session, sequence: str) -> dict[int, int]:
    rows = session.execute(
        select(RunRow.version, func.count())
        .where(RunRow.sequence == sequence, RunRow.outcome.is_(None))
        .group_by(RunRow.version)
    )
    return dict(rows.all())


def by_version_and_step(session: Session, sequence: str) -> list[tuple[int, str | None, int]]:
    """How many stand where, as (version, step, number)."""
    rows = session.execute(
        select(RunRow.version, RunRow.step, func.count())
        .where(RunRow.sequence == sequence, RunRow.outcome.is_(None))
        .group_by(RunRow.version, RunRow.step)
    )
    return [(version, step, number) for version, step, number in rows]


def versions(session: Session, sequence: str) -> list[tuple[int, Instant]]:
    """The saved versions with when they were saved, the newest first."""
    rows = session.execute(
        select(SequenceVersionRow.version, SequenceVersionRow.saved)
        .where(SequenceVersionRow.key == sequence)
        .order_by(SequenceVersionRow.version.desc())
    )
    return [(version, saved) for version, saved in rows]


def people(
    session: Session, sequence: str, *, version: int | None = None, step: str | None = None
) -> list[Standing]:
    """The students inside, those whom time moves on first in the order of that time."""
    query = (
        select(StudentRow, RunRow.due, RunRow.version, RunRow.step, RunRow.rounds)
        .join(RunRow, RunRow.student_id == StudentRow.id)
        .where(RunRow.sequence == sequence, RunRow.outcome.is_(None))
        .order_by(RunRow.due.is_(None), RunRow.due, RunRow.number)
    )
    if version is not None:
        query = query.where(RunRow.version == version)
    if step is not None:
        query = query.where(RunRow.step == step)
    return [Standing(person_of(row), *rest) for row, *rest in session.execute(query)]


def ids(session: Session, sequence: str) -> list[int]:
    """The row ids of the students inside a sequence."""
    query = select(RunRow.student_id).where(RunRow.sequence == sequence, RunRow.outcome.is_(None))
    return list(session.scalars(query.distinct()))


def everyone(session: Session) -> Sequence[int]:
    """The row ids of all students who are inside anything."""
    return session.scalars(select(RunRow.student_id).where(RunRow.outcome.is_(None)).distinct()).all()


def moved_by(session: Session, until: Instant) -> Sequence[int]:
    """The row ids of students whom time alone moves on in a sequence by a moment."""
    query = select(RunRow.student_id).where(RunRow.outcome.is_(None), RunRow.due <= until)
    return session.scalars(query.distinct()).all()


def next_due(session: Session, sequence: str, version: int) -> tuple[Instant, str] | None:
    """When somebody on this version goes on next by time alone, and from which step."""
    row = session.execute(
        select(RunRow.due, RunRow.step)
        .where(
            RunRow.sequence == sequence,
            RunRow.outcome.is_(None),
            RunRow.due.is_not(None),
            RunRow.step.is_not(None),
            RunRow.version == version,
        )
        .order_by(RunRow.due)
        .limit(1)
    ).first()
    return (row.due, row.step) if row and row.due and row.step else None


@dataclass(frozen=True, slots=True)
class Run:
    """A student's way through a sequence; open while ``outcome`` is None."""

    person: Person
    started: Instant
    ended: Instant | None
    outcome: str | None
    version: int
    step: str | None
    due: Instant | None


def runs(session: Session, sequence: str, group: str, page: int) -> tuple[int, list[Run]]:
    """Those who are inside, have finished, or have ended it in another way (``left``), a page of them, the newest first."""
    r = RunRow
    which = {
        "inside": r.outcome.is_(None),
        "finished": r.outcome == "finished",
        "left": r.outcome.is_not(None) & (r.outcome != "finished"),
    }[group]
    query = (
        select(StudentRow, r.started, r.ended, r.outcome, r.version, r.step, r.due)
        .join(r, r.student_id == StudentRow.id)
        .where(r.sequence == sequence, which)
        .order_by(r.number.desc())
    )
    total = session.scalar(select(func.count()).where(r.sequence == sequence, which)) or 0
    rows = session.execute(query.limit(PAGE).offset((page - 1) * PAGE))
    return total, [
        Run(person_of(student), started, ended, outcome, version, step, due)
        for student, started, ended, outcome, version, step, due in rows
    ]
