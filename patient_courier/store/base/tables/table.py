"""What every table has in common."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, MetaData, Text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.columns import InstantColumn, Packed


class Table(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_N_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "fk": "fk_%(table_name)s_%(column_0_N_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {Instant: InstantColumn, dict[str, Any]: Packed, list[Any]: Packed, str: Text}


def student_key() -> Mapped[int]:
    """The student whose fact this is; it goes when they go."""
    return mapped_column(ForeignKey("students.id", ondelete="CASCADE"), primary_key=True)
