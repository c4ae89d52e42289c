"""Loading students as the engine holds them in hand."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from sqlalchemy import Connection, Select, func, literal, null, select, union_all
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.facts import Certificate, Enrolment, Facts, Purchase, QuizRecord, Sent
from patient_courier.core.engine.happening import Happening, Subject
from patient_courier.core.engine.matching import STATE_TYPES
from patient_courier.core.engine.state import Hold, Run, StudentState
from patient_courier.core.engine.turn import Numbers
from patient_courier.core.school.courses import School
from patient_courier.core.school.file import Student
from patient_courier.store.base.plain import (
    ACTIVITY,
    CERTIFICATES,
    DELIVERIES,
    ENROLMENTS,
    EVENTS,
    HELP_STOPS,
    LEARNT,
    PURCHASES,
    READINGS,
    RUNS,
    STUDENTS,
    TAGS,
)
from patient_courier.store.base.statements import Statement, given, one_of
from patient_courier.store.base.tables import (
    POSTED,
)


def _of(table: Any, *columns: Any) -> Select[Any]:
    """Columns of the rows of some students, the student's row id first."""
    return select(table.c.student_id, *columns).where(one_of(table.c.student_id, "ids"))


_PEOPLE = Statement(select(*STUDENTS.c).where(one_of(STUDENTS.c.id, "ids")))
_ENROLMENTS = Statement(
    _of(
        ENROLMENTS,
        ENROLMENTS.c.course,
        ENROLMENTS.c.via,
        ENROLMENTS.c.began,
        ENROLMENTS.c.offer,
        ENROLMENTS.c.refunded,
        ENROLMENTS.c.expired,
    )
)
_PURCHASES = Statement(
    _of(PURCHASES, PURCHASES.c.offer, PURCHASES.c.at, PURCHASES.c.refunded, PURCHASES.c.order).order_by(
        PURCHASES.c.student_id, PURCHASES.c.ordinal
    )
)
_LEARNT = Statement(
    _of(
        LEARNT,
        LEARNT.c.kind,
        LEARNT.c.key,
        LEARNT.c.at,
        LEARNT.c.percent,
        LEARNT.c.attempts,
        LEARNT.c.score,
        LEARNT.c.last,
    )
)
# Five small tables in one question: what kind, of what, and up to two moments.
_SMALL = Statement(
    union_all(
        _of(
            CERTIFICATES,
            literal("certificate"),
            CERTIFICATES.c.course,
            CERTIFICATES.c.requested,
            CERTIFICATES.c.issued,
        ),
        _of(TAGS, literal("tag"), TAGS.c.tag, null(), null()),
        _of(HELP_STOPS, literal("help_stop"), HELP_STOPS.c.course, null(), null()),
        _of(ACTIVITY, literal("activity"), ACTIVITY.c.course, ACTIVITY.c.at, null()),
        _of(READINGS, literal("reading"), READINGS.c.letter, READINGS.c.opened, READINGS.c.clicked),
    )
)
_LETTERS = Statement(
    _of(
        DELIVERIES,
        DELIVERIES.c.letter,
        DELIVERIES.c.purpose,
        DELIVERIES.c.at,
        func.nullif(DELIVERIES.c.run, 0),
        DELIVERIES.c.course,
    )
    .where(DELIVERIES.c.recipients.is_(None), DELIVERIES.c.status.in_(POSTED))
    .order_by(DELIVERIES.c.at, DELIVERIES.c.id)
)
_OPEN_RUNS = Statement(
    select(*RUNS.c).where(one_of(RUNS.c.student_id, "ids"), RUNS.c.outcome.is_(None)).order_by(RUNS.c.number)
)
# Of a run that has ended, its story is nobody's business here.
_ENDED_RUNS = Statement(
    _of(
        RUNS,
        RUNS.c.number,
        RUNS.c.sequence,
        RUNS.c.version,
        RUNS.c.subject,
        RUNS.c.started,
        RUNS.c.event_at,
        RUNS.c.event_number,
        RUNS.c.trial,
        RUNS.c.outcome,
        RUNS.c.ended,
        RUNS.c.step,
    ).where(RUNS.c.outcome.is_not(None))
)
_SINCE = Statement(
    _of(EVENTS, EVENTS.c.number, EVENTS.c.type, EVENTS.c.at, EVENTS.c.names)
    .where(EVENTS.c.number > given("since"), EVENTS.c.type.not_in(STATE_TYPES))
    .order_by(EVENTS.c.number)
)
_LAST_NUMBERS = Statement(
    select(
        select(func.max(EVENTS.c.number)).scalar_subquery(), select(func.max(RUNS.c.number)).scalar_subquery()
    )
)


def load_states(session: Session, ids: Collection[int], definitions: Definitions) -> dict[int, StudentState]:
    """The students with these row ids, ready for the engine, by id."""
    school, connection, asked = definitions.school, session.connection(), list(ids)
    states = {row.id: _student(row, school) for row in _PEOPLE.rows(connection, ids=asked)}
    _load_facts(connection, states, asked)
    _load_runs(connection, states, asked)
    return states


def numbers(session: Session) -> Numbers:
    """The last numbers given out. Only safe to go on from inside a write transaction."""
    event, run = _LAST_NUMBERS.first(session)
    return Numbers(event=event or 0, run=run or 0)


def student_of(row: Any) -> Student:
    """The student's record as the core knows it, without facts."""
    return Student.model_construct(
        key=row.key,
        email=row.email,
        first_name=row.first_name,
        last_name=row.last_name,
        timezone=row.timezone,
        news=row.news,
        tags=[],
        fields=row.fields,
    )


def _student(row: Any, school: School) -> StudentState:
    facts = Facts(news=row.news, bounced=row.bounced, complained=row.complained, first_event=row.first_event)
    return StudentState(
        student_of(row),
        school.zone_of(row.timezone),
        row.id,
        facts,
        clock_done=row.clock_done or Instant.MIN,
        begun_at=(row.begun_at, row.begun) if row.begun_at else None,
    )


def _load_facts(connection: Connection, states: dict[int, StudentState], ids: list[int]) -> None:
    for id, *values in _ENROLMENTS.rows(connection, ids=ids):
        states[id].facts.enrolments[values[0]] = Enrolment(*values)
    for id, *values in _PURCHASES.rows(connection, ids=ids):
        states[id].facts.purchases.append(Purchase(*values))
    for id, *values in _LEARNT.rows(connection, ids=ids):
        _learnt(states[id].facts, *values)
    for id, kind, key, first, second in _SMALL.rows(connection, ids=ids):
        _small(states[id].facts, kind, key, first, second)
    for id, *values in _LETTERS.rows(connection, ids=ids):
        states[id].facts.sent.append(Sent(*values))


def _small(facts: Facts, kind: str, key: str, first: Instant | None, second: Instant | None) -> None:
    match kind:
        case "certificate":
            facts.certificates[key] = Certificate(first, second)
        case "tag":
            facts.tags[key] = None
        case "help_stop":
            facts.help_stopped.add(key)
        case "activity":
            assert first is not None
            facts.activity[key] = first
        case "reading":
            if first:
                facts.opened[key] = first
            if second:
                facts.clicked[key] = second
        case _:
            raise AssertionError(kind)


def _learnt(
    facts: Facts,
    kind: str,
    key: str,
    at: Instant | None,
    percent: float | None,
    attempts: int | None,
    score: float | None,
    last: Instant | None,
) -> None:
    if kind == "quiz":
        assert attempts is not None and score is not None and last is not None
        facts.quizzes[key] = QuizRecord(attempts, score, last, at)
        return
    if percent is not None:
        facts.watched[key] = percent
    if at is not None:
        {"lesson": facts.lessons, "module": facts.modules, "course": facts.courses}[kind][key] = at


def _load_runs(connection: Connection, states: dict[int, StudentState], ids: list[int]) -> None:
    since: dict[int, int] = {}
    runs = [(row.student_id, _run(row)) for row in _OPEN_RUNS.rows(connection, ids=ids)]
    for id, run in runs:
        since[id] = min(run.event_number, since.get(id, run.event_number))
    runs += [(row.student_id, _ended(row)) for row in _ENDED_RUNS.rows(connection, ids=ids)]
    for id, run in sorted(runs, key=lambda found: found[1].number):
        states[id].add_run(run)
    if not since:
        return
    earliest = min(since.values())
    for id, number, type, at, names in _SINCE.rows(connection, ids=list(since), since=earliest):
        if number > since[id]:
            states[id].log.append((number, Happening(type, at, names)))


def _ended(row: Any) -> Run:
    """A run as far as it matters when it has ended."""
    return Run(
        number=row.number,
        sequence=row.sequence,
        version=row.version,
        subject=_subject(row.subject),
        started=row.started,
        event_at=row.event_at,
        event_number=row.event_number,
        trial=row.trial,
        outcome=row.outcome,
        ended=row.ended,
        step=row.step,
        dirty=False,
    )


def _subject(subject: dict[str, Any] | None) -> Subject | None:
    if subject is None:
        return None
    return Subject(subject["kind"], subject["key"], tuple(tuple(x) for x in subject["objects"]))


def _run(row: Any) -> Run:
    """An open run, with where it stands and what it went through."""
    run = _ended(row)
    run.cause, run.due, run.arrived = row.cause, row.due, row.arrived
    run.walked, run.arriving = row.walked, row.arriving
    run.holds = [Hold(*hold) for hold in row.holds]
    run.rounds, run.passed = dict(row.rounds), dict(row.passed)
    run.steps_at = (row.steps_at, row.steps) if row.steps_at else None
    run.trail = [tuple(entry) for entry in row.trail]
    return run
