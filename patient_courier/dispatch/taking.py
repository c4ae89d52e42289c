"""Taking in events and letting due moments happen: facts, runs and deliveries in one transaction."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.agenda import Agenda
from patient_courier.core.clock_events import next_clock_event
from patient_courier.core.definitions import Definitions
from patient_courier.core.effects import Effect
from patient_courier.core.engine import Engine
from patient_courier.core.school.events import EventBase
from patient_courier.dispatch.clock import SchoolClock, read_clock, set_clock
from patient_courier.store.saving import save_effects, save_states
from patient_courier.store.states import load_states, numbers
from patient_courier.store.tables import EventIdRow, RunRow, SequenceRow, StudentRow

# Students handled in one transaction: enough to share its cost, few enough that nobody waits for it.
CHUNK = 500
# A run that goes round every second must not keep everybody waiting, nor fill the memory.
MOST_STEPS = 5_000


@dataclass(frozen=True, slots=True)
class Taken:
    """How many events went in, and how many were known already by their id."""

    new: int
    known: int


def take_events(
    session: Session, definitions: Definitions, events: Sequence[EventBase], now: Instant
) -> Taken:
    """Take in events that arrive now, in this order. Students and objects they name must exist."""
    fresh = _without_known(session, events)
    ids = _ids(session, {event.student for event in fresh})
    states = load_states(session, ids.values(), definitions)
    effects: list[Effect] = []
    agenda = Agenda(Engine(definitions, numbers(session)), effects.append, now)
    agenda.take_message([(states[ids[event.student]], event) for event in fresh], states.values())
    save_states(session, states, definitions)
    save_effects(session, effects, ids)
    return Taken(len(fresh), len(events) - len(fresh))


def _without_known(session: Session, events: Sequence[EventBase]) -> list[EventBase]:
    """The events whose id has not been seen; their ids count as seen from now on."""
    named = {event.id for event in events if event.id}
    known = set(session.scalars(select(EventIdRow.id).where(EventIdRow.id.in_(named)))) if named else set()
    fresh = []
    for event in events:
        if event.id is None or event.id not in known:
            fresh.append(event)
            known.add(event.id or "")
    new = [{"id": event.id} for event in fresh if event.id]
    if new:
        session.connection().execute(insert(EventIdRow), new)
    return fresh


def _ids(session: Session, keys: set[str]) -> dict[str, int]:
    rows = session.execute(select(StudentRow.key, StudentRow.id).where(StudentRow.key.in_(keys)))
    return {key: id for key, id in rows}


def waiting_runs() -> tuple[ColumnElement[bool], ...]:
    """Runs that time will move on: those of paused sequences stay where they are."""
    paused = select(SequenceRow.key).where(SequenceRow.status == "paused")
    return RunRow.due.is_not(None), RunRow.outcome.is_(None), RunRow.sequence.not_in(paused)


def next_due(session: Session) -> Instant | None:
    """When something falls due next: a run, or what the clock brings. Two looks into an index."""
    runs = select(RunRow.due).where(*waiting_runs()).order_by(RunRow.due).limit(1)
    clocks = (
        select(StudentRow.clock_due)
        .where(StudentRow.clock_due.is_not(None))
        .order_by(StudentRow.clock_due)
        .limit(1)
    )
    return min(
        (due for due in (session.scalar(runs), session.scalar(clocks)) if due is not None), default=None
    )


def wake_due(session: Session, definitions: Definitions) -> bool:
    """Let the next chunk of due moments happen, in order; True when there was something to do.

    In a practice school the clock moves along, up to where it was sent.
    """
    clock = read_clock(session)
    horizon = clock.horizon
    due, horizon = _due_students(session, horizon)
    if due:
        horizon = _wake(session, definitions, due, clock, horizon)
    if clock.moving_to is not None:
        set_clock(session, horizon, arrived=horizon == clock.moving_to)
    return bool(due) or (clock.moving_to is not None and horizon != clock.moving_to)


def _due_students(session: Session, horizon: Instant) -> tuple[set[int], Instant]:
    """Up to a chunk of students with something due by the horizon, and the moment up to which they are all."""
    runs = session.execute(
        select(RunRow.student_id, RunRow.due)
        .where(*waiting_runs(), RunRow.due <= horizon)
        .order_by(RunRow.due, RunRow.number)
        .limit(CHUNK)
    ).all()
    clocks = session.execute(
        select(StudentRow.id, StudentRow.clock_due)
        .where(StudentRow.clock_due.is_not(None), StudentRow.clock_due <= horizon)
        .order_by(StudentRow.clock_due, StudentRow.id)
        .limit(CHUNK)
    ).all()
    for found in (runs, clocks):
        if len(found) == CHUNK:
            horizon = min(horizon, found[-1][1])
    return {id for id, due in [*runs, *clocks] if due <= horizon}, horizon


def _wake(
    session: Session, definitions: Definitions, ids: set[int], clock: SchoolClock, horizon: Instant
) -> Instant:
    """Let what is due happen, up to the moment that is returned."""
    states = load_states(session, ids, definitions)
    effects: list[Effect] = []
    agenda = Agenda(Engine(definitions, numbers(session)), effects.append, clock.now)
    for state in states.values():
        agenda.add_student(state)
    all_done = agenda.run_until(horizon, most=MOST_STEPS)
    save_states(session, states, definitions)
    save_effects(session, effects, {state.student.key: id for id, state in states.items()})
    return horizon if all_done else agenda.now


def plan_clocks_anew(session: Session, definitions: Definitions, now: Instant) -> None:
    """After a change of definitions: what the clock will bring, seen from now; what lies before now is past."""
    session.execute(
        update(StudentRow)
        .where((StudentRow.clock_done.is_(None)) | (StudentRow.clock_done < now))
        .values(clock_done=now)
    )
    ids = session.scalars(select(StudentRow.id)).all()
    for start in range(0, len(ids), CHUNK):
        states = load_states(session, ids[start : start + CHUNK], definitions)
        for state in states.values():
            state.clock_due = next_clock_event(definitions, state)
        save_states(session, states, definitions)
