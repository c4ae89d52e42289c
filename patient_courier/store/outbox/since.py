"""What has come about since a mark: runs that began, letters that were decided, students who became known."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from patient_courier.store.base.tables import DeliveryRow, RunRow, StudentRow


@dataclass(frozen=True, slots=True)
class Mark:
    """The newest run, delivery and student there were."""

    run: int
    delivery: int
    student: int


@dataclass(frozen=True, slots=True)
class CameAbout:
    """Runs by the sequence's key; letters that go out at once and those that can't (stuck), by the letter's key; new students."""

    runs: dict[str, int]
    letters: dict[str, int]
    stuck: dict[str, int]
    students: int


def mark(session: Session) -> Mark:
    newest = [session.scalar(select(func.coalesce(func.max(column), 0))) for column in _COLUMNS]
    return Mark(*(number or 0 for number in newest))


_COLUMNS = (RunRow.number, DeliveryRow.id, StudentRow.id)


def since(session: Session, begun: Mark) -> CameAbout:
    """What is newer than the mark, in this session's sight."""
    runs = session.execute(
        select(RunRow.sequence, func.count()).where(RunRow.number > begun.run).group_by(RunRow.sequence)
    )
    decided = (
        select(DeliveryRow.letter, func.count())
        .where(DeliveryRow.id > begun.delivery)
        .group_by(DeliveryRow.letter)
    )
    letters = session.execute(decided.where(DeliveryRow.status == "queued"))
    stuck = session.execute(decided.where(DeliveryRow.status == "stuck"))
    students = session.scalar(select(func.count()).where(StudentRow.id > begun.student)) or 0
    return CameAbout(
        {key: number for key, number in runs},
        {key: number for key, number in letters},
        {key: number for key, number in stuck},
        students,
    )
