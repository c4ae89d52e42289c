"""Those to whom a sequence's start has happened before it ran: who they are, what they would be sent, taking them in."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from typing import Literal

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.courses.standing import is_silent
from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect
from patient_courier.core.engine.engine import Engine, may_begin
from patient_courier.core.engine.happening import Happening, subject_of
from patient_courier.core.engine.matching import matches
from patient_courier.core.rehearsing.outset import First, moved_on, play, stop_of
from patient_courier.core.school import sequences as s
from patient_courier.dispatch import broadcasts
from patient_courier.dispatch.carrying_out import carry_out
from patient_courier.store.engine.loading import load_states, numbers
from patient_courier.store.sequences import outset
from patient_courier.store.students.standing import standings

Who = Literal["missed", "silent", "standing", "week", "month", "quarter", "ever"]
DAYS: dict[Who, int] = {"week": 7, "month": 30, "quarter": 90}
# To whom it has ever happened is offered where it has not happened more often: each of them is looked at.
MOST_EVER = 5_000
# Who has done nothing for so long counts as silent, as on Today.
SILENT_DAYS = 7
CHUNK = 250


@dataclass(frozen=True, slots=True)
class Start:
    """A start that came before the sequence ran: the student's row id, the event's number, what happened."""

    student_id: int
    number: int
    what: Happening


@dataclass(slots=True)
class Found:
    """Who could be taken in, one start each; and how many could not, by the reason why."""

    starts: list[Start] = field(default_factory=list)
    left_out: Counter[str] = field(default_factory=Counter)


def find(
    session: Session,
    definitions: Definitions,
    key: str,
    now: Instant,
    *,
    since: Instant | None = None,
    after: int | None = None,
    ids: Collection[int] | None = None,
) -> Found:
    """The newest start of each student and subject, where a run may begin by it now.

    ``since`` a moment, ``after`` an event of that number, or of these students (row ids) alone. Left out is who has been
    in it (``again``), who does not fit (``only_if``), and who has gone on since (``moved_on``).
    """
    sequence = definitions.sequences[key].sequence
    rows = outset.events_of(session, {m.on for m in sequence.starts}, since=since, after=after, ids=ids)
    newest: dict[tuple[int, object], Start] = {}
    for row in rows:
        what = Happening(row.type, row.at, row.names)
        if any(matches(matcher, what, None) for matcher in sequence.starts):
            subject = subject_of(what)
            place = (row.student_id, subject.key if subject else None)
            newest[place] = Start(row.student_id, row.number, what)
    gone = _gone_on(session, sequence, list(newest.values()))
    found = Found()
    for begin in range(0, len(newest), CHUNK):
        some = list(newest.values())[begin : begin + CHUNK]
        states = load_states(session, {one.student_id for one in some}, definitions)
        for one in some:
            state, subject = states[one.student_id], subject_of(one.what)
            if not may_begin(state, definitions.sequences[key], subject):
                found.left_out["again"] += 1
            elif sequence.only_if and not holds(sequence.only_if, Asked(definitions, state, now, subject)):
                found.left_out["only_if"] += 1
            elif one.number in gone:
                found.left_out["moved_on"] += 1
            else:
                found.starts.append(one)
    return found


def _gone_on(session: Session, sequence: s.Sequence, starts: Sequence[Start]) -> set[int]:
    """The starts (events' numbers) of those who have since done what would have carried them on, or out."""
    types = {step.reach.on for step in sequence.steps if isinstance(step, s.Waypoint)}
    types |= {matcher.on for matcher in sequence.leaves}
    if not starts or not types:
        return set()
    first = min(one.number for one in starts)
    ids = {one.student_id for one in starts}
    later: dict[int, list[tuple[int, Happening]]] = {}
    for row in outset.events_of(session, types, after=first, ids=ids):
        later.setdefault(row.student_id, []).append((row.number, Happening(row.type, row.at, row.names)))
    return {
        one.number
        for one in starts
        if any(
            number > one.number and moved_on(sequence, what, subject_of(one.what))
            for number, what in later.get(one.student_id, ())
        )
    }


def found_for(session: Session, definitions: Definitions, key: str, who: Who, now: Instant) -> Found:
    """Whom one choice means."""
    if who == "missed":
        after = outset.paused_after(session, key)
        return Found() if after is None else find(session, definitions, key, now, after=after)
    if who in ("silent", "standing"):
        ids = standing_there(session, definitions, key, now, silent=who == "silent")
        return find(session, definitions, key, now, ids=ids) if ids else Found()
    since = None if who == "ever" else now.subtract(hours=24 * DAYS[who])
    return find(session, definitions, key, now, since=since)


def standing_there(
    session: Session, definitions: Definitions, key: str, now: Instant, *, silent: bool
) -> list[int]:
    """The row ids of those who stand at the stop that the sequence is about, or only of the silent ones."""
    stop = stop_of(definitions, key)
    if stop is None:
        return []
    return [
        one.student_id
        for one in standings(session, definitions, stop[0])
        if one.stop == stop[1] and (not silent or is_silent(one, now, SILENT_DAYS))
    ]


def choices(session: Session, definitions: Definitions, key: str, now: Instant) -> dict[Who, int]:
    """How many each choice would take in: those who were missed in a pause, who stand there, or whom it met lately."""
    counts: dict[Who, int] = {}
    missed = len(found_for(session, definitions, key, "missed", now).starts)
    if missed:
        counts["missed"] = missed
    if stop_of(definitions, key) is not None:
        for who in ("silent", "standing"):
            counts[who] = len(found_for(session, definitions, key, who, now).starts)
    elif definitions.sequences[key].sequence.starts:
        kinds = {matcher.on for matcher in definitions.sequences[key].sequence.starts}
        few = outset.number_of(session, kinds) <= MOST_EVER
        starts = found_for(session, definitions, key, "ever" if few else "quarter", now).starts
        for who, days in DAYS.items():
            since = now.subtract(hours=24 * days)
            counts[who] = sum(one.what.at >= since for one in starts)
        if few and len(starts) > counts["quarter"]:
            counts["ever"] = len(starts)
    return {who: number for who, number in counts.items() if number}


def look(
    session: Session, definitions: Definitions, key: str, starts: Sequence[Start], now: Instant
) -> dict[str, First]:
    """What each of these would be sent first, if they were taken in now."""
    plan = definitions.sequences[key]
    running = definitions.with_sequence(plan.sequence.model_copy(update={"status": "running"}))
    states = load_states(session, {one.student_id for one in starts}, definitions)
    given = {
        states[one.student_id].student.key: (states[one.student_id], one.what, one.number) for one in starts
    }
    return play(running, key, given, now)


def take_in(
    session: Session, definitions: Definitions, key: str, ids: Collection[int], now: Instant
) -> list[int]:
    """Begin the runs of these students (row ids) by their newest start; returns those for whom one began.

    The sequence must be running; who has moved on meanwhile is left alone.
    """
    starts = find(session, definitions, key, now, ids=ids).starts
    states = load_states(session, {one.student_id for one in starts}, definitions)
    engine, effects, begun = Engine(definitions, numbers(session)), list[Effect](), []
    for one in starts:
        state = states[one.student_id]
        before = len(state.runs)
        effects += engine.start_missed(state, key, one.what, one.number, now)
        if len(state.runs) > before:
            begun.append(one.student_id)
    broadcasts.let_out(session, definitions, states, now)
    carry_out(session, definitions, states, effects)
    return begun
