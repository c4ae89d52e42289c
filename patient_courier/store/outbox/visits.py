"""Visits of the links in letters: noted as they come, settled a little later."""

from __future__ import annotations

from collections import defaultdict

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.letters.visits import Visit
from patient_courier.store.base.tables import DeliveryRow, StudentRow, VisitRow
from patient_courier.store.outbox.log import Logged, logged
from patient_courier.store.students.people import Person, person_of

# Of one letter; what comes beyond is a machine gone wild, and says nothing new.
MOST_OF_ONE = 200


def note(
    session: Session, delivery: int, at: Instant, real: Instant, link: str | None, machine: str | None
) -> None:
    """Note a visit; ``link`` None: the letter's picture."""
    known = session.scalar(select(func.count()).where(VisitRow.delivery_id == delivery)) or 0
    if known < MOST_OF_ONE:
        session.add(VisitRow(delivery_id=delivery, at=at, real=real, link=link, machine=machine))


def first_unsettled(session: Session) -> Instant | None:
    """When the oldest visit came that is not settled (real time)."""
    return session.scalar(select(VisitRow.real).where(~VisitRow.settled).order_by(VisitRow.real).limit(1))


def with_unsettled(
    session: Session, until: Instant
) -> list[tuple[Logged, Person, Instant | None, list[VisitRow]]]:
    """The deliveries with a visit up to a real moment that is not settled: each with all its visits, the oldest first."""
    ids = set(session.scalars(select(VisitRow.delivery_id).where(~VisitRow.settled, VisitRow.real <= until)))
    of: defaultdict[int, list[VisitRow]] = defaultdict(list)
    for row in session.scalars(
        select(VisitRow).where(VisitRow.delivery_id.in_(ids)).order_by(VisitRow.real, VisitRow.id)
    ):
        of[row.delivery_id].append(row)
    rows = session.execute(
        select(DeliveryRow, StudentRow)
        .join(StudentRow, StudentRow.id == DeliveryRow.student_id)
        .where(DeliveryRow.id.in_(ids))
        .order_by(DeliveryRow.id)
    )
    return [(logged(row), person_of(who), row.handed, of[row.id]) for row, who in rows]


def as_visit(row: VisitRow) -> Visit:
    return Visit(row.id, row.real, row.link, row.machine)


def settle(session: Session, id: int, machine: str | None) -> None:
    """It is decided whose a visit was."""
    session.execute(update(VisitRow).where(VisitRow.id == id).values(settled=True, machine=machine))
