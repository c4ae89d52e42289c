"""How the school is kept: what was changed in it, by whom."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class ChangeRow(Table):
    """Something that was changed by hand or by a key (``at``: real time). A trigger keeps it from being written over.

    ``words`` is all of it, for searching; ``before`` and ``after`` are there where it can be put back.
    """

    __tablename__ = "changes"
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[Instant] = mapped_column(index=True)
    who: Mapped[str]
    kind: Mapped[str]
    key: Mapped[str]
    title: Mapped[str]
    lines: Mapped[list[Any]]
    words: Mapped[str]
    student_id: Mapped[int | None] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    before: Mapped[dict[str, Any] | None]
    after: Mapped[dict[str, Any] | None]
