"""A student asks for a certificate: it comes to the owner, who approves it or puts it aside."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.engine import Engine
from patient_courier.dispatch.carrying_out import carry_out
from patient_courier.store.completion import approvals
from patient_courier.store.engine.loading import load_states, numbers


def ask(session: Session, definitions: Definitions, student: int, course: str, now: Instant) -> None:
    """Request a certificate; one that the owner has put aside before comes forward again."""
    states = load_states(session, [student], definitions)
    effects = Engine(definitions, numbers(session)).ask_for_certificate(states[student], course, now)
    if not effects:
        approvals.ask_again(session, student, course, now)
        return
    carry_out(session, definitions, states, effects)
