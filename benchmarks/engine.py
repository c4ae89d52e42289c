"""The engine beside simpy, the audience in SQL beside memory, and wake-ups beside a general scheduler."""

from __future__ import annotations

import os
import random
import sqlite3
import sys
import time
import tracemalloc
from datetime import UTC, datetime, timedelta
from pathlib import Path

import simpy
from apscheduler.executors.pool import ThreadPoolExecutor
from apscheduler.jobstores.sqlalchemy import SQLAlchemyJobStore
from apscheduler.schedulers.background import BackgroundScheduler
from pydantic import TypeAdapter
from sqlalchemy import create_engine, event, insert, select

from benchmarks.report import Report, per_second
from benchmarks.scenes import START, opened, school_of, wake_all, with_waiting_runs
from patient_courier.core.engine.conditions import Asked, holds
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.rehearsing.rehearsal import Outcome, rehearse
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.file import SchoolFile
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.progress import count_anew
from patient_courier.store.base.tables import ClockRow, EnrolmentRow, EventRow, LearntRow, StudentRow
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students.audience import count

STUDENTS, DAYS = 10_000, 180
AUDIENCE_STUDENTS = int(os.environ.get("STUDENTS", "100000"))
AUDIENCE_EVENTS = 20 * AUDIENCE_STUDENTS
NUDGES = [
    {
        "key": "first-lesson",
        "name": "nobody has begun",
        "status": "running",
        "starts": [{"on": "enrolled", "course": "first-hive"}],
        "again": "once_per_subject",
        "leaves": [{"on": "refunded", "offer": "first-hive-once"}],
        "steps": [
            {"id": "three", "do": "wait", "for": "P3D", "at": "10:00"},
            {"id": "begin", "do": "send", "letter": "fh-week"},
            {"id": "begun", "do": "waypoint", "reach": {"on": "lesson_started", "course": "first-hive"}},
        ],
    },
    {
        "key": "silence",
        "name": "two weeks of silence",
        "status": "running",
        "starts": [{"on": "inactive", "course": "first-hive", "for": "P14D"}],
        "again": "every_time",
        "steps": [
            {"id": "morning", "do": "wait", "at": "10:00"},
            {"id": "silent", "do": "send", "letter": "fh-week"},
        ],
    },
]


def big_school() -> SchoolFile:
    """Ten thousand students of First Hive over half a year, in the welcome week and two nudges."""
    lot = random.Random(7)
    data = as_data(school_of(STUDENTS))
    data["sequences"] = [{**data["sequences"][0], "status": "running"}, *NUDGES]
    lessons = [f"first-hive/l{n}" for n in range(1, 32)]
    events = []
    for n in range(STUDENTS):
        at = START.add(seconds=lot.randrange(DAYS * 80_000))
        events.append(
            {"at": at.format_iso(), "type": "purchased", "student": f"s{n}", "offer": "first-hive-once"}
        )
        for lesson in lessons[: min(31, int(lot.expovariate(1 / 9)))]:
            at = at.add(seconds=int(lot.expovariate(1 / 200_000)) + 60)
            events.append(
                {"at": at.format_iso(), "type": "lesson_started", "student": f"s{n}", "lesson": lesson}
            )
            at = at.add(seconds=900)
            events.append(
                {"at": at.format_iso(), "type": "lesson_completed", "student": f"s{n}", "lesson": lesson}
            )
    return SchoolFile.model_validate(
        {**data, "events": events, "until": START.add(hours=24 * DAYS).format_iso()}
    )


def happened(outcome: Outcome) -> int:
    """Events handled and steps that runs took: letters, waits ended, decisions."""
    steps = sum(len(run.trail) for state in outcome.states.values() for run in state.runs)
    return len(outcome.effects) + steps


def bare_simpy(file: SchoolFile) -> int:
    """The same waits and events in bare simpy: no facts, no guards, no letters; returns what happened."""
    env, done = simpy.Environment(), [0]

    def student(moves: list[float]) -> object:
        env.process(waits([86_400, 172_800, 172_800, 172_800]))
        env.process(waits([259_200]))
        last = 0.0
        for at in moves:
            yield env.timeout(at - last)
            last = at
            done[0] += 1
            env.process(waits([1_209_600]))

    def waits(lengths: list[int]) -> object:
        for length in lengths:
            yield env.timeout(length)
            done[0] += 1

    lives: dict[str, list[float]] = {}
    begin = START.timestamp()
    for one in file.events:
        lives.setdefault(one.student, []).append(one.at.timestamp() - begin)
    for moves in lives.values():
        env.process(student(sorted(moves)))
    env.run(until=DAYS * 86_400)
    return done[0]


def rehearsal(report: Report) -> None:
    file = big_school()
    found: list[Outcome] = []
    began = time.perf_counter()
    found.append(rehearse(file))
    ours = happened(found[0]) / (time.perf_counter() - began)
    began = time.perf_counter()
    theirs = bare_simpy(file) / (time.perf_counter() - began)
    report.add(
        f"rehearsal: {STUDENTS:,} students over {DAYS} days, events and steps (beside bare simpy)",
        ours,
        theirs,
    )
    tracemalloc.start()
    before = tracemalloc.get_traced_memory()[0]
    waiting = rehearse(file, until=START.add(hours=24 * 60))
    used = tracemalloc.get_traced_memory()[0] - before
    tracemalloc.stop()
    runs = sum(run.is_open for state in waiting.states.values() for run in state.runs)
    everyone = len(waiting.states)
    report.note(
        f"Memory: {used / everyone / 1024:.1f} kB a student with all facts, effects and runs after 60 days; "
        f"one waiting run itself {sys.getsizeof(next(r for s in waiting.states.values() for r in s.runs))} bytes and its "
        f"lists ({runs:,} runs were waiting)."
    )


CONDITION: TypeAdapter[Condition] = TypeAdapter(Condition)
ASKED = {
    "in First Hive and not finished": {"is": "enrolled", "course": "first-hive", "status": ["active"]},
    "finished module 1, not tagged": {
        "all": [{"is": "completed", "module": "first-hive/m1"}, {"not": {"is": "tagged", "tag": "mentored"}}]
    },
    "half way or more": {"is": "progress", "course": "first-hive", "at_least": 50},
    "silent for two weeks": {"is": "inactive", "course": "first-hive", "for": "P14D"},
    "bought in the last 30 days, wants news": {
        "all": [{"is": "bought", "offer": "any", "within": "P30D"}, {"is": "news_on"}]
    },
}


def audience(report: Report, folder: Path) -> None:
    """Counts over 100,000 students with 2,000,000 events behind them; a part of them asked in memory."""
    database = opened(folder / "audience.db", 1)
    with database.writing() as session:
        _fill(session)
    now = START.add(hours=24 * 90)
    library = Library("https://post.example")
    part = 2_000
    with database.reading() as session:
        definitions = library.load(session)
        ids = list(session.scalars(select(StudentRow.id).limit(part)))
        began = time.perf_counter()
        states = load_states(session, ids, definitions)
        loading = (time.perf_counter() - began) / part
        for name, body in ASKED.items():
            condition = CONDITION.validate_python(body)
            count(session, condition, definitions, now)
            began = time.perf_counter()
            number = count(session, condition, definitions, now)
            sql = time.perf_counter() - began
            began = time.perf_counter()
            for state in states.values():
                holds(condition, Asked(definitions, state, now))
            memory = ((time.perf_counter() - began) / part + loading) * AUDIENCE_STUDENTS
            report.note(
                f"Audience “{name}”: {number:,} of {AUDIENCE_STUDENTS:,} in {sql * 1000:.0f} ms in SQL; "
                f"in memory, loading included, {memory:.1f} s ({memory / sql:,.0f} ×)."
            )
    database.close()


def _fill(session) -> None:
    lot = random.Random(11)
    common = {"fields": {}, "bounced": False, "complained": False, "begun": 0}
    people, enrolments, learnt, purchases, activity, events = [], [], [], [], [], []
    zones = [None, "Europe/London", "America/New_York", "Asia/Kolkata"]
    number = 0
    for n in range(1, AUDIENCE_STUDENTS):
        began = START.add(seconds=lot.randrange(90 * 86_400))
        people.append(
            {
                "id": n + 1,
                "key": f"a{n}",
                "email": f"a{n}@example.org",
                "news": n % 5 > 0,
                "news_at_first": True,
                "timezone": zones[n % 4],
                **common,
            }
        )
        enrolments.append({"student_id": n + 1, "course": "first-hive", "via": "purchase", "began": began})
        purchases.append({"student_id": n + 1, "ordinal": 0, "offer": "first-hive-once", "at": began})
        done = min(31, int(lot.expovariate(1 / 9)))
        last = began
        for k in range(1, done + 1):
            last = last.add(seconds=90_000)
            learnt.append({"student_id": n + 1, "kind": "lesson", "key": f"first-hive/l{k}", "at": last})
        if done > 4:
            learnt.append({"student_id": n + 1, "kind": "module", "key": "first-hive/m1", "at": last})
        activity.append({"student_id": n + 1, "course": "first-hive", "at": last})
        for _ in range(AUDIENCE_EVENTS // AUDIENCE_STUDENTS):
            number += 1
            events.append(
                {
                    "number": number,
                    "student_id": n + 1,
                    "type": "lesson_started",
                    "at": last,
                    "names": {},
                    "reported": True,
                }
            )
        if len(events) > 100_000:
            _put(session, people, enrolments, purchases, activity, learnt, events)
    _put(session, people, enrolments, purchases, activity, learnt, events)
    for course in Library("https://post.example").load(session).courses.values():
        count_anew(session, course)


def _put(session, people, enrolments, purchases, activity, learnt, events) -> None:
    from patient_courier.store.base.tables import ActivityRow, PurchaseRow

    for table, rows in (
        (StudentRow, people),
        (EnrolmentRow, enrolments),
        (PurchaseRow, purchases),
        (ActivityRow, activity),
        (LearntRow, learnt),
        (EventRow, events),
    ):
        if rows:
            session.execute(insert(table), rows)
        rows.clear()


def nothing(run: int) -> None:
    """What a job of the general scheduler does here."""


def scheduler(report: Report, folder: Path, waiting: int = 5_000, woken: int = 1_000) -> None:
    """Waking runs beside APScheduler with a SQLAlchemy job store on SQLite that holds one job a waiting student."""
    database = with_waiting_runs(folder, waiting)
    library = Library("https://post.example")
    with database.writing() as session:
        session.query(ClockRow).update({"moving_to": START.add(seconds=woken + 9)})

    ours = per_second(woken, lambda: wake_all(database, library))
    database.close()
    engine = create_engine(f"sqlite:///{folder}/jobs.db")

    @event.listens_for(engine, "connect")
    def pragmas(connection: sqlite3.Connection, record: object) -> None:
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute("PRAGMA synchronous=FULL")

    done = [0]
    found = BackgroundScheduler(
        jobstores={"default": SQLAlchemyJobStore(engine=engine)},
        executors={"default": ThreadPoolExecutor(1)},
        job_defaults={"misfire_grace_time": None},
        timezone=UTC,
    )
    found.start(paused=True)
    now = datetime.now(UTC)
    for n in range(waiting):
        at = now - timedelta(seconds=1) if n < woken else now + timedelta(days=1)
        found.add_job(nothing, "date", run_date=at, args=[n])
    from apscheduler.events import EVENT_JOB_EXECUTED

    found.add_listener(lambda _: done.__setitem__(0, done[0] + 1), EVENT_JOB_EXECUTED)

    def run() -> None:
        found.resume()
        while done[0] < woken:
            time.sleep(0.005)

    theirs = per_second(woken, run)
    found.shutdown(wait=False)
    report.add(
        f"due runs woken with {waiting:,} waiting, each with its letter (beside APScheduler, one empty job a student)",
        ours,
        theirs,
    )
