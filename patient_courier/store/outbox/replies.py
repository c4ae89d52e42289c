"""Answers that students have written to letters: who, when, to which; never what they say."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import DeliveryRow, ReplyRow, StudentRow


@dataclass(frozen=True, slots=True)
class Reply:
    """An answer; ``delivery`` and ``letter`` where it says to which."""

    at: Instant
    subject: str
    delivery: int | None
    letter: str | None


def note(
    session: Session, digest: str, email: str, delivery: int | None, at: Instant, subject: str
) -> str | None:
    """Note an answer from this address once; the student's key, or None when the address is nobody's.

    ``delivery`` counts only if it went to that student.
    """
    student = session.scalar(select(StudentRow).where(func.lower(StudentRow.email) == email.lower()))
    if student is None:
        return None
    theirs = select(DeliveryRow.id).where(
        DeliveryRow.id == (delivery or 0), DeliveryRow.student_id == student.id
    )
    row = {
        "digest": digest,
        "student_id": student.id,
        "delivery_id": session.scalar(theirs),
        "at": at,
        "subject": subject,
    }
    session.execute(insert(ReplyRow).values(row).on_conflict_do_nothing(index_elements=["digest"]))
    return student.key


def of_student(session: Session, id: int, most: int) -> list[Reply]:
    """The newest first."""
    query = (
        select(ReplyRow, DeliveryRow.letter)
        .outerjoin(DeliveryRow, DeliveryRow.id == ReplyRow.delivery_id)
        .where(ReplyRow.student_id == id)
        .order_by(ReplyRow.at.desc())
        .limit(most)
    )
    return [Reply(row.at, row.subject, row.delivery_id, letter) for row, letter in session.execute(query)]


def number(session: Session) -> int:
    return session.scalar(select(func.count()).select_from(ReplyRow)) or 0
