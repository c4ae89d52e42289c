"""Proof copies: who is shown the next real deliveries of a letter."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, delete, select, update
from sqlalchemy.orm import Session

from patient_courier.store.base.tables import ProofRow

_P: Any = ProofRow.__table__


def of_letter(session: Session, letter: str) -> tuple[list[str], int]:
    """Who is shown copies of a letter, and of how many more."""
    row = session.get(ProofRow, letter)
    return (list(row.readers), row.left) if row else ([], 0)


def ask(session: Session, letter: str, readers: list[str], number: int) -> None:
    """Show the next ``number`` deliveries of a letter to these addresses; none ends it."""
    session.execute(delete(ProofRow).where(ProofRow.letter == letter))
    if readers and number:
        session.add(ProofRow(letter=letter, readers=readers, left=number))


def asked_for(session: Session) -> frozenset[str]:
    """The letters of which copies are to be shown."""
    return frozenset(session.scalars(select(ProofRow.letter).where(ProofRow.left > 0)))


def take(connection: Connection, letter: str) -> list[str]:
    """Who is shown the copy of a delivery that has just gone out: it counts from now on, whatever becomes of the copy."""
    found = connection.execute(select(_P.c.readers).where(_P.c.letter == letter, _P.c.left > 0)).scalar()
    if found is None:
        return []
    connection.execute(update(_P).where(_P.c.letter == letter).values(left=_P.c.left - 1))
    return list(found)
