"""Taking in events and letting due moments happen: facts, runs and deliveries in one transaction."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.agenda import Agenda
from patient_courier.core.engine.clock_events import next_clock_event
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect
from patient_courier.core.engine.engine import Engine
from patient_courier.core.school.events import Event
from patient_courier.dispatch import broadcasts
from patient_courier.dispatch.carrying_out import carry_out
from patient_courier.dispatch.clock import SchoolClock, read_clock, real_now, set_clock
from patient_courier.store.base.columns import InstantColumn
from patient_courier.store.base.plain import EVENT_IDS, RUNS, SEQUENCES, STUDENTS
from patient_courier.store.base.statements import Statement, given, one_of
from patient_courier.store.base.tables import StudentRow
from patient_courier.store.broadcasts.broadcasts import Kept, in_status, next_start
from patient_courier.store.broadcasts.postings import ask_again, open_postings, save_postings
from patient_courier.store.engine.loading import load_states, numbers
from patient_courier.store.engine.saving import save_states
from patient_courier.store.students.consents import REPORTED, Source, note_effects
from patient_courier.store.upkeep.progress import is_coming_back

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
    session: Session,
    definitions: Definitions,
    events: Sequence[Event],
    now: Instant,
    source: Source = REPORTED,
) -> Taken:
    """Take in events that arrive now, in this order. Students and objects they name must exist.

    ``source`` is where they come from, for the consent log.
    """
    fresh = _without_known(session, events)
    ids = _ids(session, {event.student for event in fresh})
    states = load_states(session, ids.values(), definitions)
    effects: list[Effect] = []
    agenda = Agenda(Engine(definitions, numbers(session)), effects.append, now)
    agenda.take_message([(states[ids[event.student]], event) for event in fresh], states.values())
    broadcasts.let_out(session, definitions, states, now)
    carry_out(session, definitions, states, effects)
    note_effects(session, effects, ids, source)
    return Taken(len(fresh), len(events) - len(fresh))


def _without_known(session: Session, events: Sequence[Event]) -> list[Event]:
    """The events whose id has not been seen; their ids count as seen from now on."""
    known = known_ids(session, {event.id for event in events if event.id})
    fresh = []
    for event in events:
        if event.id is None or event.id not in known:
            fresh.append(event)
            known.add(event.id or "")
    new = [{"id": event.id} for event in fresh if event.id]
    if new:
        _NEW_IDS.run_many(session, new)
    return fresh


def known_ids(session: Session, ids: Collection[str]) -> set[str]:
    """Those among the ids under which an event has been taken in."""
    return {row.id for row in _KNOWN_IDS.rows(session, ids=list(ids))} if ids else set()


def _ids(session: Session, keys: set[str]) -> dict[str, int]:
    return {row.key: row.id for row in _BY_KEY.rows(session, keys=list(keys))}


def waiting_runs() -> tuple[ColumnElement[bool], ...]:
    """Runs that time will move on: those of paused sequences stay where they are."""
    paused = select(SEQUENCES.c.key).where(SEQUENCES.c.status == "paused")
    return RUNS.c.due.is_not(None), RUNS.c.outcome.is_(None), RUNS.c.sequence.not_in(paused)


# Asked for with every event and at every look: made once, over the plain tables.
_BY_KEY = Statement(select(STUDENTS.c.key, STUDENTS.c.id).where(one_of(STUDENTS.c.key, "keys")))
_KNOWN_IDS = Statement(select(EVENT_IDS.c.id).where(one_of(EVENT_IDS.c.id, "ids")))
_NEW_IDS = Statement(insert(EVENT_IDS).values(id=given("id")))
_NEXT_RUN = Statement(select(RUNS.c.due).where(*waiting_runs()).order_by(RUNS.c.due).limit(1))
_NEXT_CLOCK = Statement(
    select(STUDENTS.c.clock_due)
    .where(STUDENTS.c.clock_due.is_not(None))
    .order_by(STUDENTS.c.clock_due)
    .limit(1)
)
_HORIZON = given("horizon", InstantColumn())
_DUE_RUNS = Statement(
    select(RUNS.c.student_id, RUNS.c.due)
    .where(*waiting_runs(), RUNS.c.due <= _HORIZON)
    .order_by(RUNS.c.due, RUNS.c.number)
    .limit(CHUNK)
)
_DUE_CLOCKS = Statement(
    select(STUDENTS.c.id, STUDENTS.c.clock_due)
    .where(STUDENTS.c.clock_due.is_not(None), STUDENTS.c.clock_due <= _HORIZON)
    .order_by(STUDENTS.c.clock_due, STUDENTS.c.id)
    .limit(CHUNK)
)
_HOW_MANY = Statement(
    select(func.count()).where(*waiting_runs(), RUNS.c.due == given("due", InstantColumn()))
)


def next_due(session: Session, real: Instant) -> Instant | None:
    """When something falls due next: a run, what the clock brings, a broadcast. A few looks into indexes."""
    connection = session.connection()
    found = (
        _NEXT_RUN.scalar(connection),
        _NEXT_CLOCK.scalar(connection),
        broadcasts.next_due(session, real),
    )
    return min((due for due in found if due is not None), default=None)


def next_post(session: Session, definitions: Definitions) -> tuple[Instant | None, int]:
    """When a run goes on or a broadcast has letters next, and how many students that concerns."""
    connection = session.connection()
    due = _NEXT_RUN.scalar(connection)
    cast, recipients = broadcasts.next_letters(session, definitions)
    if cast is not None and (due is None or cast < due):
        return cast, recipients
    if due is None:
        return None, 0
    number = _HOW_MANY.scalar(connection, due=due) or 0
    return due, number + (recipients if cast == due else 0)


def wake_due(session: Session, definitions: Definitions, stop: Instant | None = None) -> bool:
    """Let the next chunk of due moments happen, in order; True when there was something to do.

    In a practice school the clock moves along, up to where it was sent, but not beyond ``stop``.
    """
    clock = read_clock(session)
    moving = clock.moving_to is not None
    end = clock.horizon if stop is None else min(clock.horizon, stop)
    # Whoever sends the clock ahead wants to see what happens then: nothing is held back in real time meanwhile.
    # Nor while the school comes back from a copy: nothing is posted then, and the owner is to see all that would be.
    timed = not moving and not is_coming_back(session)
    ahead = next_start(session, end, real_now() if timed else None)
    lot = _due_lot(session, end, ahead, timed=timed)
    horizon = lot.horizon
    if lot.students:
        horizon = _wake(session, definitions, lot, clock)
    elif ahead is not None:
        broadcasts.start(session, definitions, ahead, max(clock.now, horizon))
    busy = bool(lot.students) or ahead is not None
    if moving:
        # It has arrived when nothing is left to happen by then: one instant can hold more than one chunk, or a list.
        set_clock(session, max(horizon, clock.now), arrived=not busy and end == clock.horizon)
    return busy


@dataclass(frozen=True, slots=True)
class _Lot:
    """Students with something due by the horizon; at the horizon itself only what comes ``before`` a broadcast's place."""

    students: set[int]
    horizon: Instant
    before: int | None
    going: list[Kept]
    turn: broadcasts.Turn


def _due_lot(session: Session, horizon: Instant, ahead: Kept | None, *, timed: bool) -> _Lot:
    """Up to a chunk of each kind, and the moment up to which they are all.

    ``ahead`` is the broadcast that starts next: its list is drawn up when everything before it has happened.
    """
    if ahead is not None and ahead.due is not None:
        horizon = ahead.due
    asked, connection = horizon, session.connection()
    runs = _DUE_RUNS.rows(connection, horizon=horizon)
    clocks = _DUE_CLOCKS.rows(connection, horizon=horizon)
    going = in_status(session, "going")
    before = ahead.position if ahead else None
    turn = broadcasts.whose_turn(session, going, horizon, before, CHUNK, timed=timed)
    for found in (runs, clocks):
        if len(found) == CHUNK:
            horizon = min(horizon, found[-1][1])
    horizon = min(horizon, turn.horizon)
    students = {id for id, due in [*runs, *clocks] if due <= horizon} | turn.students
    return _Lot(students, horizon, before if horizon == asked else None, going, turn)


def _wake(session: Session, definitions: Definitions, lot: _Lot, clock: SchoolClock) -> Instant:
    """Let what is due happen, up to the moment that is returned."""
    states = load_states(session, lot.students, definitions)
    effects: list[Effect] = []
    agenda = Agenda(Engine(definitions, numbers(session)), effects.append, clock.now)
    for state in states.values():
        agenda.add_student(state)
    postings = [
        posting
        for posting in open_postings(session, lot.going, states)
        if lot.turn.may_ask(posting, lot.horizon)
    ]
    agenda.add_postings(postings, {kept.key: kept.position for kept in lot.going})
    all_done = agenda.run_until(lot.horizon, most=MOST_STEPS, before=lot.before)
    carry_out(session, definitions, states, effects)
    save_postings(session, postings)
    broadcasts.settle(session, agenda.now)
    return lot.horizon if all_done else agenda.now


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


def definitions_changed(
    session: Session, definitions: Callable[[Session], Definitions], now: Instant
) -> None:
    """Let what has just been saved take effect for everyone."""
    session.flush()
    ask_again(session, now)
    plan_clocks_anew(session, definitions(session), now)
