"""The mailroom's messages."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import Connection, or_, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import MailRow

PAGE = 50


def keep_message(
    session: Session | Connection, *, message_id: str, recipient: str, sent: Instant, subject: str, raw: bytes
) -> None:
    """Keep a message; one that is there already stays as it is."""
    statement = insert(MailRow).on_conflict_do_nothing(index_elements=["message_id"])
    session.execute(
        statement,
        {
            "message_id": message_id,
            "recipient": recipient.lower(),
            "sent": sent,
            "subject": subject,
            "raw": raw,
            "opened": False,
        },
    )


def has_message(session: Session, begins: Collection[str]) -> bool:
    """Whether a message has come in whose Message-ID begins in one of these ways."""
    known = or_(*[MailRow.message_id.startswith(one, autoescape=True) for one in begins])
    return session.scalar(select(MailRow.id).where(known).limit(1)) is not None


def find_by_message_id(session: Session, message_id: str) -> int | None:
    return session.scalar(select(MailRow.id).where(MailRow.message_id == message_id))


@dataclass(frozen=True, slots=True)
class Message:
    """A message that was taken in, whole."""

    id: int
    message_id: str
    recipient: str
    sent: Instant
    subject: str
    raw: bytes
    opened: bool


def _message(row: MailRow) -> Message:
    return Message(row.id, row.message_id, row.recipient, row.sent, row.subject, row.raw, row.opened)


def inbox(session: Session, recipient: str, page: int) -> list[Message]:
    """A page of the messages to one address, the newest first."""
    query = (
        select(MailRow)
        .where(MailRow.recipient == recipient.lower())
        .order_by(MailRow.sent.desc(), MailRow.id.desc())
    )
    return [_message(row) for row in session.scalars(query.limit(PAGE).offset((page - 1) * PAGE))]


def find_message(session: Session, id: int) -> Message | None:
    row = session.get(MailRow, id)
    return _message(row) if row else None


def mark_opened(session: Session, id: int) -> None:
    session.execute(update(MailRow).where(MailRow.id == id).values(opened=True))
