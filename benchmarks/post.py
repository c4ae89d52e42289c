"""Intake, wake-ups, and letters to the mail server, beside bare SQLite inserts and a bare smtplib loop."""

from __future__ import annotations

import json
import os
import smtplib
import socket
import sqlite3
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager
from datetime import UTC, datetime
from pathlib import Path

import httpx
from sqlalchemy import update
from whenever import Instant

from benchmarks.bare_route import bare_tables, put, rows_by_student
from benchmarks.far_side import bare_far_side
from benchmarks.report import Report, per_second
from benchmarks.scenes import START, opened, school_of, wake_all, with_waiting_runs
from patient_courier.core.rehearsing.rehearsal import definitions_of
from patient_courier.core.school.events import Purchased
from patient_courier.dispatch.outbox import Outbox
from patient_courier.dispatch.taking import next_due, take_events
from patient_courier.intake.signature import sign
from patient_courier.post.carriers import SmtpCarrier, SmtpSettings
from patient_courier.post.links import LinkSigner
from patient_courier.post.look import look_of
from patient_courier.post.mailroom import Mailroom
from patient_courier.post.message import Mail, message, sender_of
from patient_courier.post.prepared import prepare
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import ClockRow, SecretRow

SINGLES, BATCHES, BATCH = 400, 40, 100
LETTERS = 1000
QUEUED = 100_000


def free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@contextmanager
def running(port: int, *command: str, **environment: str) -> Iterator[str]:
    """A server in a process of its own, from its first answer on."""
    server = subprocess.Popen([sys.executable, "-m", *command], env=os.environ | environment)
    address = f"http://127.0.0.1:{port}"
    for _ in range(200):
        try:
            httpx.get(f"{address}/api/session")
            break
        except httpx.HTTPError:
            time.sleep(0.1)
    try:
        yield address
    finally:
        server.terminate()
        server.wait()


def served(path: Path) -> AbstractContextManager[str]:
    """The application, as in real use."""
    port = free_port()
    own = {"PATIENT_COURIER_DATABASE": str(path), "PATIENT_COURIER_PORT": str(port)}
    return running(port, "patient_courier.cli", "serve", **own)


def bare_inserts(folder: Path, source: Path, students: range, per_commit: int) -> float:
    """The rows that our intake wrote for these students, put into bare tables by table copy, same pragmas."""
    found = rows_by_student(source)
    groups = [found[f"s{n}"] for n in students]
    target = bare_tables(source, folder / f"bare-{per_commit}-{students.start}.db")

    def work() -> None:
        for start in range(0, len(groups), per_commit):
            put(target, groups[start : start + per_commit])

    return per_second(len(groups), work)


def intake(report: Report, folder: Path) -> None:
    path = folder / "intake.db"
    total = SINGLES + BATCHES * BATCH
    database = opened(path, total)
    with database.reading() as session:
        secret = session.get_one(SecretRow, "intake").value
    database.close()

    def event(n: int) -> dict[str, str]:
        at = START.format_iso()
        return {"type": "purchased", "at": at, "student": f"s{n}", "offer": "first-hive-once", "id": f"e{n}"}

    def signed(client: httpx.Client, name: str, body: object) -> None:
        text = json.dumps(body)
        answer = client.post(
            "/intake/events", content=text, headers=sign(secret, name, datetime.now(UTC), text)
        )
        answer.raise_for_status()

    def singles() -> None:
        for n in range(SINGLES):
            signed(client, f"m{n}", event(n))

    with served(path) as address, httpx.Client(base_url=address, timeout=60) as client:

        def batches() -> None:
            for number in range(BATCHES):
                first = SINGLES + number * BATCH
                signed(client, f"b{number}", [event(n) for n in range(first, first + BATCH)])

        single, batch = per_second(SINGLES, singles), per_second(BATCHES * BATCH, batches)
        time.sleep(1)
    floor = bare_inserts(folder, path, range(SINGLES), 1)
    report.add("events taken in over HTTP, one at a time (purchase, enrolment, run, letter)", single, floor)
    port = free_port()
    bare = ("benchmarks.bare_route", str(port), secret, str(path), str(folder / "bare-route.db"))
    with running(port, *bare) as address, httpx.Client(base_url=address, timeout=60) as client:
        floor = per_second(SINGLES, singles)
    report.add("the same beside a bare route that checks the signature and inserts the rows", single, floor)
    floor = bare_inserts(folder, path, range(SINGLES, total), BATCH)
    report.add("events taken in over HTTP, in batches of 100", batch, floor)


def wake_ups(report: Report, folder: Path) -> None:
    database = with_waiting_runs(folder, 100_000)
    library = Library("https://post.example")
    number = 5000
    with database.writing() as session:
        session.execute(update(ClockRow).values(moving_to=START.add(seconds=number + 9)))

    speed = per_second(number, lambda: wake_all(database, library))
    bare = sqlite3.connect(folder / "bare-wake.db", isolation_level=None)
    bare.execute("PRAGMA journal_mode=WAL")
    bare.execute("PRAGMA synchronous=FULL")
    source = sqlite3.connect(folder / "waiting-100000.db")
    for (sql,) in source.execute(
        "SELECT sql FROM sqlite_master WHERE tbl_name IN ('runs','deliveries') AND sql IS NOT NULL"
    ):
        bare.execute(sql)
    rows = {
        table: source.execute(f"SELECT * FROM {table} LIMIT {number}").fetchall()
        for table in ("runs", "deliveries")
    }

    def inserts() -> None:
        for start in range(0, number, 500):
            bare.execute("BEGIN IMMEDIATE")
            for table, found in rows.items():
                marks = ",".join("?" * len(found[0]))
                bare.executemany(f"INSERT INTO {table} VALUES ({marks})", found[start : start + 500])
            bare.execute("COMMIT")

    report.add(
        "due runs woken, with 100,000 waiting (each posts a letter and waits anew)",
        speed,
        per_second(number, inserts),
    )
    looks = {}
    for waiting in (1_000, 100_000):
        found = database if waiting == 100_000 else with_waiting_runs(folder, waiting)

        def look(found: Database = found) -> None:
            for _ in range(2000):
                with found.reading() as session:
                    next_due(session, Instant.now())

        look()
        looks[waiting] = per_second(2000, look)
        report.add(f"idle looks for due runs, {waiting:,} waiting", looks[waiting], None)
        found.close()
    print(f"idle look at 100,000 waiting / at 1,000: {looks[1_000] / looks[100_000]:.2f} ×")


def bare_loop(port: int, number: int, ready: bytes) -> float:
    """Letters a second of smtplib with one finished message over one connection."""

    def work() -> None:
        with smtplib.SMTP("127.0.0.1", port) as connection:
            for _ in range(number):
                connection.sendmail("ines@mallowlane.example", ["ana@example.org"], ready)

    return per_second(number, work)


def letters(report: Report) -> None:
    """Rendering and handing over, against the mailroom and against a far side that costs nearly nothing."""
    file = school_of(1)
    letter = next(found for found in file.letters if found.key == "fh-year")
    signer = LinkSigner("secret", "https://post.example")
    definitions = definitions_of(file)
    prepared = prepare(letter, look_of(definitions, letter, "first-hive"))
    sender = sender_of(definitions, letter, "first-hive", None)

    def one(n: int) -> Mail:
        values = {"student.first_name": f"Ana{n}", "course.title": "First Hive", "next_lesson.title": "L"}
        links = signer.links(n, clicks=True)
        rendered = prepared.fill(values, "Europe/Lisbon", links)
        to = [("Ana", f"ana{n}@example.org")]
        return message(rendered, sender, links, message_id=f"{n}@mallowlane.example", to=to, date=START)

    def through(port: int, where: str) -> None:
        carrier = SmtpCarrier(SmtpSettings("127.0.0.1", port))

        def ours() -> None:
            for n in range(LETTERS):
                carrier.post(one(n))

        ours()
        floor = bare_loop(port, LETTERS, one(0).raw)
        report.add(f"letters rendered and handed over to {where}", per_second(LETTERS, ours), floor)
        carrier.close()

    room = Mailroom(lambda raw, recipients: None)
    through(room.start(), "the mailroom, keeping nothing")
    room.stop()
    with bare_far_side() as port:
        through(port, "a bare far side")


def whole_outbox(report: Report, folder: Path) -> None:
    """From a queued delivery to a bare far side: claimed, begun, handed over, settled; flat from first to last."""
    path = folder / "outbox.db"
    database = opened(path, QUEUED)
    library = Library("https://post.example")
    body = {"type": "purchased", "at": START, "offer": "first-hive-once"}
    for first in range(0, QUEUED, 1000):
        with database.writing() as session:
            events = [
                Purchased.model_validate({**body, "student": f"s{n}"}) for n in range(first, first + 1000)
            ]
            take_events(session, library.load(session), events, START)
    signer = LinkSigner("secret", "https://post.example")
    with bare_far_side() as port:
        carrier = SmtpCarrier(SmtpSettings("127.0.0.1", port))
        outbox = Outbox(
            database, library.load, carrier, signer, asks_mailroom=False, on_bounce=lambda *_: None
        )
        times = [time.perf_counter()]
        post, last = carrier.post, [b""]

        def counted(mail: Mail) -> None:
            post(mail)
            last[0] = mail.raw
            times.append(time.perf_counter())

        carrier.post = counted  # type: ignore[method-assign]
        floor = bare_loop(port, 2000, b"Subject: x\r\n\r\n" + b"x" * 8000)
        speed = per_second(QUEUED, outbox.empty)
        floor = (floor + bare_loop(port, 2000, last[0])) / 2
    part = QUEUED // 10
    first, final = part / (times[part] - times[0]), part / (times[-1] - times[-1 - part])
    report.add(f"letters through the whole outbox to a bare far side, {QUEUED:,} queued", speed, floor)
    report.note(
        f"The first tenth of the {QUEUED:,} letters went at {first:,.0f} a second, the last at {final:,.0f}."
    )
    database.close()
