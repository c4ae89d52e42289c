"""Loading students as the engine holds them in hand, and storing what changed."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable
from typing import Any

from sqlalchemy import Select, func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.definitions import Definitions
from patient_courier.core.facts import Certificate, Enrolment, Facts, Purchase, QuizRecord, Sent
from patient_courier.core.happening import Happening, Subject
from patient_courier.core.matching import STATE_TYPES
from patient_courier.core.school.file import Student
from patient_courier.core.state import Hold, Run, StudentState
from patient_courier.core.turn import Numbers
from patient_courier.store.tables import (
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

# Plain columns: making mapped objects of many rows costs more than reading them.
_STUDENT = tuple(StudentRow.__table__.columns)
_RUN = tuple(RunRow.__table__.columns)
# A letter in one of these states counts as sent: it has been decided on and is on its way or there.
POSTED = ("queued", "posting", "sent", "bounced", "unsure")


def load_states(session: Session, ids: Collection[int], definitions: Definitions) -> dict[int, StudentState]:
    """The students with these row ids, ready for the engine, by id."""
    zone = definitions.school.timezone
    states = {
        row.id: _student(row, zone)
        for row in session.execute(select(*_STUDENT).where(StudentRow.id.in_(ids)))
    }
    _load_facts(session, states)
    _load_runs(session, states)
    return states


def numbers(session: Session) -> Numbers:
    """The last numbers given out. Only safe to go on from inside a write transaction."""
    return Numbers(
        event=session.scalar(select(func.max(EventRow.number))) or 0,
        run=session.scalar(select(func.max(RunRow.number))) or 0,
    )


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


def _rows(session: Session, query: Select[Any], table: Any, ids: Iterable[int]) -> Iterable[Any]:
    return session.execute(query.where(table.student_id.in_(ids)))


def _load_facts(session: Session, states: dict[int, StudentState]) -> None:
    ids = list(states)
    e, p, q, c = EnrolmentRow, PurchaseRow, LearntRow, CertificateRow
    query = select(e.student_id, e.course, e.via, e.began, e.offer, e.refunded, e.expired)
    for id, *values in _rows(session, query, e, ids):
        states[id].facts.enrolments[values[0]] = Enrolment(*values)
    query = select(p.student_id, p.offer, p.at, p.refunded, p.order).order_by(p.student_id, p.ordinal)
    for id, *values in _rows(session, query, p, ids):
        states[id].facts.purchases.append(Purchase(*values))
    query = select(q.student_id, q.kind, q.key, q.at, q.percent, q.attempts, q.score, q.last)
    for id, *values in _rows(session, query, q, ids):
        _learnt(states[id].facts, *values)
    query = select(c.student_id, c.course, c.requested, c.issued)
    for id, course, requested, issued in _rows(session, query, c, ids):
        states[id].facts.certificates[course] = Certificate(requested, issued)
    for id, tag in _rows(session, select(TagRow.student_id, TagRow.tag), TagRow, ids):
        states[id].facts.tags[tag] = None
    for id, course in _rows(session, select(HelpStopRow.student_id, HelpStopRow.course), HelpStopRow, ids):
        states[id].facts.help_stopped.add(course)
    query = select(ActivityRow.student_id, ActivityRow.course, ActivityRow.at)
    for id, course, at in _rows(session, query, ActivityRow, ids):
        states[id].facts.activity[course] = at
    _load_letters(session, states)


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


def _load_letters(session: Session, states: dict[int, StudentState]) -> None:
    d, r = DeliveryRow, ReadingRow
    query = (
        select(d.student_id, d.letter, d.purpose, d.at)
        .where(d.recipients.is_(None), d.status.in_(POSTED))
        .order_by(d.at)
    )
    for id, *values in _rows(session, query, d, states):
        states[id].facts.sent.append(Sent(*values))
    for id, letter, opened, clicked in _rows(
        session, select(r.student_id, r.letter, r.opened, r.clicked), r, states
    ):
        if opened:
            states[id].facts.opened[letter] = opened
        if clicked:
            states[id].facts.clicked[letter] = clicked


def _load_runs(session: Session, states: dict[int, StudentState]) -> None:
    since: dict[int, int] = {}
    query = select(*_RUN).where(RunRow.student_id.in_(states)).order_by(RunRow.number)
    for row in session.execute(query):
        states[row.student_id].add_run(_run(row))
        if row.outcome is None:
            since[row.student_id] = min(row.event_number, since.get(row.student_id, row.event_number))
    if not since:
        return
    query = (
        select(EventRow.student_id, EventRow.number, EventRow.type, EventRow.at, EventRow.names)
        .where(
            EventRow.student_id.in_(since),
            EventRow.number > min(since.values()),
            EventRow.type.not_in(STATE_TYPES),
        )
        .order_by(EventRow.number)
    )
    for id, number, type, at, names in session.execute(query):
        if number > since[id]:
            states[id].log.append((number, Happening(type, at, names)))


def _run(row: Any) -> Run:
    subject = row.subject
    return Run(
        number=row.number,
        sequence=row.sequence,
        version=row.version,
        subject=Subject(subject["kind"], subject["key"], tuple(tuple(x) for x in subject["objects"]))
        if subject
        else None,
        started=row.started,
        event_at=row.event_at,
        event_number=row.event_number,
        cause=row.cause,
        outcome=row.outcome,
        ended=row.ended,
        step=row.step,
        due=row.due,
        arrived=row.arrived,
        walked=row.walked,
        arriving=row.arriving,
        holds=[Hold(*hold) for hold in row.holds],
        rounds=dict(row.rounds),
        passed=dict(row.passed),
        steps_at=(row.steps_at, row.steps) if row.steps_at else None,
        trail=[tuple(entry) for entry in row.trail],
        dirty=False,
    )


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
