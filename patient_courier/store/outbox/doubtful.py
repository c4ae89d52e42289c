"""Letters of the outbox while the school comes back from a copy: those that may have gone out already."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import select, text, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.upkeep.coming_back import Doubtful
from patient_courier.store.base.tables import (
    WAITING_WORDS,
    BroadcastRow,
    DeliveryRow,
    ProvedRow,
    RunRow,
    StudentRow,
)

_WAITING = text(f"deliveries.{WAITING_WORDS}")
TAKEN, PROVED = "taken_as_posted", "proved_posted"


def doubtful(session: Session, began: Instant) -> list[Doubtful]:
    """Every letter that would go out now, the oldest first."""
    query = (
        select(DeliveryRow, StudentRow, RunRow.event_at, BroadcastRow.started)
        .join(StudentRow, StudentRow.id == DeliveryRow.student_id)
        .outerjoin(RunRow, RunRow.number == DeliveryRow.run)
        .outerjoin(BroadcastRow, BroadcastRow.key == DeliveryRow.broadcast)
        .where(_WAITING, DeliveryRow.status.in_(("queued", "posting")))
        .order_by(DeliveryRow.at, DeliveryRow.id)
    )
    return [
        Doubtful(
            id=row.id,
            source=f"broadcast:{row.broadcast}" if row.broadcast else f"sequence:{row.sequence}",
            letter=row.letter,
            at=row.at,
            student=student.key,
            name=" ".join(x for x in (student.first_name, student.last_name) if x) or student.email,
            # By what set it going, not by when it is due: what a shop sends once more is old news.
            fresh=(event_at or started or row.at) > began,
        )
        for row, student, event_at, started in session.execute(query)
    ]


def keep_proved(session: Session, prints: Collection[str]) -> None:
    """Remember these, also for letters that fall due later: a run that waits again may come to the same letter."""
    for start in range(0, len(prints), 500):
        rows = [{"print": one} for one in sorted(prints)[start : start + 500]]
        session.execute(insert(ProvedRow).on_conflict_do_nothing(), rows)


def proved_of(session: Session, prints: Collection[str]) -> set[str]:
    """Those of these prints that are proved."""
    return set(session.scalars(select(ProvedRow.print).where(ProvedRow.print.in_(prints))))


def take_as_posted(session: Session, ids: Collection[int], reason: str) -> None:
    """They have gone out in the time that is lost; nothing is posted, and nobody outside is told of it now."""
    session.execute(
        update(DeliveryRow)
        .where(DeliveryRow.id.in_(ids), DeliveryRow.status.in_(("queued", "posting")))
        .values(status="sent", reason=reason, posted=DeliveryRow.at, retry=None, claimed=None, begun=False)
    )
