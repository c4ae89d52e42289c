"""New addresses that students have asked for and confirmed, and that hold once the old address has agreed or said nothing."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import MoveRow
from patient_courier.store.students import people


@dataclass(frozen=True, slots=True)
class Move:
    """A change from one address to another, which comes by itself when it is ``due`` (school time)."""

    student_id: int
    before: str
    after: str
    due: Instant


def plan(session: Session, move: Move) -> None:
    """Keep a change that is to come; a newer one takes the place of an older one."""
    values = {"before": move.before, "after": move.after, "due": move.due}
    put = insert(MoveRow).values(student_id=move.student_id, **values)
    session.execute(put.on_conflict_do_update(index_elements=["student_id"], set_=values))


def of_student(session: Session, student_id: int) -> Move | None:
    row = session.get(MoveRow, student_id)
    return _move(row) if row else None


def give_up(session: Session, student_id: int) -> None:
    """The address stays."""
    session.execute(delete(MoveRow).where(MoveRow.student_id == student_id))


def next_due(session: Session) -> Instant | None:
    return session.scalar(select(func.min(MoveRow.due)))


def ripe(session: Session, now: Instant) -> list[Move]:
    """Those whose time has come, the oldest first."""
    return [
        _move(row) for row in session.scalars(select(MoveRow).where(MoveRow.due <= now).order_by(MoveRow.due))
    ]


def carry_out(session: Session, move: Move) -> bool:
    """Change the address; False when it can't be any more: it has changed meanwhile, or somebody else has the new one."""
    give_up(session, move.student_id)
    student, other = people.by_id(session, move.student_id), people.by_address(session, move.after)
    if student is None or student.email != move.before or (other is not None and other.id != student.id):
        return False
    if move.after.lower() != move.before.lower():
        people.lift_bounce(session, student.id)
    people.change(session, student.id, email=move.after)
    return True


def _move(row: MoveRow) -> Move:
    return Move(row.student_id, row.before, row.after, row.due)
