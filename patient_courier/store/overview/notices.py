"""Notices and weekly letters in the tables: queued, handed over once, and kept to be read again."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import delete, select, text, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.overview.sections import Section
from patient_courier.store.base.tables import NoticeRow, UserRow

WEEKLY, NOTICE = "weekly", "notice"
_OPEN = text("notices.status IN ('queued', 'posting')")
# Weekly letters are kept for a year; what was told of single things is not needed once it is posted.
KEPT_HOURS = {WEEKLY: 366 * 24, NOTICE: 14 * 24}


@dataclass(frozen=True, slots=True)
class Notice:
    """A notice to somebody who signs in; ``at`` is school time, ``message_id`` without its domain."""

    id: int
    email: str
    kind: str
    at: Instant
    subject: str
    sections: list[Section]
    status: str
    message_id: str
    tries: int


def _notice(row: NoticeRow, email: str) -> Notice:
    sections = [Section.model_validate(one) for one in row.sections]
    return Notice(
        row.id, email, row.kind, row.at, row.subject, sections, row.status, row.message_id, row.tries
    )


def queue(
    session: Session,
    user: int,
    kind: str,
    at: Instant,
    subject: str,
    sections: Sequence[Section],
    students: Sequence[int],
) -> None:
    """Put one down to be posted; ``students`` (row ids) are those it names."""
    session.add(
        NoticeRow(
            user_id=user,
            kind=kind,
            at=at,
            subject=subject,
            sections=[one.model_dump(mode="json") for one in sections],
            students=list(students),
            status="queued",
            message_id=f"notice-{secrets.token_hex(8)}",
            tries=0,
        )
    )


def ready(session: Session, real: Instant) -> list[Notice]:
    """Those that are to be posted now, the oldest first."""
    asked = (
        select(NoticeRow, UserRow.email)
        .join(UserRow, UserRow.id == NoticeRow.user_id)
        .where(_OPEN, NoticeRow.status == "queued", (NoticeRow.retry.is_(None)) | (NoticeRow.retry <= real))
        .order_by(NoticeRow.id)
    )
    return [_notice(row, email) for row, email in session.execute(asked)]


def left_over(session: Session) -> list[Notice]:
    """What was being handed over when the application last stopped."""
    asked = (
        select(NoticeRow, UserRow.email)
        .join(UserRow, UserRow.id == NoticeRow.user_id)
        .where(_OPEN, NoticeRow.status == "posting")
    )
    return [_notice(row, email) for row, email in session.execute(asked)]


def settle(session: Session, id: int, status: str, retry: Instant | None = None) -> None:
    """How it stands now; ``posting`` is noted before it is handed over, so that a crash posts it no second time."""
    tries = NoticeRow.tries + (1 if status == "posting" else 0)
    session.execute(
        update(NoticeRow).where(NoticeRow.id == id).values(status=status, retry=retry, tries=tries)
    )


def letters_of(session: Session, user: int) -> list[Notice]:
    """The weekly letters of somebody, the newest first."""
    asked = (
        select(NoticeRow, UserRow.email)
        .join(UserRow, UserRow.id == NoticeRow.user_id)
        .where(NoticeRow.user_id == user, NoticeRow.kind == WEEKLY)
        .order_by(NoticeRow.id.desc())
        .limit(60)
    )
    return [_notice(row, email) for row, email in session.execute(asked)]


def forget_old(session: Session, now: Instant) -> None:
    """Those that nobody needs any more go."""
    for kind, hours in KEPT_HOURS.items():
        old = (NoticeRow.kind == kind, NoticeRow.at < now.subtract(hours=hours))
        session.execute(delete(NoticeRow).where(*old, NoticeRow.status.not_in(("queued", "posting"))))


def forget_student(session: Session, student: int) -> None:
    """Every notice that names a student goes, posted or not."""
    rows = session.execute(select(NoticeRow.id, NoticeRow.students))
    ids = [id for id, students in rows if student in students]
    session.execute(delete(NoticeRow).where(NoticeRow.id.in_(ids)))
