"""Sequences as they were written."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class SequenceRow(Table):
    __tablename__ = "sequences"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    status: Mapped[str]
    version: Mapped[int]
    paused_after: Mapped[int | None]  # the last event before it was paused, while it is
    unfinished: Mapped[str | None]  # of a draft: JSON text of a form that can't be read yet, kept as it is


class SequenceVersionRow(Table):
    __tablename__ = "sequence_versions"
    key: Mapped[str] = mapped_column(ForeignKey("sequences.key"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    saved: Mapped[Instant]
    body: Mapped[dict[str, Any]]


class KeptRehearsalRow(Table):
    """A rehearsal kept as a check of its sequence: the student, the moves, and what came of them."""

    __tablename__ = "kept_rehearsals"
    id: Mapped[int] = mapped_column(primary_key=True)
    sequence: Mapped[str] = mapped_column(ForeignKey("sequences.key", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    saved: Mapped[Instant]
    body: Mapped[dict[str, Any]]
    outcome: Mapped[list[Any]]
    seen: Mapped[list[Any]]  # what came of them when last played; differs from outcome until the owner agrees
