"""What the owner does to sequences that people are inside of: pause, run again, move to a newer version."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence as Listed
from dataclasses import dataclass

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.conditions import Asked, holds
from patient_courier.core.definitions import Definitions
from patient_courier.core.effects import Effect
from patient_courier.core.engine import Engine, may_begin
from patient_courier.core.happening import Happening, subject_of
from patient_courier.core.matching import matches
from patient_courier.core.moving import Landing, landing
from patient_courier.dispatch import broadcasts
from patient_courier.store.definitions import set_status
from patient_courier.store.saving import save_effects, save_states
from patient_courier.store.states import load_states, numbers
from patient_courier.store.tables import EventRow, RunRow, SequenceRow


@dataclass(frozen=True, slots=True)
class Missed:
    """A start that came while a sequence was paused."""

    student_id: int
    number: int
    what: Happening


def pause(session: Session, key: str) -> None:
    """Hold everyone inside where they are; what would have started it is remembered by the last event's number."""
    last = session.scalar(select(func.max(EventRow.number))) or 0
    session.execute(update(SequenceRow).where(SequenceRow.key == key).values(paused_after=last))
    set_status(session, key, "paused")


def missed_starts(session: Session, definitions: Definitions, key: str, now: Instant) -> list[Missed]:
    """The starts that a paused sequence has missed and that would begin a run now, one a student and subject."""
    plan = definitions.sequences[key]
    since = session.get_one(SequenceRow, key).paused_after
    if since is None:
        return []
    rows = session.scalars(
        select(EventRow)
        .where(
            EventRow.number > since,
            EventRow.type.in_({m.on for m in plan.sequence.starts}),  # type: ignore[attr-defined]
        )
        .order_by(EventRow.number)
    ).all()
    states = load_states(session, {row.student_id for row in rows}, definitions)
    found: dict[tuple[int, object], Missed] = {}
    for row in rows:
        what = Happening(row.type, row.at, row.names)
        if not any(matches(matcher, what, None) for matcher in plan.sequence.starts):
            continue
        state, subject = states[row.student_id], subject_of(what)
        if not may_begin(state, plan, subject):
            continue
        asked = Asked(definitions, state, now, subject)
        if plan.sequence.only_if is not None and not holds(plan.sequence.only_if, asked):
            continue
        place = (row.student_id, subject.key if subject else None)
        found.setdefault(place, Missed(row.student_id, row.number, what))
    return list(found.values())


def run(session: Session, key: str) -> None:
    """Let a sequence run: those who were held go on, and new students come in."""
    session.execute(update(SequenceRow).where(SequenceRow.key == key).values(paused_after=None))
    set_status(session, key, "running")


def start_missed(
    session: Session, definitions: Definitions, key: str, missed: Listed[Missed], now: Instant
) -> int:
    """Begin the runs that were missed; returns how many began. The sequence must be running again."""
    states = load_states(session, {found.student_id for found in missed}, definitions)
    engine = Engine(definitions, numbers(session))
    effects: list[Effect] = []
    before = sum(len(state.runs) for state in states.values())
    for found in missed:
        effects += engine.start_missed(states[found.student_id], key, found.what, found.number, now)
    broadcasts.let_out(session, states, now)
    save_states(session, states, definitions)
    save_effects(session, effects, {state.student.key: id for id, state in states.items()})
    return sum(len(state.runs) for state in states.values()) - before


def landings(
    session: Session, definitions: Definitions, key: str
) -> list[tuple[int, str | None, Landing, int]]:
    """Where those on older versions would land in the one in force: (version, step, landing, how many)."""
    new = definitions.sequences[key]
    rows = session.execute(
        select(RunRow.version, RunRow.step, func.count())
        .where(RunRow.sequence == key, RunRow.outcome.is_(None), RunRow.version != new.version)
        .group_by(RunRow.version, RunRow.step)
        .order_by(RunRow.version, RunRow.step)
    )
    return [
        (version, step, landing(definitions.plans[(key, version)], new, step), number)
        for version, step, number in rows
    ]


def move_all(session: Session, definitions: Definitions, key: str, now: Instant) -> Counter[str]:
    """Move everyone on older versions to the one in force; returns how many landed how."""
    version = definitions.sequences[key].version
    ids = session.scalars(
        select(RunRow.student_id)
        .where(RunRow.sequence == key, RunRow.outcome.is_(None), RunRow.version != version)
        .distinct()
    ).all()
    states = load_states(session, ids, definitions)
    engine = Engine(definitions, numbers(session))
    effects: list[Effect] = []
    counts: Counter[str] = Counter()
    for state in states.values():
        for found in [r for r in state.open_runs() if r.sequence == key and r.version != version]:
            counts[
                landing(definitions.plans[(key, found.version)], definitions.sequences[key], found.step).kind
            ] += 1
            effects += engine.move(state, found, now)
    broadcasts.let_out(session, states, now)
    save_states(session, states, definitions)
    save_effects(session, effects, {state.student.key: id for id, state in states.items()})
    return counts
