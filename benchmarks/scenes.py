"""Schools of a size for the benchmarks."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import insert, select

from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import parse_moment
from patient_courier.demo.history import demo_school
from patient_courier.dispatch.taking import wake_due
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import RunRow, StudentRow
from patient_courier.store.school.opening import open_school

START = parse_moment("2026-03-02T12:00:00Z")


def school_of(students: int) -> SchoolFile:
    """The demo's courses and the welcome week, with students to whom nothing has happened."""
    file = demo_school()
    data = as_data(file) | {"events": [], "students": [], "broadcasts": []}
    data["sequences"] = [found for found in data["sequences"] if found["key"] == "fh-welcome"]
    data["students"] = [
        {"key": f"s{n}", "email": f"s{n}@example.org", "first_name": f"S{n}"} for n in range(students)
    ]
    return SchoolFile.model_validate(data)


def opened(path: Path, students: int) -> Database:
    database = Database(path)
    database.migrate()
    with database.writing() as session:
        open_school(session, school_of(students), START, practice=True)
    return database


def with_waiting_runs(folder: Path, waiting: int) -> Database:
    """A school in which that many runs wait, one a student, due a second apart."""
    database = opened(folder / f"waiting-{waiting}.db", 1)
    pattern = {
        "sequence": "fh-welcome",
        "version": 1,
        "started": START,
        "event_at": START,
        "event_number": 0,
        "cause": 0,
    }
    pattern |= {
        "step": "w1",
        "walked": True,
        "steps": 0,
        "holds": [],
        "rounds": {},
        "passed": {},
        "trail": [],
        "subject": None,
    }
    with database.writing() as session:
        common = {"fields": {}, "news": True, "bounced": False, "complained": False, "begun": 0}
        people = [
            {"key": f"w{n}", "email": f"w{n}@example.org", "first_name": "W", **common}
            for n in range(1, waiting)
        ]
        if people:
            session.execute(insert(StudentRow), people)
        ids = session.scalars(select(StudentRow.id)).all()
        rows = [
            {"number": n + 1, "student_id": id, "due": START.add(seconds=n + 10), **pattern}
            for n, id in enumerate(ids)
        ]
        session.execute(insert(RunRow), rows)
    return database


def wake_all(database: Database, library: Library) -> None:
    """Let everything happen up to where the practice clock was sent."""
    busy = True
    while busy:
        with database.writing() as session:
            busy = wake_due(session, library.load(session))
