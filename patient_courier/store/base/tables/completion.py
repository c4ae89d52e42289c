"""Certificates, the keys that sign them, and what students wrote."""

from __future__ import annotations

from sqlalchemy import ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table, student_key


class CertificateRow(Table):
    __tablename__ = "certificates"
    student_id: Mapped[int] = student_key()
    course: Mapped[str] = mapped_column(primary_key=True)
    requested: Mapped[Instant | None]
    issued: Mapped[Instant | None]
    declined: Mapped[Instant | None]  # when the owner put the request aside


class PrintRow(Table):
    """A certificate as it is printed, by its number; ``name`` None: as in the student's record.

    ``design`` is a key of designs, ``place`` the certificate's in the list that says which were taken back,
    ``changed`` when its credential last became another one.
    """

    __tablename__ = "prints"
    code: Mapped[str] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    course: Mapped[str]
    name: Mapped[str | None]
    issued: Mapped[Instant]
    revoked: Mapped[bool] = mapped_column(default=False)
    design: Mapped[str | None]
    place: Mapped[int | None]
    changed: Mapped[Instant | None]
    __table_args__ = (
        Index("ix_prints_issued", "issued"),
        Index("ix_prints_place", "place", unique=True),
    )


class DesignRow(Table):
    """What stands on certificates, kept under its digest: what was issued keeps its design."""

    __tablename__ = "designs"
    key: Mapped[str] = mapped_column(primary_key=True)
    body: Mapped[str]


class VoidPlaceRow(Table):
    """The place of a certificate that was taken back and whose student was erased: its credential stays void."""

    __tablename__ = "void_places"
    place: Mapped[int] = mapped_column(primary_key=True)


class SigningKeyRow(Table):
    """A key that credentials are signed with. ``private`` None: brought from elsewhere without it, for checking alone."""

    __tablename__ = "signing_keys"
    number: Mapped[int] = mapped_column(primary_key=True)
    made: Mapped[Instant]
    private: Mapped[str | None]
    public: Mapped[str]
    distrusted: Mapped[Instant | None]


class WordsRow(Table):
    """What a student wrote after an answer: ``value`` is what the answer counts, ``done`` when it needs the owner no more."""

    __tablename__ = "words"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"))
    letter: Mapped[str]
    course: Mapped[str]  # empty without one
    answer: Mapped[str]
    value: Mapped[int | None]
    words: Mapped[str]
    at: Mapped[Instant]
    done: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (
        UniqueConstraint("student_id", "letter", "course"),
        Index("ix_words_open", "at", sqlite_where=text("NOT done")),
    )
