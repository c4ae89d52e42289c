"""What the mail world has reported of deliveries."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import ReturnRow, TroubleRow


@dataclass(frozen=True, slots=True)
class Returned:
    """One report: ``hard``, ``soft`` or ``complaint``."""

    at: Instant
    kind: str
    code: str
    said: str
    delivery: int


def note(session: Session, delivery: int, student: int, at: Instant, kind: str, code: str, said: str) -> bool:
    """Note a report; False when the same of this delivery is known."""
    digest = f"{delivery}:{kind}"
    if session.scalar(select(ReturnRow.id).where(ReturnRow.digest == digest)) is not None:
        return False
    session.add(
        ReturnRow(
            digest=digest, delivery_id=delivery, student_id=student, at=at, kind=kind, code=code, said=said
        )
    )
    session.flush()
    return True


def of_student(session: Session, student: int) -> list[Returned]:
    """Everything that came back from a student, the newest first."""
    rows = session.scalars(
        select(ReturnRow)
        .where(ReturnRow.student_id == student)
        .order_by(ReturnRow.at.desc(), ReturnRow.id.desc())
    )
    return [Returned(row.at, row.kind, row.code, row.said, row.delivery_id) for row in rows]


def soft_since(session: Session, student: int, since: Instant) -> list[Instant]:
    """When letters came back for now."""
    query = select(ReturnRow.at).where(
        ReturnRow.student_id == student, ReturnRow.kind == "soft", ReturnRow.at >= since
    )
    return list(session.scalars(query))


def troubles(session: Session) -> dict[str, tuple[str, int]]:
    """What the mailroom plays, by address in small letters: the kind, and how often it still does (-1: always)."""
    return {row.recipient: (row.kind, row.times) for row in session.scalars(select(TroubleRow))}


def play(session: Session, recipient: str, kind: str | None, times: int) -> None:
    """Let the mailroom play something for an address; None ends it."""
    session.execute(delete(TroubleRow).where(TroubleRow.recipient == recipient.lower()))
    if kind is not None:
        session.add(TroubleRow(recipient=recipient.lower(), kind=kind, times=times))
