"""Playing past events into a fresh school: what would have happened then is on record, and nothing is posted now."""

from __future__ import annotations

from sqlalchemy import select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.agenda import Agenda
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import BroadcastStarted, Effect, LetterDecided
from patient_courier.core.engine.engine import Engine
from patient_courier.core.rehearsing.rehearsal import in_order
from patient_courier.core.school.events import Event
from patient_courier.core.school.values import moment_text
from patient_courier.store.base.tables import DeliveryRow, EventIdRow, StudentRow
from patient_courier.store.broadcasts import broadcasts, postings
from patient_courier.store.engine.loading import load_states
from patient_courier.store.engine.saving import save_effects, save_states
from patient_courier.store.students.consents import REPORTED, note_effects


def play_history(session: Session, definitions: Definitions, events: list[Event], until: Instant) -> None:
    """Let past events and broadcasts happen at their own time, up to ``until``; their letters count as sent then.

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
    past = [kept for kept in broadcasts.in_status(session, "scheduled") if kept.due and kept.due <= until]
    agenda.add_broadcasts([kept.broadcast for kept in past], states.values())
    agenda.run_until(until)
    save_states(session, states, definitions)
    save_effects(session, effects, ids)
    note_effects(session, effects, ids, REPORTED)
    _save_broadcasts(session, agenda, effects, ids)
    session.execute(
        update(DeliveryRow).where(DeliveryRow.status == "queued").values(status="sent", posted=DeliveryRow.at)
    )
    ids_seen = dict.fromkeys(event.id for event in events if event.id)
    session.add_all(EventIdRow(id=id) for id in ids_seen)


def _save_broadcasts(session: Session, agenda: Agenda, effects: list[Effect], ids: dict[str, int]) -> None:
    """The lists that were drawn up, and where each broadcast stands since."""
    postings.put_list(
        session, (postings.posting_values(x, ids[x.state.student.key]) for x in agenda.postings)
    )
    open_ones = {posting.broadcast.key for posting in agenda.postings if not posting.done}
    last = {x.broadcast: x.at for x in effects if isinstance(x, LetterDecided)}
    for began in (effect for effect in effects if isinstance(effect, BroadcastStarted)):
        over = began.broadcast not in open_ones
        broadcasts.note(
            session,
            began.broadcast,
            status="done" if over else "going",
            started=began.at,
            ended=last.get(began.broadcast, began.at) if over else None,
            recipients=began.recipients,
        )
