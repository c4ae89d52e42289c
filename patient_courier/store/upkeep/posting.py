"""The mail servers that the owner has given, and what was handed to them."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.upkeep.mail_server import Posting
from patient_courier.store.base.plain import DELIVERIES
from patient_courier.store.upkeep import kept
from patient_courier.store.upkeep.failing import note_failing

_POSTING, _CLOCK = "posting", "mail-clock"
CLOCK_DAYS = 30


def read_posting(session: Session) -> Posting:
    body = kept.read(session, _POSTING) or {}
    return Posting.model_validate({name: body[name] for name in Posting.model_fields if name in body})


def keep_posting(session: Session, posting: Posting, now: Instant) -> None:
    """Keep the servers; a new first one has not refused anything yet."""
    ever = has_ever_posted(session) or posting.server is not None
    kept.keep(session, _POSTING, {**posting.model_dump(mode="json"), "ever": ever})
    note_failing(session, "server", None, now)


def has_ever_posted(session: Session) -> bool:
    """Whether a server has been given at some time: then not all that was posted lies in the mailroom."""
    return bool((kept.read(session, _POSTING) or {}).get("ever"))


def note_mail_clock(session: Session, off: float, now: Instant) -> None:
    """By how many seconds the mail server's clock goes before this machine's, as a test letter showed."""
    kept.keep(session, _CLOCK, {"off": off, "at": now})


def mail_clock(session: Session, now: Instant) -> float | None:
    """The same, while it is not too long ago to say something."""
    body = kept.read(session, _CLOCK)
    return float(body["off"]) if body and body["at"] > now.subtract(hours=24 * CLOCK_DAYS) else None


def handed_since(session: Session, since: Instant) -> list[Instant]:
    """When letters were handed to a server since then (real time), the oldest first."""
    handed = DELIVERIES.c.handed
    return list(session.scalars(select(handed).where(handed > since).order_by(handed)))
