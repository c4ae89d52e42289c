"""Playing past events into a fresh school: what would have happened then is on record, and nothing is posted now."""

from __future__ import annotations

from sqlalchemy import select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.agenda import Agenda
from patient_courier.core.definitions import Definitions
from patient_courier.core.effects import Effect
from patient_courier.core.engine import Engine
from patient_courier.core.rehearsal import in_order
from patient_courier.core.school.events import Event
from patient_courier.core.school.values import moment_text
from patient_courier.store.saving import save_effects, save_states
from patient_courier.store.states import load_states
from patient_courier.store.tables import DeliveryRow, EventIdRow, StudentRow


def play_history(session: Session, definitions: Definitions, events: list[Event], until: Instant) -> None:
    """Let past events happen at their own time, up to ``until``; their letters count as sent then.

    Raises ValueError when an event lies after ``until``: it has not happened yet.
    """
    late = [event for event in events if event.at > until]
    if late:
        raise ValueError(
            f"{len(late)} of the events lie in the future, the last at {moment_text(max(e.at for e in late))}. "
            "A school can only begin with what has happened already."
        )
    ids = {key: id for key, id in session.execute(select(StudentRow.key, StudentRow.id))}
    states = load_states(session, ids.values(), definitions)
    effects: list[Effect] = []
    agenda = Agenda(Engine(definitions), effects.append)
    for state in states.values():
        agenda.add_student(state)
    agenda.add_events((states[ids[event.student]], event) for event in in_order(events))
    agenda.run_until(until)
    save_states(session, states, definitions)
    save_effects(session, effects, ids)
    session.execute(
        update(DeliveryRow).where(DeliveryRow.status == "queued").values(status="sent", posted=DeliveryRow.at)
    )
    ids_seen = dict.fromkeys(event.id for event in events if event.id)
    session.add_all(EventIdRow(id=id) for id in ids_seen)
