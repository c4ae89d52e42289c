"""Figures of a large school over HTTP: the first time and after; and what a draw costs beside the start of a run."""

from __future__ import annotations

import time
from pathlib import Path

from fastapi.testclient import TestClient
from sqlalchemy import text

from benchmarks.connections import sign_in
from benchmarks.copies import EVENTS_EACH, STUDENTS, filled
from benchmarks.report import Report
from benchmarks.scenes import START
from patient_courier.core.figures.draw import is_held_back
from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.columns import to_nanoseconds
from patient_courier.store.base.database import Database
from patient_courier.web.app import create_app
from patient_courier.web.sign_in import COOKIE

PAGES = (
    "/api/courses/first-hive/figures/finishing",
    "/api/courses/first-hive/figures/finishing?by=month",
    "/api/courses/first-hive/figures/quizzes",
    "/api/sequences/fh-welcome/figures",
    "/api/sequences/fh-welcome/trial",
    "/api/purchases",
    "/api/purchases/followed?sequence=fh-welcome",
)
DRAWS = 100_000
_DAY = 86_400 * 10**9


def lived(database: Database) -> None:
    """Every student in the course for up to a year, one in seven through with it, all in a trial of one sequence, each a buyer."""
    at = to_nanoseconds(START)
    began = f"{at} - (30 + id % 330) * {_DAY}"
    with database.writing() as session:
        for statement in (
            "DELETE FROM enrolments",
            "INSERT INTO enrolments (student_id, course, via, began) "
            f"SELECT id, 'first-hive', 'purchase', {began} FROM students",
            "INSERT OR IGNORE INTO learnt (student_id, kind, key, at) "
            f"SELECT id, 'course', 'first-hive', {began} + (20 + id % 90) * {_DAY} FROM students WHERE id % 7 = 0",
            "INSERT INTO events (student_id, type, at, names, reported) "
            f"SELECT id, 'purchased', {began}, '{{\"offer\":\"first-hive-once\"}}', 1 FROM students",
            "INSERT INTO events (student_id, type, at, names, reported) "
            f"SELECT id, 'course_completed', {began} + (20 + id % 90) * {_DAY}, '{{\"course\":\"first-hive\"}}', 0 "
            "FROM students WHERE id % 7 = 0",
            "INSERT INTO runs (student_id, sequence, version, started, event_at, event_number, cause, trial, outcome, ended, "
            "walked, arriving, steps, holds, rounds, passed, trail) "
            f"SELECT id, 'fh-welcome', 1, {began}, {began}, 0, 0, 'lot', 'finished', {began}, 1, 0, 1, '[]', '{{}}', '{{}}', '[]' "
            "FROM students",
            "UPDATE sequence_versions SET body = json_set(body, '$.trial', json('"
            '{"key":"lot","hold_back":20,"goal":{"on":"course_completed","course":"first-hive"},"within":"P60D"}'
            "')) WHERE key = 'fh-welcome'",
        ):
            session.execute(text(statement.replace(":", "\\:")))


def figures(report: Report, folder: Path) -> None:
    database = filled(folder / "figures.db")
    token = sign_in(database)
    lived(database)
    settings = Settings(database=database.path, smtp_host="")
    with TestClient(create_app(Post(database, settings)), base_url="http://127.0.0.1") as client:
        client.cookies.set(COOKIE, token)
        for page in PAGES:
            took = []
            for _ in range(3):
                began = time.perf_counter()
                answer = client.get(page)
                took.append(time.perf_counter() - began)
                assert answer.status_code == 200, answer.text
            report.note(
                f"{page}, {STUDENTS:,} students with {EVENTS_EACH} events each: {took[0]:.2f} s the first time, "
                f"{min(took[1:]):.2f} s after (aim: under 1 after the first)."
            )
    database.close()
    began = time.perf_counter()
    for number in range(DRAWS):
        is_held_back("lot", f"student-{number}", 20)
    each = (time.perf_counter() - began) / DRAWS * 1e6
    report.note(f"One draw of a trial: {each:.1f} µs.")
