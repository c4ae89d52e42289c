"""The whole application in one process: web, intake, dispatcher, mailroom, over a small practice school."""

from __future__ import annotations

import json
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx
import pytest
from argon2 import PasswordHasher
from fastapi.testclient import TestClient

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.signature import sign
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import UserRow
from patient_courier.store.school.opening import open_school
from patient_courier.web.app import create_app
from patient_courier.web.jobs import Jobs
from patient_courier.web.sign_in import CSRF_HEADER
from tests.schools import letter, read, school, send, sequence, wait

NOW = "2026-03-02T09:00:00Z"
PASSWORD = "a long enough password"
PAGE = [{"kind": "text", "html": "<p>Hello {{ student.first_name | default('there') }}</p>"}]


class App:
    """A signed-in owner and a course site, both talking to the same application."""

    def __init__(self, client: TestClient, post: Post) -> None:
        self.client = client
        self.post_office = post
        self.messages = 0

    def sign_in(self) -> None:
        answer = self.client.post(
            "/api/session", json={"email": "ines@mallowlane.example", "password": PASSWORD}
        )
        self.client.headers[CSRF_HEADER] = answer.json()["csrf"]

    def report(self, body: Any, *, secret: str | None = None, message: str | None = None) -> httpx.Response:
        """Send events as a course site does, signed."""
        self.messages += 1
        text = body if isinstance(body, str) else json.dumps(body)
        key = secret or self.post_office.secrets["intake"]
        headers = sign(key, message or f"msg_{self.messages}", datetime.now(UTC), text)
        return self.client.post("/intake/events", content=text, headers=headers)

    def move(self, **to: str) -> None:
        """Move the school clock and wait until it has come there and all post is out."""
        assert self.client.post("/api/clock", json=to).status_code == 200
        self.settle()

    def settle(self) -> None:
        give_up = time.monotonic() + 60
        while time.monotonic() < give_up:
            moving = self.client.get("/api/frame").json()["clock"]["moving"]
            lines = self.client.get("/api/deliveries").json()["items"]
            if not moving and not any(line["status"] in ("queued", "posting") for line in lines):
                return
            time.sleep(0.02)
        raise AssertionError("the dispatcher did not come to rest")

    def inbox(self, student: str = "ana") -> list[Any]:
        self.settle()
        return self.client.get(f"/api/practice/inbox/{student}").json()


@pytest.fixture(scope="session")
def school_file(tmp_path_factory) -> Path:
    """The school in a database that is made once; its owner's password costs nearly nothing to check."""
    steps = [send("access"), wait("w", "P1D", at="10:00"), send("year")]
    people = [
        {
            "key": "ana",
            "email": "ana@example.org",
            "first_name": "Ana",
            "timezone": "Pacific/Auckland",
            "news": True,
        },
        {"key": "kai", "email": "kai@example.org"},
    ]
    letters = [
        letter("access", "service", "{{ student.first_name | default('Hello') }}, come in", blocks=PAGE)
    ]
    file = read(
        school([sequence("welcome", steps)], [], *letters, letter("year", blocks=PAGE), students=people)
    )
    path = tmp_path_factory.mktemp("school") / "school.db"
    database = Database(path)
    database.migrate()
    quick = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
    with database.writing() as session:
        open_school(session, file, parse_moment(NOW), practice=True)
        session.add(
            UserRow(email="ines@mallowlane.example", name="Ines", role="owner", password=quick.hash(PASSWORD))
        )
    database.close()
    return path


@pytest.fixture(autouse=True)
def on_a_slow_machine(monkeypatch) -> None:
    """Small work, which is answered at once, is answered when it is done, however slow the machine."""
    begin = Jobs.begin

    def patient(self: Jobs, total: int, about: Any, work: Any, patience: float = 0.0) -> Any:
        return begin(self, total, about, work, 90.0 if patience else 0.0)

    monkeypatch.setattr(Jobs, "begin", patient)


@pytest.fixture
def app(school_file, tmp_path) -> Iterator[App]:
    database = Database(Path(shutil.copy(school_file, tmp_path)))
    post = Post(database, Settings(smtp_host=""))
    with TestClient(create_app(post)) as client:
        found = App(client, post)
        found.sign_in()
        yield found
    database.close()


@contextmanager
def another_school(folder: Path) -> Iterator[TestClient]:
    """A signed-in owner of a school in which nothing is yet."""
    database = Database(folder / "another.db")
    database.migrate()
    with database.writing() as session:
        open_school(
            session,
            read(school([], [], courses=[], offers=[], students=[])),
            parse_moment(NOW),
            practice=True,
        )
        quick = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1).hash(PASSWORD)
        session.add(UserRow(email="ines@mallowlane.example", name="Ines", role="owner", password=quick))
    post = Post(database, Settings(smtp_host=""))
    with TestClient(create_app(post)) as client:
        App(client, post).sign_in()
        yield client
    database.close()


def purchase(student: Any = "ana", **more: Any) -> dict[str, Any]:
    return {"type": "purchased", "at": NOW, "student": student, "offer": "bees-once", **more}


def finished(student):
    """A purchase, every lesson and the quiz: the course is completed, and its certificate issued."""
    lessons = [{"type": "lesson_completed", "at": NOW, "student": student, "lesson": f"bees/{key}"} for key in ("l1", "l2", "l3")]  # fmt: skip
    quiz = {"type": "quiz_taken", "at": NOW, "student": student, "quiz": "bees/q1", "score": 90}
    return [purchase(student), *lessons, quiz]


@pytest.fixture
def code(app):
    """The number of Ana's certificate."""
    app.report(finished("ana"))
    (one,) = app.client.get("/api/certificates").json()["items"]
    assert (one["student"], one["state"], one["name"]) == ("ana", "stands", "Ana")
    return one["code"]
