"""What the owner does to sequences that people are inside of: pause, run again, move to a newer version."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.moving import Landing, landing
from patient_courier.dispatch import broadcasts
from patient_courier.dispatch.carrying_out import carry_out
from patient_courier.store.base.definitions import set_status
from patient_courier.store.base.tables import EventRow, RunRow, SequenceRow
from patient_courier.store.engine.loading import load_states, numbers


def pause(session: Session, key: str) -> None:
    """Hold everyone inside where they are; what would have started it is remembered by the last event's number."""
    last = session.scalar(select(func.max(EventRow.number))) or 0
    session.execute(update(SequenceRow).where(SequenceRow.key == key).values(paused_after=last))
    set_status(session, key, "paused")


def run(session: Session, key: str) -> None:
    """Let a sequence run: those who were held go on, and new students come in."""
    session.execute(update(SequenceRow).where(SequenceRow.key == key).values(paused_after=None))
    set_status(session, key, "running")


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


def on_older(session: Session, definitions: Definitions, key: str) -> list[int]:
    """The row ids of the students who are inside on an older version."""
    version = definitions.sequences[key].version
    query = select(RunRow.student_id).where(
        RunRow.sequence == key, RunRow.outcome.is_(None), RunRow.version != version
    )
    return list(session.scalars(query.distinct()))


def move(
    session: Session, definitions: Definitions, key: str, ids: Collection[int], now: Instant
) -> list[int]:
    """Move these students, where they are on older versions, to the one in force; returns whom it moved."""
    version = definitions.sequences[key].version
    states = load_states(session, ids, definitions)
    engine = Engine(definitions, numbers(session))
    effects: list[Effect] = []
    moved = []
    for id, state in states.items():
        for found in [r for r in state.open_runs() if r.sequence == key and r.version != version]:
            effects += engine.move(state, found, now)
            moved.append(id)
    broadcasts.let_out(session, definitions, states, now)
    carry_out(session, definitions, states, effects)
    return moved
