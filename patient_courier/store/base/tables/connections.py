"""Connections that report events, their messages, what of them waits."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, Index, LargeBinary, UniqueConstraint, text
from sqlalchemy.orm import Mapped, mapped_column
from whenever import Instant

from patient_courier.store.base.tables.table import Table


class ConnectionRow(Table):
    """Something outside that reports events; state ``listening``, ``on`` or ``off``.

    ``file`` is its connection file as JSON text, which can be one that is still being made. ``kept`` are the bytes of its
    kept messages. ``refused`` is what was wrong with the last message that was refused. ``own_mailbox`` is the owner's word that
    only they get what comes as mail.
    """

    __tablename__ = "connections"
    id: Mapped[int] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(unique=True)
    state: Mapped[str]
    file: Mapped[str]
    made: Mapped[Instant]
    kept: Mapped[int] = mapped_column(default=0)
    last: Mapped[Instant | None]
    refused: Mapped[str | None]
    refused_at: Mapped[Instant | None]
    own_mailbox: Mapped[bool] = mapped_column(default=False)


class ConnectionSecretRow(Table):
    """What a connection is reached and proves itself by: ``kind`` is ``address`` or ``proof``; an older one ends (real time)."""

    __tablename__ = "connection_secrets"
    id: Mapped[int] = mapped_column(primary_key=True)
    connection_id: Mapped[int] = mapped_column(ForeignKey("connections.id", ondelete="CASCADE"), index=True)
    kind: Mapped[str]
    value: Mapped[str]
    digest: Mapped[str] = mapped_column(unique=True)
    ends: Mapped[Instant | None]


class MessageRow(Table):
    """A message as it came. ``became`` counts what its items are, once they have been taken in; without, it was only kept."""

    __tablename__ = "messages"
    id: Mapped[int] = mapped_column(primary_key=True)
    connection_id: Mapped[int] = mapped_column(ForeignKey("connections.id", ondelete="CASCADE"))
    received: Mapped[Instant]
    type: Mapped[str]
    body: Mapped[bytes] = mapped_column(LargeBinary)
    became: Mapped[dict[str, Any] | None]
    __table_args__ = (Index("ix_messages_newest", "connection_id", "id"),)


class WaitingRow(Table):
    """An item that is no event yet: item ``number`` (from 1) of a message, known by ``key``, and why it waits.

    ``put_aside`` ones are known, and wait no longer.
    """

    __tablename__ = "waiting"
    id: Mapped[int] = mapped_column(primary_key=True)
    connection_id: Mapped[int] = mapped_column(ForeignKey("connections.id", ondelete="CASCADE"))
    message_id: Mapped[int | None] = mapped_column(ForeignKey("messages.id", ondelete="SET NULL"), index=True)
    number: Mapped[int]
    key: Mapped[str]
    type: Mapped[str]
    why: Mapped[str]
    field: Mapped[str]
    place: Mapped[str | None]
    found: Mapped[str | None]
    sentence: Mapped[str]
    at: Mapped[Instant]
    put_aside: Mapped[bool] = mapped_column(default=False)
    __table_args__ = (
        UniqueConstraint("connection_id", "key"),
        Index("ix_waiting_open", "id", sqlite_where=text("put_aside = 0")),
    )


class ConnectionDayRow(Table):
    """What came by a connection on one day of the school's: messages, and what became of their items."""

    __tablename__ = "connection_days"
    connection_id: Mapped[int] = mapped_column(
        ForeignKey("connections.id", ondelete="CASCADE"), primary_key=True
    )
    day: Mapped[str] = mapped_column(primary_key=True)
    messages: Mapped[int] = mapped_column(default=0)
    events: Mapped[int] = mapped_column(default=0)
    repeats: Mapped[int] = mapped_column(default=0)
    waits: Mapped[int] = mapped_column(default=0)
    not_for_us: Mapped[int] = mapped_column(default=0)
    refused: Mapped[int] = mapped_column(default=0)


class StatementRow(Table):
    """An xAPI statement that a connection has had, by its id (a UUID), with a digest of what it says."""

    __tablename__ = "statements"
    connection_id: Mapped[int] = mapped_column(
        ForeignKey("connections.id", ondelete="CASCADE"), primary_key=True
    )
    id: Mapped[str] = mapped_column(primary_key=True)
    digest: Mapped[str]
