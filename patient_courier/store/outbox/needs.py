"""What waits for the owner: letters that could not go out, events that could not be read, runs in circles."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.store.base.tables import WAITING_WORDS, DeliveryRow, ProblemRow, StudentRow, WordsRow
from patient_courier.store.outbox.log import Logged, logged
from patient_courier.store.outbox.renewing import renew_asking
from patient_courier.store.students.people import PAGE, Person, person_of

OPEN = ("stuck", "unsure")
_WAITING = text(f"deliveries.{WAITING_WORDS}")


@dataclass(frozen=True, slots=True)
class Problem:
    """An event that could not be used (kind ``event``), or a run in circles."""

    id: int
    kind: str
    at: Instant
    reason: str
    body: dict[str, Any]


def count(session: Session) -> int:
    """How many things wait: letters with the same trouble count once."""
    letters = (
        select(DeliveryRow.letter, DeliveryRow.status, DeliveryRow.reason)
        .where(_WAITING, DeliveryRow.status.in_(OPEN), DeliveryRow.seen.is_(False))
        .distinct()
        .subquery()
    )
    problems = select(func.count(ProblemRow.id)).where(ProblemRow.done.is_(False))
    unhappy = select(func.count(WordsRow.id)).where(WordsRow.done.is_(False))
    counts = (select(func.count()).select_from(letters), problems, unhappy)
    return sum(session.scalar(count) or 0 for count in counts)


def letters(session: Session, most: int) -> list[tuple[Logged, Person]]:
    """The letters that wait, the newest first."""
    rows = session.execute(
        select(DeliveryRow, StudentRow)
        .join(StudentRow, StudentRow.id == DeliveryRow.student_id)
        .where(_WAITING, DeliveryRow.status.in_(OPEN), DeliveryRow.seen.is_(False))
        .order_by(DeliveryRow.at.desc())
        .limit(most)
    )
    return [(logged(row), person_of(who)) for row, who in rows]


def problems(session: Session) -> list[Problem]:
    """What else waits, the newest first."""
    query = select(ProblemRow).where(ProblemRow.done.is_(False)).order_by(ProblemRow.id.desc()).limit(PAGE)
    return [Problem(row.id, row.kind, row.at, row.reason, row.body) for row in session.scalars(query)]


def put_problem_aside(session: Session, id: int) -> None:
    session.execute(update(ProblemRow).where(ProblemRow.id == id).values(done=True))


def put_aside(session: Session, ids: Collection[int]) -> None:
    """The owner has seen these letters; they are not posted."""
    session.execute(
        update(DeliveryRow).where(DeliveryRow.id.in_(ids), DeliveryRow.status.in_(OPEN)).values(seen=True)
    )


def post_again(session: Session, definitions: Definitions, ids: Collection[int]) -> dict[int, str | None]:
    """Queue letters that wait, with their newest text and the students' values of now.

    Returns for each that still waits the reason code that stands against it, None for those that go out.
    """
    rows = session.scalars(
        select(DeliveryRow)
        .where(DeliveryRow.id.in_(ids), DeliveryRow.status.in_(OPEN))
        .order_by(DeliveryRow.id)
    ).all()
    return {row.id: _queue(session, definitions, row) for row in rows}


def _queue(session: Session, definitions: Definitions, row: DeliveryRow) -> str | None:
    against = renew_asking(session, definitions, row)
    if against is None:
        row.status, row.reason, row.retry, row.tries = "queued", None, None, 0
    return against
