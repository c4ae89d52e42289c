"""Trials of a living school: the run of each student that counts, and what reached its goal."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Collection, Iterator
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.checks import Drawn
from patient_courier.core.checks.spots import spots
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening, Subject, subject_of
from patient_courier.core.engine.matching import matches
from patient_courier.core.engine.trials import Counted
from patient_courier.core.school.sequences import Send, Sequence
from patient_courier.core.school.trials import Trial
from patient_courier.core.school.values import THIS
from patient_courier.store.base.plain import DELIVERIES, EVENTS, RUNS, STUDENTS
from patient_courier.store.base.tables import RunRow, SequenceVersionRow, StudentRow
from patient_courier.store.sequences.outset import events_of
from patient_courier.store.students import people

# Selectors that are compared as they stand in an event; the others are worked out.
_PLAIN = ("course", "module", "lesson", "quiz", "offer", "tag", "letter", "link", "answer", "form")


def counted(session: Session, definitions: Definitions, sequence: str, trial: Trial) -> list[Counted]:
    """The first run of each student that began with the trial's key, with the events that may reach its goal."""
    first = (
        select(func.min(RUNS.c.number).label("number"))
        .where(RUNS.c.sequence == sequence, RUNS.c.trial == trial.key)
        .group_by(RUNS.c.student_id)
        .subquery()
    )
    asked = (
        select(STUDENTS.c.id, STUDENTS.c.key, STUDENTS.c.timezone, RUNS.c.started, RUNS.c.subject)
        .select_from(first)
        .join(RUNS, RUNS.c.number == first.c.number)
        .join(STUDENTS, STUDENTS.c.id == RUNS.c.student_id)
        .order_by(RUNS.c.number)
    )
    came = _came(session, first, trial)
    zone_of = definitions.school.zone_of
    return [
        Counted(key, zone_of(zone), started, _subject(subject), came.get(id, ()))
        for id, key, zone, started, subject in session.execute(asked)
    ]


def _came(session: Session, first: Any, trial: Trial) -> dict[int, list[Happening]]:
    """What may reach the goal, of each student (row id): of its kind, numbered behind the event that the run began with."""
    asked = (
        select(EVENTS.c.student_id, EVENTS.c.type, EVENTS.c.at, EVENTS.c["names"])
        .select_from(first)
        .join(RUNS, RUNS.c.number == first.c.number)
        .join(EVENTS, EVENTS.c.student_id == RUNS.c.student_id)
        .where(
            EVENTS.c.type == trial.goal.on,
            EVENTS.c.number > RUNS.c.event_number,
            EVENTS.c.at >= RUNS.c.started,
        )
    )
    for name, wanted in trial.goal.selectors().items():
        if name in _PLAIN and wanted != THIS:
            asked = asked.where(func.json_extract(EVENTS.c["names"], f"$.{name}") == wanted)
    found: defaultdict[int, list[Happening]] = defaultdict(list)
    for id, type, at, names in session.execute(asked):
        found[id].append(Happening(type, at, names))
    return found


def _subject(subject: dict[str, Any] | None) -> Subject | None:
    if subject is None:
        return None
    return Subject(subject["kind"], subject["key"], tuple((kind, key) for kind, key in subject["objects"]))


def begun_trials(session: Session, sequence: str) -> Iterator[tuple[Trial, Instant]]:
    """Every trial with which a run of the sequence has begun, as it was then, with when that was; the oldest first."""
    first = (
        select(func.min(RunRow.number))
        .where(RunRow.sequence == sequence, RunRow.trial.is_not(None))
        .group_by(RunRow.trial)
    )
    asked = (
        select(SequenceVersionRow.body, RunRow.started)
        .join(
            SequenceVersionRow,
            (SequenceVersionRow.key == RunRow.sequence) & (SequenceVersionRow.version == RunRow.version),
        )
        .where(RunRow.number.in_(first))
        .order_by(RunRow.number)
    )
    for body, started in session.execute(asked):
        trial = Sequence.model_validate(body).trial
        if trial is not None:
            yield trial, started


def would_have_come_in(
    session: Session, definitions: Definitions, sequence: Sequence, goal: Trial, since: Instant
) -> list[Counted]:
    """The first start of each student since then, as if a run with this goal had begun at it, whatever they got."""
    zones = {id: definitions.school.zone_of(zone) for id, zone in session.execute(_ZONES)}
    first: dict[int, tuple[int, Happening]] = {}
    for row in events_of(session, {matcher.on for matcher in sequence.starts}, since=since):
        what = Happening(row.type, row.at, row.names)
        if row.student_id not in first and any(matches(one, what, None) for one in sequence.starts):
            first[row.student_id] = (row.number, what)
    later: defaultdict[int, list[Happening]] = defaultdict(list)
    for row in events_of(session, {goal.goal.on}, since=since):
        begun = first.get(row.student_id)
        if begun is not None and row.number > begun[0]:
            later[row.student_id].append(Happening(row.type, row.at, row.names))
    return [
        Counted(str(id), zones[id], what.at, subject_of(what), later.get(id, ()))
        for id, (_, what) in first.items()
    ]


_ZONES = select(STUDENTS.c.id, STUDENTS.c.timezone)


def drawn_by(session: Session, sequence: Sequence) -> Drawn:
    """What a sequence has drawn already, as far as it draws lots now."""
    steps = [x.step.id for x in spots(sequence.steps) if isinstance(x.step, Send) and x.step.versions]
    trials = [trial for trial, _ in begun_trials(session, sequence.key)] if sequence.trial else []
    return Drawn(trials, _shares(session, sequence.key, steps) if steps else {})


def _shares(session: Session, sequence: str, steps: list[str]) -> dict[str, list[int]]:
    """The shares with which letters of these steps were drawn first."""
    asked = (
        select(DELIVERIES.c.step, RUNS.c.version)
        .join(RUNS, RUNS.c.number == DELIVERIES.c.run)
        .where(DELIVERIES.c.sequence == sequence, DELIVERIES.c.step.in_(steps))
        .distinct()
        .order_by(RUNS.c.version)
    )
    found: dict[str, list[int]] = {}
    for step, version in session.execute(asked).all():
        body = session.get_one(SequenceVersionRow, (sequence, version)).body
        was = next((x.step for x in spots(Sequence.model_validate(body).steps) if x.step.id == step), None)
        if isinstance(was, Send) and was.versions:
            found.setdefault(step, [one.share for one in was.versions])
    return found


def named(session: Session, keys: Collection[str], words: str, page: int) -> tuple[int, list[people.Person]]:
    """A page of these students (by key) who match the words, by name, and how many match."""
    given = func.json_each(json.dumps(list(keys))).table_valued("value")
    return people.listed(session, StudentRow.key.in_(select(given.c.value)), words, "name", page, down=False)
