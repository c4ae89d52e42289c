"""Proof copies: who is shown the next real deliveries of a letter."""

from __future__ import annotations

from sqlalchemy import Connection, delete, select, update
from sqlalchemy.orm import Session

from patient_courier.store.base.plain import PROOFS
from patient_courier.store.base.tables import ProofRow


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
    found = connection.execute(
        select(PROOFS.c.readers).where(PROOFS.c.letter == letter, PROOFS.c.left > 0)
    ).scalar()
    if found is None:
        return []
    connection.execute(update(PROOFS).where(PROOFS.c.letter == letter).values(left=PROOFS.c.left - 1))
    return list(found)
