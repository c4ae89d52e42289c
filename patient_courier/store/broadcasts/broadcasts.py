"""Broadcasts in the tables: as they were written, where they stand, and the lists of those under way."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, not_, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.broadcasting import subject_of
from patient_courier.core.engine.happening import Subject
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.store.base.changed import changed_by
from patient_courier.store.base.plain import BROADCASTS, POSTINGS
from patient_courier.store.base.statements import Statement, one_of


@dataclass(frozen=True, slots=True)
class Kept:
    """A broadcast with where it stands (see ``BroadcastRow``)."""

    broadcast: Broadcast
    position: int
    status: str
    saved: Instant
    due: Instant | None
    not_before: Instant | None
    planned: dict[str, Any] | None
    started: Instant | None
    ended: Instant | None
    recipients: int | None
    pace: int | None
    next_slot: Instant | None
    tested: int | None
    tested_at: Instant | None
    again_of: str | None
    audience: str | None
    audience_saved: Instant | None

    @property
    def key(self) -> str:
        return self.broadcast.key

    def starts_by(self, until: Instant) -> bool:
        """Whether it is scheduled and starts by a moment."""
        return self.status == "scheduled" and self.due is not None and self.due <= until


def _kept(row: Any) -> Kept:
    return Kept(
        Broadcast.model_validate(row.body),
        **{name: getattr(row, name) for name in Kept.__slots__ if name != "broadcast"},
    )


def every(session: Session) -> list[Kept]:
    """All broadcasts in their order."""
    return [_kept(row) for row in session.execute(select(BROADCASTS).order_by(BROADCASTS.c.position))]


def find(session: Session, key: str) -> Kept | None:
    row = session.execute(select(BROADCASTS).where(BROADCASTS.c.key == key)).first()
    return _kept(row) if row else None


def in_status(session: Session, *status: str) -> list[Kept]:
    """Those that stand so, in their order."""
    return [_kept(row) for row in _IN_STATUS.rows(session, among=status)]


_IN_STATUS = Statement(
    select(*BROADCASTS.c).where(one_of(BROADCASTS.c.status, "among")).order_by(BROADCASTS.c.position)
)


def next_start(session: Session, until: Instant, real: Instant | None) -> Kept | None:
    """The broadcast that starts next, if that is by ``until``; those that may still be taken back at ``real`` wait."""
    query = select(BROADCASTS).where(BROADCASTS.c.status == "scheduled", BROADCASTS.c.due <= until)
    if real is not None:
        query = query.where(BROADCASTS.c.not_before.is_(None) | (BROADCASTS.c.not_before <= real))
    row = session.execute(query.order_by(BROADCASTS.c.due, BROADCASTS.c.position).limit(1)).first()
    return _kept(row) if row else None


def save(session: Session, broadcast: Broadcast, now: Instant, **more: Any) -> None:
    """Keep a broadcast as it is written, or a new one, and what else is to be noted."""
    values = {"body": as_data(broadcast), "saved": now, **more}
    if not changed_by(session, update(BROADCASTS).where(BROADCASTS.c.key == broadcast.key).values(values)):
        last = session.scalar(select(func.max(BROADCASTS.c.position))) or 0
        fresh = {"key": broadcast.key, "position": last + 1, "status": broadcast.status} | values
        session.execute(insert(BROADCASTS), fresh)


def note(session: Session, key: str, **values: Any) -> None:
    """Change where a broadcast stands."""
    session.execute(update(BROADCASTS).where(BROADCASTS.c.key == key).values(values))


def remove(session: Session, key: str) -> None:
    """Throw a draft away."""
    session.execute(delete(BROADCASTS).where(BROADCASTS.c.key == key))


def about(session: Session, key: str) -> tuple[Subject | None, Instant | None]:
    """What the letters of a broadcast are filled with: its subject and its start."""
    kept = find(session, key)
    return (subject_of(kept.broadcast), kept.started) if kept else (None, None)


def again_at(session: Session, key: str, student_id: int) -> Instant | None:
    """When the guards are asked again for a letter that is kept back."""
    query = select(POSTINGS.c.due).where(
        POSTINGS.c.broadcast == key, POSTINGS.c.student_id == student_id, not_(POSTINGS.c.done)
    )
    return session.scalar(query)


def names(session: Session) -> dict[str, str]:
    """What broadcasts are called, by key."""
    return {kept.key: kept.broadcast.called for kept in every(session)}


# Lists and their letters.
