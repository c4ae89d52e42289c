"""What was reported last."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.plain import DELIVERIES, EVENTS, RUNS, STUDENTS
from patient_courier.store.base.tables import EventRow, StudentRow
from patient_courier.store.students.people import Person, person_of


@dataclass(frozen=True, slots=True)
class Reported:
    """An event from outside: at its own time, with its own fields and the objects around them."""

    at: Instant
    type: str
    names: dict[str, Any]
    student: Person


def reported(session: Session, most: int, without: Sequence[str]) -> list[Reported]:
    """The newest events with an id of a reporting site, the newest first; ``without`` those of these connections (keys)."""
    query = (
        select(EventRow, StudentRow)
        .join(StudentRow, StudentRow.id == EventRow.student_id)
        .where(EventRow.reported, EventRow.reported_id.is_not(None))
        .order_by(EventRow.number.desc())
        .limit(most)
    )
    for key in without:
        query = query.where(~EventRow.reported_id.startswith(f"{key}:", autoescape=True))
    return [
        Reported(row.at, row.type, row.names, person_of(student)) for row, student in session.execute(query)
    ]


def stamp(session: Session) -> tuple[int, ...]:
    """Numbers that are other ones as soon as something has happened: the last event, run and letter, and how many students there are."""
    lasts = [
        func.max(EVENTS.c.number),
        func.max(RUNS.c.number),
        func.max(DELIVERIES.c.id),
        func.count(STUDENTS.c.id),
    ]
    return tuple(session.scalar(select(one)) or 0 for one in lasts)
