"""Throwing away what the school made and never used, and asking whether it was."""

from __future__ import annotations

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from patient_courier.store.base.definitions import touch
from patient_courier.store.base.tables import (
    CourseRow,
    EnrolmentRow,
    OfferRow,
    PurchaseRow,
    RunRow,
    SequenceRow,
    SequenceVersionRow,
)


def students_of(session: Session, kind: str, key: str) -> int:
    """How many students it has to do with: enrolled, buyers, or inside at any time."""
    who, which = {
        "course": (EnrolmentRow.student_id, EnrolmentRow.course == key),
        "offer": (PurchaseRow.student_id, PurchaseRow.offer == key),
        "sequence": (RunRow.student_id, RunRow.sequence == key),
    }[kind]
    return session.scalar(select(func.count(who.distinct())).where(which)) or 0


def remove(session: Session, kind: str, key: str) -> None:
    """Throw it away; that nothing hangs on it was asked before."""
    match kind:
        case "course":
            session.execute(delete(CourseRow).where(CourseRow.key == key))
        case "offer":
            session.execute(delete(OfferRow).where(OfferRow.key == key))
        case "sequence":
            session.execute(delete(SequenceVersionRow).where(SequenceVersionRow.key == key))
            session.execute(delete(SequenceRow).where(SequenceRow.key == key))
        case _:
            raise AssertionError(kind)
    touch(session)
