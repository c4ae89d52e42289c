"""Letters as they were written, their looks and pictures."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, LargeBinary
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class LetterRow(Table):
    __tablename__ = "letters"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    version: Mapped[int]


class LetterVersionRow(Table):
    __tablename__ = "letter_versions"
    key: Mapped[str] = mapped_column(ForeignKey("letters.key"), primary_key=True)
    version: Mapped[int] = mapped_column(primary_key=True)
    saved: Mapped[Instant]
    body: Mapped[dict[str, Any]]


class LayoutRow(Table):
    """A frame round letters."""

    __tablename__ = "layouts"
    key: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int]
    body: Mapped[dict[str, Any]]


class PictureRow(Table):
    """An uploaded picture, made anew from what was sent; the key is a digest of it with its ending."""

    __tablename__ = "pictures"
    key: Mapped[str] = mapped_column(primary_key=True)
    name: Mapped[str]
    width: Mapped[int]
    height: Mapped[int]
    uploaded: Mapped[Instant]
    body: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)


class ProofRow(Table):
    """Who is shown the next real deliveries of a letter, and how many are ``left``."""

    __tablename__ = "proofs"
    letter: Mapped[str] = mapped_column(primary_key=True)
    readers: Mapped[list[Any]]
    left: Mapped[int]
