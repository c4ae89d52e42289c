"""The mail servers that the owner has given, and what is remembered of how they fare."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.upkeep.mail_server import Posting
from patient_courier.store.base.plain import DELIVERIES
from patient_courier.store.upkeep import kept

_POSTING, _REFUSING = "posting", "refusing"


@dataclass(frozen=True, slots=True)
class Refusing:
    """Since when (real time) the first server takes nothing, and what it says."""

    since: Instant
    said: str


def read_posting(session: Session) -> Posting:
    body = kept.read(session, _POSTING) or {}
    return Posting.model_validate({name: body[name] for name in Posting.model_fields if name in body})


def keep_posting(session: Session, posting: Posting) -> None:
    """Keep the servers; a new first one has not refused anything yet."""
    ever = has_ever_posted(session) or posting.server is not None
    kept.keep(session, _POSTING, {**posting.model_dump(mode="json"), "ever": ever})
    kept.forget(session, _REFUSING)


def has_ever_posted(session: Session) -> bool:
    """Whether a server has been given at some time: then not all that was posted lies in the mailroom."""
    return bool((kept.read(session, _POSTING) or {}).get("ever"))


def read_refusing(session: Session) -> Refusing | None:
    body = kept.read(session, _REFUSING)
    return Refusing(body["since"], body["said"]) if body else None


def keep_refusing(session: Session, refusing: Refusing | None) -> None:
    if refusing is None:
        kept.forget(session, _REFUSING)
    else:
        kept.keep(session, _REFUSING, {"since": refusing.since, "said": refusing.said})


def handed_since(session: Session, since: Instant) -> list[Instant]:
    """When letters were handed to a server since then (real time), the oldest first."""
    handed = DELIVERIES.c.handed
    return list(session.scalars(select(handed).where(handed > since).order_by(handed)))
