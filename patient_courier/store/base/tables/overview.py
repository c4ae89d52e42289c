"""The school looked over as a whole: notes of what others send, notices to those who sign in, findings put aside."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class SiteNoteRow(Table):
    """What the owner has noted that a course site or shop sends by itself when something of a ``kind`` happens."""

    __tablename__ = "site_notes"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    course: Mapped[str | None]
    words: Mapped[str]


class WishesRow(Table):
    """What somebody wants to hear of the school, and up to which event and when (school time) they have."""

    __tablename__ = "wishes"
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id", ondelete="CASCADE"), primary_key=True)
    body: Mapped[dict[str, Any]]
    heard: Mapped[dict[str, Any]]


class NoticeRow(Table):
    """A notice or a weekly letter (``kind``) to somebody. Status: queued, posting, posted, refused, unsure.

    ``students`` are the row ids of those it names: it goes when one of them is erased.
    """

    __tablename__ = "notices"
    id: Mapped[int] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("users.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str]
    at: Mapped[Instant]
    subject: Mapped[str]
    sections: Mapped[list[Any]]
    students: Mapped[list[Any]]
    status: Mapped[str]
    message_id: Mapped[str]
    tries: Mapped[int] = mapped_column(default=0, server_default="0")
    retry: Mapped[Instant | None]
    __table_args__ = (
        Index("ix_notices_open", "status", "id", sqlite_where=text("status IN ('queued', 'posting')")),
    )


class PutAsideRow(Table):
    """A finding that the owner has put aside: why, and how many students it touched then; more bring it back."""

    __tablename__ = "put_aside"
    key: Mapped[str] = mapped_column(primary_key=True)
    title: Mapped[str]
    reason: Mapped[str]
    size: Mapped[int]
    at: Mapped[Instant]


class LinkLookRow(Table):
    """What was found at an address that letters lead to; ``wrong`` says why it can't be opened. Real time."""

    __tablename__ = "link_looks"
    url: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[Instant]
    wrong: Mapped[str | None]
