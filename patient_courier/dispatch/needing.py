"""How much waits for the owner, by the tables: said in the menu and in the weekly letter."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.dispatch.silences import silences
from patient_courier.store.completion import approvals
from patient_courier.store.connections import waiting
from patient_courier.store.destinations import destinations
from patient_courier.store.outbox import needs
from patient_courier.store.upkeep.failing import failing


def waiting_for_owner(session: Session, definitions: Definitions, now: Instant) -> int:
    """Letters, events, certificates, groups of unknown things, silent connections, destinations that stand still, upkeep."""
    return (
        needs.count(session)
        + approvals.count(session)
        + waiting.group_number(session)
        + len(silences(definitions, session, now))
        + len(destinations.standing_still(session))
        + sum(failing(session, what) is not None for what in ("copies", "mailbox"))
    )
