"""The versions of a letter."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.letters import Letter
from patient_courier.store.base.definitions import touch
from patient_courier.store.base.tables import DeliveryRow, LetterRow, LetterVersionRow


@dataclass(frozen=True, slots=True)
class Version:
    version: int
    saved: Instant
    letter: Letter


def has_deliveries(session: Session, key: str) -> bool:
    """Whether any delivery names the letter, posted or not."""
    return session.scalar(select(DeliveryRow.id).where(DeliveryRow.letter == key).limit(1)) is not None


def remove(session: Session, key: str) -> None:
    """Take a letter out with all its versions."""
    session.execute(delete(LetterVersionRow).where(LetterVersionRow.key == key))
    session.execute(delete(LetterRow).where(LetterRow.key == key))
    touch(session)


def every(session: Session, key: str) -> list[Version]:
    """All versions of a letter, the oldest first; empty when there is no such letter."""
    rows = session.scalars(
        select(LetterVersionRow).where(LetterVersionRow.key == key).order_by(LetterVersionRow.version)
    )
    return [Version(row.version, row.saved, Letter.model_validate(row.body)) for row in rows]
