"""What happened, and the runs that stand somewhere."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class EventRow(Table):
    """Every event, reported or derived, by its number; ``cause`` is the event it follows from.

    ``reported``: it came from outside, with ``reported_id`` if the site gave it one.
    """

    __tablename__ = "events"
    number: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"))
    type: Mapped[str]
    at: Mapped[Instant]
    cause: Mapped[int | None]
    names: Mapped[dict[str, Any]]
    reported: Mapped[bool] = mapped_column(default=False)
    reported_id: Mapped[str | None]
    __table_args__ = (
        Index("ix_events_student_id_number", "student_id", "number"),
        Index("ix_events_type_at", "type", "at"),
    )


class EventIdRow(Table):
    """The ids of events that reporting sites have sent; a repeated one changes nothing."""

    __tablename__ = "event_ids"
    id: Mapped[str] = mapped_column(primary_key=True)


class RunRow(Table):
    __tablename__ = "runs"
    number: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    sequence: Mapped[str]
    version: Mapped[int]
    subject: Mapped[dict[str, Any] | None]
    started: Mapped[Instant]
    event_at: Mapped[Instant]
    event_number: Mapped[int]
    cause: Mapped[int]
    trial: Mapped[str | None]
    outcome: Mapped[str | None]
    ended: Mapped[Instant | None]
    step: Mapped[str | None]
    due: Mapped[Instant | None]
    arrived: Mapped[Instant | None]
    walked: Mapped[bool]
    arriving: Mapped[bool] = mapped_column(default=False)
    steps_at: Mapped[Instant | None]
    steps: Mapped[int]
    holds: Mapped[list[Any]]
    rounds: Mapped[dict[str, Any]]
    passed: Mapped[dict[str, Any]]
    trail: Mapped[list[Any]]
    __table_args__ = (
        Index("ix_runs_due", "due", "number", sqlite_where=text("due IS NOT NULL AND outcome IS NULL")),
        Index("ix_runs_sequence", "sequence", "version", "outcome"),
        Index(
            "ix_runs_trial",
            "sequence",
            "trial",
            "student_id",
            "number",
            sqlite_where=text("trial IS NOT NULL"),
        ),
    )
