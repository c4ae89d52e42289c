"""Deliveries, what became of them, and the mailroom."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, LargeBinary, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table

# Deliveries that something is still to be done about. A question about them must say these very words beside its own:
# only then SQLite sees that the small index of them serves it (SQLite's documentation, “Partial Indexes”, section 3).
WAITING_WORDS = "status IN ('queued', 'posting', 'stuck', 'unsure', 'held')"
# A letter in one of these states counts as sent: it has been decided on and is on its way or there.
POSTED = ("queued", "posting", "sent", "bounced", "unsure")


class DeliveryRow(Table):
    """One letter for one student, with what became of it; also the outbox (status ``queued``).

    A broadcast's has run 0, the broadcast's key as ``step`` and the student's id as ``round``: so there is one of each.

    Status: held, queued, posting (handed to the carrier, no answer yet), sent,
    skipped, stuck, dropped, bounced, unsure (the carrier can't say).
    """

    __tablename__ = "deliveries"
    id: Mapped[int] = mapped_column(primary_key=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"))
    run: Mapped[int]
    step: Mapped[str]
    round: Mapped[str]
    sequence: Mapped[str]
    letter: Mapped[str]
    letter_version: Mapped[int]
    purpose: Mapped[str]
    status: Mapped[str]
    reason: Mapped[str | None]
    subject: Mapped[str]
    at: Mapped[Instant]
    posted: Mapped[Instant | None]
    handed: Mapped[Instant | None]  # in real time: when the carrier had it
    recipients: Mapped[list[Any] | None]
    holds: Mapped[list[Any]]
    values: Mapped[dict[str, Any]]
    story: Mapped[int]
    tries: Mapped[int] = mapped_column(default=0)
    retry: Mapped[Instant | None]
    broadcast: Mapped[str | None]
    course: Mapped[str | None]  # what its broadcast is about
    claimed: Mapped[str | None]  # while it is being posted: the start of the computer in which it was claimed
    begun: Mapped[bool] = mapped_column(default=False)  # handing it over may have begun
    seen: Mapped[bool] = mapped_column(default=False)
    again_of: Mapped[int | None]  # sent again by hand: the delivery it repeats
    sent_by: Mapped[str | None]  # and who did it
    __table_args__ = (
        UniqueConstraint("run", "step", "round"),
        Index("ix_deliveries_student_id_at", "student_id", "at"),
        Index("ix_deliveries_at", "at"),
        Index("ix_deliveries_broadcast", "broadcast", "status", sqlite_where=text("broadcast IS NOT NULL")),
        Index("ix_deliveries_letter_student_id_at", "letter", "student_id", "at"),
        Index(
            "ix_deliveries_waiting",
            "status",
            "id",
            sqlite_where=text(WAITING_WORDS),
        ),
    )


class VisitRow(Table):
    """A link of a letter that was followed, or its picture that was loaded (``link`` None).

    ``real`` is real time; ``machine`` says why it is put down to a machine; ``settled``: it has been decided which.
    """

    __tablename__ = "visits"
    id: Mapped[int] = mapped_column(primary_key=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"), index=True)
    at: Mapped[Instant]
    real: Mapped[Instant]
    link: Mapped[str | None]
    machine: Mapped[str | None]
    settled: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (Index("ix_visits_unsettled", "real", sqlite_where=text("NOT settled")),)


class ReturnRow(Table):
    """What the mail world has reported of a delivery: ``hard``, ``soft`` or ``complaint``; ``code`` as RFC 3463 has it."""

    __tablename__ = "returns"
    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(unique=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    delivery_id: Mapped[int] = mapped_column(ForeignKey("deliveries.id", ondelete="CASCADE"), index=True)
    at: Mapped[Instant]
    kind: Mapped[str]
    code: Mapped[str]
    said: Mapped[str]


class ReplyRow(Table):
    """An answer that a student has written: that it came, and about which letter; what it says stays in the mailbox."""

    __tablename__ = "replies"
    id: Mapped[int] = mapped_column(primary_key=True)
    digest: Mapped[str] = mapped_column(unique=True)
    student_id: Mapped[int] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    delivery_id: Mapped[int | None] = mapped_column(
        ForeignKey("deliveries.id", ondelete="SET NULL"), index=True
    )
    at: Mapped[Instant]
    subject: Mapped[str]


class ProvedRow(Table):
    """The print of a letter that went out in a time that is lost, by a mail server's log: it is not posted once more."""

    __tablename__ = "proved"
    print: Mapped[str] = mapped_column(primary_key=True)


class TroubleRow(Table):
    """What the mailroom plays for an address, and how often it still does (-1: always)."""

    __tablename__ = "troubles"
    recipient: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    times: Mapped[int]


class MailRow(Table):
    """A message the mailroom has taken in, whole."""

    __tablename__ = "mail"
    id: Mapped[int] = mapped_column(primary_key=True)
    message_id: Mapped[str] = mapped_column(unique=True)
    recipient: Mapped[str] = mapped_column(index=True)
    sent: Mapped[Instant]
    subject: Mapped[str]
    raw: Mapped[bytes] = mapped_column(LargeBinary)
    opened: Mapped[bool] = mapped_column(default=False)
