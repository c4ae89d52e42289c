"""Rehearsals that are kept as checks of a sequence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import KeptRehearsalRow

Lines = list[list[str]]


@dataclass(frozen=True, slots=True)
class Kept:
    """A kept rehearsal: its scene, and what should come out of it."""

    id: int
    sequence: str
    name: str
    scene: dict[str, Any]
    outcome: Lines


def _kept(row: KeptRehearsalRow) -> Kept:
    return Kept(row.id, row.sequence, row.name, row.body, row.outcome)


def of_sequence(session: Session, sequence: str) -> list[Kept]:
    query = (
        select(KeptRehearsalRow).where(KeptRehearsalRow.sequence == sequence).order_by(KeptRehearsalRow.id)
    )
    return [_kept(row) for row in session.scalars(query)]


def find(session: Session, sequence: str, id: int) -> Kept | None:
    row = session.get(KeptRehearsalRow, id)
    return _kept(row) if row is not None and row.sequence == sequence else None


def keep(
    session: Session, sequence: str, name: str, scene: dict[str, Any], outcome: Lines, now: Instant
) -> Kept:
    row = KeptRehearsalRow(sequence=sequence, name=name, saved=now, body=scene, outcome=outcome, seen=outcome)
    session.add(row)
    session.flush()
    return _kept(row)


def agree(session: Session, id: int, outcome: Lines) -> None:
    """What comes out now is what should."""
    changed = update(KeptRehearsalRow).where(KeptRehearsalRow.id == id)
    session.execute(changed.values(outcome=outcome, seen=outcome))


def forget(session: Session, id: int) -> None:
    session.execute(delete(KeptRehearsalRow).where(KeptRehearsalRow.id == id))
