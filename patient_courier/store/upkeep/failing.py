"""What fails at the moment, and since when: making copies, reading the mailbox, the first mail server."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.upkeep import kept

What = Literal["copies", "mailbox", "server"]


@dataclass(frozen=True, slots=True)
class Failing:
    """Since when (real time), and what is said of it."""

    since: Instant
    why: str


def failing(session: Session, what: What) -> Failing | None:
    body = kept.read(session, f"failing-{what}")
    return Failing(body["since"], body["why"]) if body else None


def note_failing(session: Session, what: What, why: str | None, now: Instant) -> Failing | None:
    """Keep why something fails, with the moment it began to; None: it does not any more. Returns what is kept."""
    if why is None:
        kept.forget(session, f"failing-{what}")
        return None
    before = failing(session, what)
    found = Failing(before.since if before else now, why)
    kept.keep(session, f"failing-{what}", {"since": found.since, "why": found.why})
    return found
