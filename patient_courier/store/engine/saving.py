"""Storing what the engine has changed and decided, in the transaction at hand."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from functools import cache
from typing import Any
from urllib.parse import urlsplit

from sqlalchemy import delete, update
from sqlalchemy.dialects.sqlite import Insert, insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import (
    BroadcastStarted,
    CallMade,
    CertificateIssued,
    Effect,
    LetterDecided,
    NotBegun,
    Noted,
    TagChanged,
    Warned,
)
from patient_courier.core.engine.state import StudentState
from patient_courier.store.base.plain import DELIVERIES, EVENTS, STUDENTS
from patient_courier.store.base.progress import progress_values
from patient_courier.store.base.statements import Statement, given
from patient_courier.store.base.tables import (
    OutgoingRow,
    ProblemRow,
    ProgressRow,
    RunRow,
    TagRow,
)
from patient_courier.store.base.tables.destinations import message_key
from patient_courier.store.completion.issuing import Changed, follow
from patient_courier.store.engine.rows import fact_values, run_values

# What the engine calls sent still has to be handed to the carrier.
_STATUS = {"sent": "queued"}
_EPOCH = Instant.from_timestamp(0)


def save_states(session: Session, states: dict[int, StudentState], definitions: Definitions) -> None:
    """Store changed facts and runs of these students (by row id), and their next clock moments."""
    rows: defaultdict[Any, list[dict[str, Any]]] = defaultdict(list)
    people = []
    printed: list[Changed] = []
    for id, state in states.items():
        printed += _certificates(id, state)
        for table, values in fact_values(state, id).items():
            rows[table] += values
        rows[ProgressRow] += progress_values(state, id, definitions)
        rows[RunRow] += [run_values(run, id) for run in state.runs if run.dirty]
        gone = [key for kind, key in state.facts.changed if kind == "tag" and key not in state.facts.tags]
        if gone:
            session.execute(delete(TagRow).where(TagRow.student_id == id, TagRow.tag.in_(gone)))
        people.append(_person(state, id))
        state.facts.changed.clear()
        for run in state.runs:
            run.dirty = False
    for table, values in rows.items():
        if values:
            _upsert(session, table, values)
    follow(session, definitions, printed)
    if people:
        _update_people(tuple(people[0])).run_many(session, people)


def _certificates(id: int, state: StudentState) -> list[Changed]:
    """The certificates of a student that were issued or taken back."""
    facts = state.facts
    keys = [key for kind, key in facts.changed if kind == "certificate"]
    return [Changed(id, state.student.key, key, facts.certificates[key].issued) for key in keys]


@cache
def _update_people(columns: tuple[str, ...]) -> Statement:
    values = {name: given(name, STUDENTS.c[name].type) for name in columns if name != "row_id"}
    return Statement(update(STUDENTS).where(STUDENTS.c.id == given("row_id")).values(values))


def _person(state: StudentState, id: int) -> dict[str, Any]:
    facts = state.facts
    return {
        "row_id": id,
        "news": facts.news,
        "bounced": facts.bounced,
        "complained": facts.complained,
        "first_event": facts.first_event,
        "last_seen": facts.seen,
        "clock_done": state.clock_done if state.clock_done > _EPOCH else None,
        "clock_due": state.clock_due,
        "begun_at": state.begun_at[0] if state.begun_at else None,
        "begun": state.begun_at[1] if state.begun_at else 0,
    }


def _upsert(session: Session, table: Any, rows: list[dict[str, Any]]) -> None:
    _upsert_statement(table, tuple(rows[0])).run_many(session, rows)


@cache
def _upsert_statement(table: Any, columns: tuple[str, ...]) -> Statement:
    keys = [column.name for column in table.__table__.primary_key]
    statement = _insert(table.__table__, columns)
    values = {name: statement.excluded[name] for name in columns if name not in keys}
    if values:
        return Statement(statement.on_conflict_do_update(index_elements=keys, set_=values))
    return Statement(statement.on_conflict_do_nothing(index_elements=keys))


def _insert(table: Any, columns: tuple[str, ...]) -> Insert:
    return insert(table).values({name: given(name, table.c[name].type) for name in columns})


def save_effects(session: Session, effects: Iterable[Effect], ids: dict[str, int]) -> None:
    """Store events and deliveries. ``ids`` gives the row id of each student's key.

    A delivery that exists for the same run, step and round stays as it is,
    unless it was only held: so no letter can be decided on twice.
    """
    events, deliveries, calls, problems = [], [], [], []
    for effect in effects:
        match effect:
            case Noted():
                what = effect.what
                events.append(
                    {
                        "number": effect.number,
                        "student_id": ids[effect.student],
                        "type": what.type,
                        "at": what.at,
                        "cause": effect.cause,
                        "names": dict(what.names),
                        "reported": effect.reported,
                        "reported_id": effect.id,
                    }
                )
            case LetterDecided():
                deliveries.append(_delivery(effect, ids[effect.student]))
            case CallMade():
                calls.append(
                    {
                        "student_id": ids[effect.student],
                        "run": effect.run,
                        "step": effect.step,
                        "round": effect.round,
                        "url": effect.url,
                        "key": message_key(),
                        "lane": _origin(effect.url),
                        "type": "call",
                        "at": effect.at,
                        "status": "queued",
                        "tries": 0,
                    }
                )
            case Warned():
                problems.append(
                    {"kind": "circles", "at": effect.at, "reason": effect.text, "body": {}, "done": False}
                )
            case BroadcastStarted() | TagChanged() | CertificateIssued() | NotBegun():
                pass
    if events:
        _put_events(tuple(events[0])).run_many(session, events)
    if deliveries:
        _put_deliveries(tuple(deliveries[0])).run_many(session, deliveries)
    if calls:
        once = insert(OutgoingRow).on_conflict_do_nothing(index_elements=["run", "step", "round"])
        session.connection().execute(once, calls)
    if problems:
        session.connection().execute(insert(ProblemRow), problems)


def _origin(url: str) -> str:
    """What calls to one program share their lane under; one address that is none has a lane of its own."""
    try:
        found = urlsplit(url)
        return f"{found.scheme}://{found.netloc}" if found.netloc else url
    except ValueError:
        return url


@cache
def _put_events(columns: tuple[str, ...]) -> Statement:
    return Statement(_insert(EVENTS, columns))


@cache
def _put_deliveries(columns: tuple[str, ...]) -> Statement:
    kept = ("run", "step", "round")
    statement = _insert(DELIVERIES, columns)
    return Statement(
        statement.on_conflict_do_update(
            index_elements=list(kept),
            set_={name: statement.excluded[name] for name in columns if name not in kept},
            where=DELIVERIES.c.status == "held",
        )
    )


def _delivery(letter: LetterDecided, student_id: int) -> dict[str, Any]:
    to = [letter.to] if isinstance(letter.to, str) else letter.to
    return {
        "student_id": student_id,
        "run": letter.run,
        "step": letter.broadcast or letter.step,
        "round": str(student_id) if letter.broadcast else letter.round,
        "broadcast": letter.broadcast,
        "course": letter.course,
        "sequence": letter.sequence,
        "letter": letter.letter,
        "letter_version": letter.letter_version,
        "purpose": letter.purpose,
        "status": _STATUS.get(letter.status, letter.status),
        "reason": letter.reason,
        "subject": letter.subject,
        "at": letter.at,
        "recipients": to,
        "holds": [(hold.start, hold.until, hold.reason) for hold in letter.holds],
        "values": letter.values,
        "story": letter.story,
        "tries": 0,
        "seen": False,
        "begun": False,
    }
