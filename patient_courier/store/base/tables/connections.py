"""Calls to other programs."""

from __future__ import annotations

from sqlalchemy import ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class CallRow(Table):
    """A signed HTTP POST that a step asks for: queued, sent, failed, or kept (practice schools call nobody)."""

    __tablename__ = "calls"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    run: Mapped[int]
    step: Mapped[str]
    round: Mapped[str]
    url: Mapped[str]
    at: Mapped[Instant]
    status: Mapped[str]
    reason: Mapped[str | None]
    tries: Mapped[int] = mapped_column(default=0)
    retry: Mapped[Instant | None]
    __table_args__ = (
        UniqueConstraint("run", "step", "round"),
        Index("ix_calls_queued", "id", sqlite_where=text("status = 'queued'")),
    )
