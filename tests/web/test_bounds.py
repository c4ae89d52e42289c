"""The real server under load from strangers: it stays small, and its owner's pages stay quick."""

from __future__ import annotations

import json
import os
import re
import socket
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import httpx
import pytest
from sqlalchemy import func, select

from patient_courier.core.school.values import parse_moment
from patient_courier.intake.signature import sign
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.base.tables import EventRow
from patient_courier.store.school.opening import open_school
from patient_courier.store.school.secrets import read_secrets
from patient_courier.store.school.users import add_user
from patient_courier.web.public.certificates import MOST_UNKNOWN
from patient_courier.web.sign_in import CSRF_HEADER, hash_password
from tests.schools import letter, read, school, send, sequence
from tests.waiting import until
from tests.web.conftest import NOW, PASSWORD

PEOPLE = 200


@dataclass
class Site:
    """A served school: its address, its process, its database and the key of its intake."""

    address: str
    process: subprocess.Popen[bytes]
    database: Database
    key: str

    @property
    def port(self) -> int:
        return int(self.address.rpartition(":")[2])

    def answers(self) -> bool:
        """Whether it is up."""
        with suppress(httpx.TransportError):
            return httpx.get(f"{self.address}/api/session").status_code == 401
        return False

    def memory(self) -> int:
        """Megabytes in use by the server."""
        found = re.search(r"VmRSS:\s+(\d+)", Path(f"/proc/{self.process.pid}/status").read_text())
        return int(found[1]) // 1024 if found else 0

    def owner(self) -> httpx.Client:
        client = httpx.Client(base_url=self.address, timeout=60)
        answer = client.post("/api/session", json={"email": "ines@mallowlane.example", "password": PASSWORD})
        client.headers[CSRF_HEADER] = answer.raise_for_status().json()["csrf"]
        return client


@pytest.fixture(scope="module")
def site(tmp_path_factory) -> Iterator[Site]:
    path = tmp_path_factory.mktemp("served") / "school.db"
    people = [{"key": f"s{n}", "email": f"s{n}@example.org"} for n in range(PEOPLE)]
    file = read(
        school([sequence("welcome", [send("access")])], [], letter("access", "service"), students=people)
    )
    database = Database(path)
    database.migrate()
    with database.writing() as session:
        open_school(session, file, parse_moment(NOW), practice=True)
        add_user(
            session,
            email="ines@mallowlane.example",
            name="Ines",
            role="owner",
            password=hash_password(PASSWORD),
        )
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    environment = os.environ | {"PATIENT_COURIER_DATABASE": str(path), "PATIENT_COURIER_PORT": str(port)}
    process = subprocess.Popen(
        [sys.executable, "-W", "ignore", "-m", "patient_courier.cli", "serve"], env=environment
    )
    found = Site(f"http://127.0.0.1:{port}", process, database, read_secrets(database)["intake"])
    until(found.answers)
    yield found
    process.terminate()
    process.wait(timeout=30)
    database.close()


def test_a_gigabyte_from_a_stranger_is_refused_before_it_is_read(site):
    before = site.memory()
    with socket.create_connection(("127.0.0.1", site.port)) as connection:
        connection.sendall(b"POST /intake/events HTTP/1.1\r\nHost: x\r\nContent-Length: 1000000000\r\n\r\n")
        assert b" 413 " in connection.recv(200)

    def pieces():
        for _ in range(400):
            yield b"x" * 100_000

    with suppress(httpx.TransportError):  # the connection is closed while we still send
        assert httpx.post(f"{site.address}/intake/events", content=pieces(), timeout=30).status_code == 413
    assert site.memory() - before < 60


def is_open(connection) -> bool:
    """Whether the far side still holds a connection on which it has said nothing."""
    connection.setblocking(False)
    try:
        return connection.recv(1) != b""
    except BlockingIOError:
        return True
    except OSError:
        return False


def test_half_open_requests_keep_nobody_out(site):
    held = []
    try:
        for _ in range(700):
            connection = socket.create_connection(("127.0.0.1", site.port))
            connection.sendall(b"GET / HTTP/1.1\r\nHost: x\r\nX-Slow: ")
            held.append(connection)
        assert httpx.get(f"{site.address}/api/session", timeout=60).status_code == 401
        # It was not by waiting for them to be given up: most are still held open.
        assert sum(is_open(connection) for connection in held) > 200
    finally:
        for connection in held:
            connection.close()


def test_many_sign_ins_at_once_leave_the_owners_page_alone(site):
    owner, answers = site.owner(), Counter()

    def knock(n: int) -> None:
        body = {"email": f"nobody{n}@example.org", "password": "some password"}
        answers[httpx.post(f"{site.address}/api/session", json=body, timeout=60).status_code] += 1

    threads = [threading.Thread(target=knock, args=(n,)) for n in range(60)]
    for thread in threads:
        thread.start()
    assert owner.get("/api/frame").status_code == 200
    before = answers.total()
    for thread in threads:
        thread.join()
    assert before < 60, "the page was answered while others were still knocking"
    assert set(answers) <= {401, 429} and answers[429] > 0


def test_eight_senders_at_once_lose_nothing_and_see_no_error_of_ours(site):
    owner, answers, waits = site.owner(), Counter(), []

    def report(sender: int) -> None:
        with httpx.Client(base_url=site.address, timeout=60) as client:
            for n in range(sender, PEOPLE, 8):
                event = {
                    "type": "purchased",
                    "at": NOW,
                    "student": f"s{n}",
                    "offer": "bees-once",
                    "id": f"order-{n}",
                }
                text = json.dumps(event)
                headers = sign(site.key, f"msg_{n}", datetime.now(UTC), text)
                while (
                    answer := client.post("/intake/events", content=text, headers=headers)
                ).status_code == 503:
                    time.sleep(float(answer.headers["retry-after"]))
                answers[answer.status_code] += 1

    threads = [threading.Thread(target=report, args=(sender,)) for sender in range(8)]
    for thread in threads:
        thread.start()
    while any(thread.is_alive() for thread in threads):
        began = time.monotonic()
        assert owner.get("/api/students").status_code == 200
        waits.append(time.monotonic() - began)
    assert answers == {200: PEOPLE}
    with site.database.reading() as session:
        assert session.scalar(select(func.count()).where(EventRow.type == "purchased")) == PEOPLE
    assert len(waits) > 2, "pages were answered meanwhile"


def test_writers_are_served_in_the_order_in_which_they_came(tmp_path, monkeypatch):
    database, order = Database(tmp_path / "school.db"), []
    database.migrate()
    begun = threading.Event()

    def write(n: int) -> None:
        with database.writing():
            order.append(n)

    with database.writing():
        threads = [threading.Thread(target=write, args=(n,)) for n in range(6)]
        for n, thread in enumerate(threads):
            thread.start()
            while len(database._turn._waiting) <= n:
                begun.wait(0.005)
        monkeypatch.setattr("patient_courier.store.base.database.PATIENCE_SECONDS", 0.05)
        with pytest.raises(Busy), database.writing():
            pass
    for thread in threads:
        thread.join()
    assert order == list(range(6))
    database.close()


def test_a_stranger_who_says_to_come_from_elsewhere_is_limited_all_the_same(site):
    """Nobody is trusted to say where a request comes from unless the settings name them."""
    answers = Counter()
    with httpx.Client(base_url=site.address, timeout=60) as client:
        for n in range(MOST_UNKNOWN.amount + 5):
            answer = client.get(
                f"/certificate/ABCD{n:08d}", headers={"X-Forwarded-For": f"203.0.113.{n % 250}"}
            )
            answers[answer.status_code] += 1
    assert answers == {404: MOST_UNKNOWN.amount, 429: 5}
