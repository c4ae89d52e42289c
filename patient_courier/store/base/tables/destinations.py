"""What goes out to other programs: destinations, messages to them, calls of steps; keys and lists that programs come with."""

from __future__ import annotations

from secrets import token_hex
from typing import Any

from sqlalchemy import ForeignKey, Index, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


def message_key() -> str:
    """An id that no other message has had, not even before a copy of the school was put back."""
    return f"msg_{token_hex(12)}"


class DestinationRow(Table):
    """An address outside that hears what happens here; state ``on``, ``paused`` or ``ended`` (real times).

    ``older`` is the secret before this one, which signs too until ``older_ends``. ``failing`` is since when it has taken
    nothing; ``why`` it stands still.
    """

    __tablename__ = "destinations"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    url: Mapped[str]
    kinds: Mapped[list[Any]]
    courses: Mapped[list[Any]]
    secret: Mapped[str]
    older: Mapped[str | None]
    older_ends: Mapped[Instant | None]
    state: Mapped[str]
    why: Mapped[str | None]
    failing: Mapped[Instant | None]
    last: Mapped[Instant | None]


class OutgoingRow(Table):
    """A message to a destination, or the call of a step: queued, sent, failed (set aside), or kept by a practice school.

    ``key`` is its id in all tries. ``lane`` is what it shares its order and its pauses with: its destination, or the origin
    of its ``url``. ``at`` is school time; ``since`` (of its first try) and ``retry`` are real times. A call's body is made
    when it first goes out.
    """

    __tablename__ = "outgoing"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True, default=message_key)
    lane: Mapped[str]
    destination_id: Mapped[int | None] = mapped_column(
        ForeignKey("destinations.id", ondelete="CASCADE"), index=True
    )
    student_id: Mapped[int | None] = mapped_column(ForeignKey("students.id", ondelete="CASCADE"), index=True)
    run: Mapped[int | None]
    step: Mapped[str | None]
    round: Mapped[str | None]
    url: Mapped[str | None]
    type: Mapped[str]
    at: Mapped[Instant]
    body: Mapped[str | None]
    status: Mapped[str]
    reason: Mapped[str | None]
    tries: Mapped[int] = mapped_column(default=0)
    since: Mapped[Instant | None]
    retry: Mapped[Instant | None]
    __table_args__ = (
        UniqueConstraint("run", "step", "round"),
        Index("ix_outgoing_queued", "lane", "id", sqlite_where=text("status = 'queued'")),
        Index("ix_outgoing_order", "lane", "student_id", "id", sqlite_where=text("status = 'queued'")),
    )


class OutgoingTryRow(Table):
    """One try of a message: when (real time), what was answered, how long it took (ms)."""

    __tablename__ = "outgoing_tries"
    id: Mapped[int] = mapped_column(primary_key=True)
    outgoing_id: Mapped[int] = mapped_column(ForeignKey("outgoing.id", ondelete="CASCADE"), index=True)
    at: Mapped[Instant]
    status: Mapped[int | None]
    answer: Mapped[str]
    took: Mapped[int]


class ApiKeyRow(Table):
    """A key of a program: its name, what it may do, a digest of it (SHA-256) and its first signs; times are real."""

    __tablename__ = "api_keys"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    scopes: Mapped[list[Any]]
    digest: Mapped[str] = mapped_column(unique=True)
    begins: Mapped[str]
    made: Mapped[Instant]
    used: Mapped[Instant | None]
    ended: Mapped[Instant | None]


class ApiAnswerRow(Table):
    """What was answered to a change under an Idempotency-Key, with a digest of what was asked; ``at`` in real time."""

    __tablename__ = "api_answers"
    api_key_id: Mapped[int] = mapped_column(ForeignKey("api_keys.id", ondelete="CASCADE"), primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    asked: Mapped[str]
    status: Mapped[int]
    body: Mapped[str]
    at: Mapped[Instant] = mapped_column(index=True)


class FetchedListRow(Table):
    """A list of students that tools fetch by an address with a secret: ``what`` is ``finished``, ``tag`` or ``audience``."""

    __tablename__ = "fetched_lists"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    what: Mapped[str]
    of: Mapped[str]
    digest: Mapped[str] = mapped_column(unique=True)
    made: Mapped[Instant]
    fetched: Mapped[Instant | None]
