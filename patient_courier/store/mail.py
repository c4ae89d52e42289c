"""The mailroom's messages."""

from __future__ import annotations

from sqlalchemy import Connection, Select, func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.tables import MailRow


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


def has_message(session: Session, message_id: str) -> bool:
    return session.scalar(select(MailRow.id).where(MailRow.message_id == message_id)) is not None


def inbox(recipient: str) -> Select[tuple[MailRow]]:
    """The messages to one address, the newest first."""
    return (
        select(MailRow)
        .where(MailRow.recipient == recipient.lower())
        .order_by(MailRow.sent.desc(), MailRow.id.desc())
    )


def unopened(session: Session, recipient: str) -> int:
    query = select(func.count(MailRow.id)).where(
        MailRow.recipient == recipient.lower(), MailRow.opened.is_(False)
    )
    return session.scalar(query) or 0
