"""Messages as they came: the last hundred of a connection, or those of the last thirty days, within a bound of bytes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import Text, cast, delete, exists, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.translating.message import Message
from patient_courier.store.base.columns import InstantColumn
from patient_courier.store.base.plain import CONNECTIONS, MESSAGES
from patient_courier.store.base.statements import Statement, given
from patient_courier.store.base.tables import ConnectionRow, MessageRow, WaitingRow

KEPT_MESSAGES = 100
KEPT_HOURS = 24 * 30
KEPT_BYTES = 20_000_000
# So many messages come between two looks at what may go.
LOOKS_EVERY = 50


@dataclass(frozen=True, slots=True)
class KeptMessage:
    """A message with its number; ``became`` counts what its items are, None while nothing of it was taken in."""

    id: int
    connection: int
    message: Message
    became: dict[str, int] | None


def _kept(row: MessageRow) -> KeptMessage:
    return KeptMessage(row.id, row.connection_id, Message(row.received, row.type, row.body), row.became)


def keep(session: Session, connection: int, message: Message, became: dict[str, int] | None = None) -> int:
    """Keep a message; returns its number. What is too old, or too much, goes; what still waits stays."""
    number: int = (_NEWEST.scalar(session) or 0) + 1
    _KEEP.run(
        session,
        id=number,
        connection_id=connection,
        received=message.received,
        type=message.type,
        body=message.body,
        became=became,
    )
    _NOTE_KEPT.run(session, id=connection, size=len(message.body), last=message.received)
    if number % LOOKS_EVERY == 0:
        prune(session, connection, message.received)
    return number


# Done with every message.
_NEWEST = Statement(select(func.max(MESSAGES.c.id)))
_KEEP = Statement(
    insert(MESSAGES).values({column.name: given(column.name, column.type) for column in MESSAGES.c})
)
_NOTE_KEPT = Statement(
    update(CONNECTIONS)
    .where(CONNECTIONS.c.id == given("id"))
    .values(kept=CONNECTIONS.c.kept + given("size"), last=given("last", InstantColumn()))
)


def prune(session: Session, connection: int, now: Instant) -> None:
    """Let go what is neither among the last hundred nor of the last thirty days, then the oldest beyond the bound of bytes."""
    idle = (
        MessageRow.connection_id == connection,
        ~exists().where(WaitingRow.message_id == MessageRow.id, WaitingRow.put_aside.is_(False)),
    )
    newest = (
        select(MessageRow.id)
        .where(MessageRow.connection_id == connection)
        .order_by(MessageRow.id.desc())
        .limit(KEPT_MESSAGES)
    )
    old = MessageRow.received < now.subtract(hours=KEPT_HOURS)
    session.execute(delete(MessageRow).where(*idle, old, MessageRow.id.not_in(newest)))
    sizes = select(MessageRow.id, func.length(MessageRow.body)).where(MessageRow.connection_id == connection)
    total, over = 0, None
    for id, size in session.execute(sizes.order_by(MessageRow.id.desc())):
        total += size
        if total > KEPT_BYTES:
            over = id
            break
    if over is not None:
        session.execute(delete(MessageRow).where(*idle, MessageRow.id <= over))
    kept = select(func.coalesce(func.sum(func.length(MessageRow.body)), 0)).where(
        MessageRow.connection_id == connection
    )
    session.execute(
        update(ConnectionRow).where(ConnectionRow.id == connection).values(kept=kept.scalar_subquery())
    )


def newest(
    session: Session, connection: int, most: int, before: int | None = None, since: Instant | None = None
) -> list[KeptMessage]:
    """The newest messages, the newest first; ``before`` a number for the next page, ``since`` a moment."""
    query = select(MessageRow).where(MessageRow.connection_id == connection)
    if before is not None:
        query = query.where(MessageRow.id < before)
    if since is not None:
        query = query.where(MessageRow.received >= since)
    return [_kept(row) for row in session.scalars(query.order_by(MessageRow.id.desc()).limit(most))]


def untaken(session: Session, connection: int, since: Instant) -> Sequence[int]:
    """The numbers of the messages since a moment of which nothing was taken in, the oldest first."""
    query = select(MessageRow.id).where(
        MessageRow.connection_id == connection, MessageRow.received >= since, MessageRow.became.is_(None)
    )
    return session.scalars(query.order_by(MessageRow.id)).all()


def get(session: Session, id: int) -> KeptMessage | None:
    row = session.get(MessageRow, id)
    return _kept(row) if row is not None else None


def note(session: Session, id: int, became: dict[str, int]) -> None:
    session.execute(update(MessageRow).where(MessageRow.id == id).values(became=became))


def number(session: Session, connection: int) -> int:
    query = select(func.count(MessageRow.id)).where(MessageRow.connection_id == connection)
    return session.scalar(query) or 0


def forget(session: Session, email: str) -> None:
    """Messages in which an address stands, with what of them waits: whoever is erased stands in none."""
    with_it = select(MessageRow.id).where(
        func.instr(func.lower(cast(MessageRow.body, Text)), email.lower()) > 0
    )
    ids = session.scalars(with_it).all()
    session.execute(delete(WaitingRow).where(WaitingRow.message_id.in_(ids)))
    session.execute(delete(MessageRow).where(MessageRow.id.in_(ids)))
