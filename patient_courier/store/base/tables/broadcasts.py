"""Broadcasts and their lists."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class BroadcastRow(Table):
    """A broadcast; ``body`` is its form in the school file.

    Status: draft, scheduled (starts at ``due``, not before ``not_before`` of the real time), going, paused, stopped,
    done. ``pace`` is letters a minute, ``next_slot`` (real time) when the next may go. ``tested`` is the version of the
    letter that the owner has seen in their own inbox; ``again_of`` the broadcast whose silent readers this one is for.
    """

    __tablename__ = "broadcasts"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    status: Mapped[str]
    body: Mapped[dict[str, Any]]
    saved: Mapped[Instant]
    due: Mapped[Instant | None]
    not_before: Mapped[Instant | None]
    planned: Mapped[dict[str, Any] | None]  # day and zone of the draft, while it goes out at once instead
    started: Mapped[Instant | None]
    ended: Mapped[Instant | None]
    recipients: Mapped[int | None]
    pace: Mapped[int | None]
    next_slot: Mapped[Instant | None]
    tested: Mapped[int | None]
    tested_at: Mapped[Instant | None]
    again_of: Mapped[str | None]
    audience: Mapped[str | None]  # the audience its conditions were copied from, as it was saved then
    audience_saved: Mapped[Instant | None]


class PostingRow(Table):
    """One student on the list of a broadcast that has started, by their number on it; ``done``: decided for good."""

    __tablename__ = "postings"
    broadcast: Mapped[str] = mapped_column(ForeignKey("broadcasts.key", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    moment: Mapped[Instant]
    due: Mapped[Instant | None]
    too_late: Mapped[bool]
    inside_since: Mapped[Instant | None]
    held: Mapped[list[Any]]
    done: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (Index("ix_postings_due", "broadcast", "due", "number", sqlite_where=text("NOT done")),)
