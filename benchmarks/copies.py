"""Copies of a large school: how long one takes beside a bare copy of the file, what pages take meanwhile, coming back, and
practice copies."""

from __future__ import annotations

import shutil
import threading
import time
from pathlib import Path

from sqlalchemy import text

from benchmarks.connections import pages, sign_in, slowest_of_twenty
from benchmarks.report import Report
from benchmarks.scenes import START, opened
from patient_courier.core.upkeep.copies import Copying
from patient_courier.core.upkeep.recovery import fresh_phrase, key_of
from patient_courier.dispatch.copies import make_copy
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.restoring import restore
from patient_courier.settings import Settings
from patient_courier.store.base.columns import to_nanoseconds
from patient_courier.store.base.database import Database
from patient_courier.web.app import create_app
from tests.browser.serving import free_port, served

STUDENTS, EVENTS_EACH, LETTERS_EACH = 100_000, 20, 10


def filled(path: Path) -> Database:
    """A school of years: twenty events and ten letters a student."""
    database = opened(path, STUDENTS)
    at = to_nanoseconds(START)
    each = "WITH RECURSIVE n(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM n WHERE n < {most}) "
    with database.writing() as session:
        session.execute(
            text(
                each.format(most=EVENTS_EACH)
                + "INSERT INTO events (student_id, type, at, cause, names, reported) "
                f"SELECT s.id, 'lesson_completed', {at} - n * 86400000000000, NULL, "
                '\'{"course":"first-hive","lesson":"first-hive/l\' || n || \'"}\', 1 FROM students s, n'
            )
        )
        session.execute(
            text(
                each.format(most=LETTERS_EACH)
                + "INSERT INTO deliveries (student_id, run, step, round, sequence, letter, letter_version, purpose, status, subject, "
                'at, posted, handed, holds, "values", story, tries, begun, seen) '
                "SELECT s.id, s.id * 100 + n, 'send', '1', 'fh-welcome', 'fh-access', 1, 'service', 'sent', 'Your place is ready', "
                f"{at} - n * 86400000000000, {at} - n * 86400000000000, {at} - n * 86400000000000, '[]', "
                '\'{"student.first_name":"S","course.title":"First Hive"}\', 0, 1, 0, 0 FROM students s, n'
            )
        )
    return database


def copies(report: Report, folder: Path) -> None:
    database = filled(folder / "years.db")
    # Its clock stands still, so that nothing falls due meanwhile.
    token = sign_in(database)
    size = database.path.stat().st_size / 1e6
    began = time.perf_counter()
    shutil.copyfile(database.path, folder / "bare.db")
    bare = time.perf_counter() - began
    port = free_port()
    settings = Settings(database=database.path, smtp_host="", port=port, copies=folder / "copies")
    phrase = fresh_phrase()
    for what, copying in (
        ("in the clear", Copying()),
        ("encrypted", Copying(recipient=str(key_of(phrase).to_public()))),
    ):
        with served(create_app(Post(database, settings)), port) as address, pages(address, token) as before:
            threading.Event().wait(10)
        with served(create_app(Post(database, settings)), port) as address, pages(address, token) as took:
            began = time.perf_counter()
            made = make_copy(database.path, folder / what, copying, "by-hand", "UTC")
            seconds = time.perf_counter() - began
        report.note(
            f"a copy of {STUDENTS:,} students ({size:.0f} MB) {what}: {seconds:.1f} s, the file copied bare {bare:.1f} s; pages meanwhile "
            f"{slowest_of_twenty(took) * 1000:.0f} ms at the 95th percentile of {len(took)}, without a copy "
            f"{slowest_of_twenty(before) * 1000:.0f} ms"
        )
        new = Settings(database=folder / f"new {what}.db", smtp_host="", port=port)
        began = time.perf_counter()
        restore(made.path, new, lambda: phrase, replace=False)
        again = Database(new.database)
        with served(create_app(Post(again, new)), port):
            seconds = time.perf_counter() - began
        report.note(f"back from it, {what}, until its pages are served: {seconds:.1f} s")
        again.close()
    _practice(report, database, Settings(database=database.path, smtp_host="", port=port), token)
    database.close()


def _practice(report: Report, database: Database, settings: Settings, token: str) -> None:
    """Practice copies beside the school that is being served, until their first page."""
    for names in ("real", "made_up"):
        app = create_app(Post(database, settings))
        with served(app, settings.port) as address, pages(address, token) as took:
            began = time.perf_counter()
            app.copy.make(names, lambda more: None)
            seconds = time.perf_counter() - began
        report.note(
            f"a practice copy, names {names}, until it is served: {seconds:.1f} s; pages of the school meanwhile "
            f"{slowest_of_twenty(took) * 1000:.0f} ms at the 95th percentile of {len(took)}"
        )
