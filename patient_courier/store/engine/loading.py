"""Loading students as the engine holds them in hand, and storing what changed."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from typing import Any

from sqlalchemy import Connection, Select, bindparam, func, literal, null, select, union_all
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.facts import Certificate, Enrolment, Facts, Purchase, QuizRecord, Sent
from patient_courier.core.engine.happening import Happening, Subject
from patient_courier.core.engine.matching import STATE_TYPES
from patient_courier.core.engine.state import Hold, Run, StudentState
from patient_courier.core.engine.turn import Numbers
from patient_courier.core.school.file import Student
from patient_courier.store.base.tables import (
    POSTED,
    ActivityRow,
    CertificateRow,
    DeliveryRow,
    EnrolmentRow,
    EventRow,
    HelpStopRow,
    LearntRow,
    PurchaseRow,
    ReadingRow,
    RunRow,
    StudentRow,
    TagRow,
)

# Core statements over the plain tables, made once: building a statement, and making mapped objects, costs more
# than reading the rows.
_S: Any = StudentRow.__table__
_E: Any = EnrolmentRow.__table__
_P: Any = PurchaseRow.__table__
_Q: Any = LearntRow.__table__
_C: Any = CertificateRow.__table__
_T: Any = TagRow.__table__
_H: Any = HelpStopRow.__table__
_A: Any = ActivityRow.__table__
_L: Any = ReadingRow.__table__
_R: Any = RunRow.__table__
_D: Any = DeliveryRow.__table__
_V: Any = EventRow.__table__


def _of(table: Any, *columns: Any) -> Select[Any]:
    """Columns of the rows of some students, the student's row id first."""
    return select(table.c.student_id, *columns).where(
        table.c.student_id.in_(bindparam("ids", expanding=True))
    )


_PEOPLE = select(*_S.c).where(_S.c.id.in_(bindparam("ids", expanding=True)))
_ENROLMENTS = _of(_E, _E.c.course, _E.c.via, _E.c.began, _E.c.offer, _E.c.refunded, _E.c.expired)
_PURCHASES = _of(_P, _P.c.offer, _P.c.at, _P.c.refunded, _P.c.order).order_by(_P.c.student_id, _P.c.ordinal)
_LEARNT = _of(_Q, _Q.c.kind, _Q.c.key, _Q.c.at, _Q.c.percent, _Q.c.attempts, _Q.c.score, _Q.c.last)
# Five small tables in one question: what kind, of what, and up to two moments.
_SMALL = union_all(
    _of(_C, literal("certificate"), _C.c.course, _C.c.requested, _C.c.issued),
    _of(_T, literal("tag"), _T.c.tag, null(), null()),
    _of(_H, literal("help_stop"), _H.c.course, null(), null()),
    _of(_A, literal("activity"), _A.c.course, _A.c.at, null()),
    _of(_L, literal("reading"), _L.c.letter, _L.c.opened, _L.c.clicked),
)
_LETTERS = (
    _of(_D, _D.c.letter, _D.c.purpose, _D.c.at, func.nullif(_D.c.run, 0), _D.c.course)
    .where(_D.c.recipients.is_(None), _D.c.status.in_(POSTED))
    .order_by(_D.c.at, _D.c.id)
)
_OPEN_RUNS = (
    select(*_R.c)
    .where(_R.c.student_id.in_(bindparam("ids", expanding=True)), _R.c.outcome.is_(None))
    .order_by(_R.c.number)
)
# Of a run that has ended, its story is nobody's business here.
_ENDED_RUNS = _of(
    _R,
    _R.c.number,
    _R.c.sequence,
    _R.c.version,
    _R.c.subject,
    _R.c.started,
    _R.c.event_at,
    _R.c.event_number,
    _R.c.outcome,
    _R.c.ended,
    _R.c.step,
).where(_R.c.outcome.is_not(None))
_SINCE = (
    _of(_V, _V.c.number, _V.c.type, _V.c.at, _V.c.names)
    .where(_V.c.number > bindparam("since"), _V.c.type.not_in(STATE_TYPES))
    .order_by(_V.c.number)
)
_LAST_NUMBERS = select(
    select(func.max(_V.c.number)).scalar_subquery(), select(func.max(_R.c.number)).scalar_subquery()
)


def load_states(session: Session, ids: Collection[int], definitions: Definitions) -> dict[int, StudentState]:
    """The students with these row ids, ready for the engine, by id."""
    zone, connection, given = definitions.school.timezone, session.connection(), {"ids": list(ids)}
    states = {row.id: _student(row, zone) for row in connection.execute(_PEOPLE, given)}
    _load_facts(connection, states, given)
    _load_runs(connection, states, given)
    return states


def numbers(session: Session) -> Numbers:
    """The last numbers given out. Only safe to go on from inside a write transaction."""
    event, run = session.connection().execute(_LAST_NUMBERS).one()
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


def _student(row: Any, school_zone: str) -> StudentState:
    facts = Facts(news=row.news, bounced=row.bounced, complained=row.complained, first_event=row.first_event)
    return StudentState(
        student_of(row),
        row.timezone or school_zone,
        row.id,
        facts,
        clock_done=row.clock_done or Instant.MIN,
        begun_at=(row.begun_at, row.begun) if row.begun_at else None,
    )


def _load_facts(connection: Connection, states: dict[int, StudentState], given: dict[str, Any]) -> None:
    for id, *values in connection.execute(_ENROLMENTS, given):
        states[id].facts.enrolments[values[0]] = Enrolment(*values)
    for id, *values in connection.execute(_PURCHASES, given):
        states[id].facts.purchases.append(Purchase(*values))
    for id, *values in connection.execute(_LEARNT, given):
        _learnt(states[id].facts, *values)
    for id, kind, key, first, second in connection.execute(_SMALL, given):
        _small(states[id].facts, kind, key, first, second)
    for id, *values in connection.execute(_LETTERS, given):
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


def _load_runs(connection: Connection, states: dict[int, StudentState], given: dict[str, Any]) -> None:
    since: dict[int, int] = {}
    runs = [(row.student_id, _run(row)) for row in connection.execute(_OPEN_RUNS, given)]
    for id, run in runs:
        since[id] = min(run.event_number, since.get(id, run.event_number))
    runs += [(row.student_id, _ended(row)) for row in connection.execute(_ENDED_RUNS, given)]
    for id, run in sorted(runs, key=lambda found: found[1].number):
        states[id].add_run(run)
    if not since:
        return
    asked = {"ids": list(since), "since": min(since.values())}
    for id, number, type, at, names in connection.execute(_SINCE, asked):
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


def run_values(run: Run, student_id: int) -> dict[str, Any]:
    """A run as the columns of its row."""
    subject = run.subject
    return {
        "number": run.number,
        "student_id": student_id,
        "sequence": run.sequence,
        "version": run.version,
        "subject": {"kind": subject.kind, "key": subject.key, "objects": subject.objects}
        if subject
        else None,
        "started": run.started,
        "event_at": run.event_at,
        "event_number": run.event_number,
        "cause": run.cause,
        "outcome": run.outcome,
        "ended": run.ended,
        "step": run.step,
        "due": run.due,
        "arrived": run.arrived,
        "walked": run.walked,
        "arriving": run.arriving,
        "steps_at": run.steps_at[0] if run.steps_at else None,
        "steps": run.steps_at[1] if run.steps_at else 0,
        "holds": [(hold.start, hold.until, hold.reason) for hold in run.holds],
        "rounds": run.rounds,
        "passed": run.passed,
        "trail": run.trail,
    }


def fact_values(state: StudentState, student_id: int) -> dict[type[Any], list[dict[str, Any]]]:
    """The changed facts of a student as rows to put in, by table; a value of None in ``tag`` rows means: take out."""
    facts, found = state.facts, defaultdict[type[Any], list[dict[str, Any]]](list)
    for kind, key in sorted(facts.changed):
        own = {"student_id": student_id}
        match kind:
            case "enrolment":
                e = facts.enrolments[key]
                found[EnrolmentRow].append(
                    own
                    | {"course": key, "via": e.via, "began": e.began, "offer": e.offer}
                    | {"refunded": e.refunded, "expired": e.expired}
                )
            case "purchases":
                for ordinal, p in enumerate(facts.purchases):
                    values = {"offer": p.offer, "at": p.at, "refunded": p.refunded, "order": p.order}
                    found[PurchaseRow].append(own | {"ordinal": ordinal} | values)
            case "lesson" | "module" | "course" | "quiz":
                found[LearntRow].append(own | {"kind": kind, "key": key} | _learnt_values(facts, kind, key))
            case "certificate":
                c = facts.certificates[key]
                found[CertificateRow].append(
                    own | {"course": key, "requested": c.requested, "issued": c.issued}
                )
            case "help_stop":
                found[HelpStopRow].append(own | {"course": key})
            case "activity":
                found[ActivityRow].append(own | {"course": key, "at": facts.activity[key]})
            case "reading":
                values = {"opened": facts.opened.get(key), "clicked": facts.clicked.get(key)}
                found[ReadingRow].append(own | {"letter": key} | values)
            case "tag" if key in facts.tags:
                found[TagRow].append(own | {"tag": key})
    return found


def _learnt_values(facts: Facts, kind: str, key: str) -> dict[str, Any]:
    none = dict.fromkeys(("at", "percent", "attempts", "score", "last"))
    if kind == "quiz":
        record = facts.quizzes[key]
        return {
            "at": record.passed,
            "percent": None,
            "attempts": record.attempts,
            "score": record.score,
            "last": record.last,
        }
    known = {"lesson": facts.lessons, "module": facts.modules, "course": facts.courses}[kind]
    return none | {"at": known.get(key), "percent": facts.watched.get(key) if kind == "lesson" else None}
