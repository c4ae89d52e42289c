"""What the owner has noted that course sites and shops send by themselves."""

from __future__ import annotations

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from patient_courier.core.overview.who_is_told import SiteNote
from patient_courier.store.base.tables import SiteNoteRow


def every(session: Session) -> list[SiteNote]:
    """In the order in which they were noted."""
    rows = session.scalars(select(SiteNoteRow).order_by(SiteNoteRow.id))
    return [SiteNote(row.id, row.kind, row.course, row.words) for row in rows]


def add(session: Session, kind: str, course: str | None, words: str) -> None:
    session.add(SiteNoteRow(kind=kind, course=course, words=words))


def take_away(session: Session, id: int) -> bool:
    """False when there is none of that number."""
    gone = session.execute(delete(SiteNoteRow).where(SiteNoteRow.id == id).returning(SiteNoteRow.id))
    return gone.first() is not None
