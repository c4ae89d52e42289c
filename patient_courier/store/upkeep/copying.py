"""How copies are to be kept, and how making them has gone."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.upkeep.copies import Copying
from patient_courier.store.upkeep import kept

_COPYING, _FAILING = "copying", "copies-failing"


@dataclass(frozen=True, slots=True)
class Failing:
    """Since when (real time) making a copy fails, and why."""

    since: Instant
    why: str


def read_copying(session: Session) -> Copying:
    body = kept.read(session, _COPYING)
    return Copying.model_validate(body) if body else Copying()


def keep_copying(session: Session, copying: Copying) -> None:
    kept.keep(session, _COPYING, copying.model_dump(mode="json"))


def failing(session: Session) -> Failing | None:
    body = kept.read(session, _FAILING)
    return Failing(body["since"], body["why"]) if body else None


def note_failing(session: Session, why: str | None, now: Instant) -> None:
    """Keep why making a copy fails, with the moment it began to; None: it does not any more."""
    if why is None:
        kept.forget(session, _FAILING)
    else:
        before = failing(session)
        kept.keep(session, _FAILING, {"since": before.since if before else now, "why": why})
