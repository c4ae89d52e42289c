"""The mailbox that is read for what comes back, and how far it has been read."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.upkeep.mail_server import Incoming
from patient_courier.store.upkeep import kept
from patient_courier.store.upkeep.failing import note_failing

_INCOMING, _READ = "incoming", "incoming-read"


@dataclass(frozen=True, slots=True)
class Read:
    """Up to which message a mailbox was read: its ``validity`` and the highest number in it (RFC 3501 section 2.3.1.1)."""

    validity: int
    number: int


def read_incoming(session: Session) -> Incoming | None:
    body = kept.read(session, _INCOMING)
    return Incoming.model_validate(body) if body else None


def keep_incoming(session: Session, incoming: Incoming | None, now: Instant) -> None:
    """Keep a mailbox; another one is read from its beginning."""
    before = read_incoming(session)
    if incoming is None:
        kept.forget(session, _INCOMING)
    else:
        kept.keep(session, _INCOMING, incoming.model_dump(mode="json"))
    if before is None or incoming is None or _place(before) != _place(incoming):
        kept.forget(session, _READ)
    note_failing(session, "mailbox", None, now)


def _place(incoming: Incoming) -> tuple[str, str, str]:
    return incoming.host, incoming.user, incoming.folder


def how_far(session: Session) -> Read | None:
    body = kept.read(session, _READ)
    return Read(body["validity"], body["number"]) if body else None


def note_read(session: Session, found: Read) -> None:
    kept.keep(session, _READ, {"validity": found.validity, "number": found.number})
