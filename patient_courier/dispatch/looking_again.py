"""What waits outside the engine is looked at now and then: items of messages that can go in by now, sign-ups nobody confirmed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.kept_messages import look_again
from patient_courier.store.base.database import Database
from patient_courier.store.connections import waiting
from patient_courier.store.students import sign_ups

# By the school's clock.
LOOK_EVERY_SECONDS = 30


@dataclass(frozen=True, slots=True)
class Looked:
    """With which school, and when by its clock, was looked last."""

    definitions: Definitions
    at: Instant


class LookingAgain:
    """Looks when the school has changed, and else every half minute of the school's time."""

    def __init__(self, database: Database, load: Callable[[Session], Definitions]) -> None:
        self._database = database
        self._load = load
        self._looked: Looked | None = None

    def look(self) -> bool:
        """Let in what can go in, forget who has not confirmed; True when something may have gone in."""
        with self._database.reading() as session:
            definitions, now = self._load(session), read_clock(session).now
            before = self._looked
            changed = before is None or before.definitions is not definitions
            if before is not None and not changed and now < before.at.add(seconds=LOOK_EVERY_SECONDS):
                return False
            any_there = waiting.any_like(session, ("ahead", "unknown") if changed else ("ahead",))
            any_old = sign_ups.any_old(session, now)
        if any_old:
            with self._database.writing() as session:
                sign_ups.forget_old(session, now)
        if any_there:
            look_again(self._database, self._load, school_changed=changed)
        self._looked = Looked(definitions, now)
        return any_there
