"""Calls to another program: signed after Standard Webhooks, once when taken, again with the same id when not."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest
from sqlalchemy import select
from standardwebhooks.webhooks import Webhook

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.calls import Caller
from patient_courier.dispatch.taking import take_events
from patient_courier.store.database import Database
from patient_courier.store.definitions import Library
from patient_courier.store.opening import open_school
from patient_courier.store.tables import CallRow
from tests.schools import bought, read, school, sequence

SECRET = "whsec_" + "c2VjcmV0LWZvci10ZXN0cy1vbmx5LTAxMjM0NTY3"


class Receiver:
    """Another program, which keeps what it gets and answers as it is told."""

    def __init__(self) -> None:
        self.answer, self.got = 204, []
        outer = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                body = self.rfile.read(int(self.headers["content-length"]))
                outer.got.append((dict(self.headers), body))
                self.send_response(outer.answer)
                self.end_headers()

            def log_message(self, *arguments: object) -> None: ...

        self.server = HTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()


@pytest.fixture
def receiver() -> Iterator[Receiver]:
    found = Receiver()
    yield found
    found.server.shutdown()
    found.server.server_close()


def called(tmp_path, receiver: Receiver) -> tuple[Database, Caller]:
    """A real school in which one student has come to a call."""
    url = f"http://127.0.0.1:{receiver.server.server_port}/here"
    file = read(school([sequence("s", [{"id": "c", "do": "call", "url": url}])], [bought()]))
    database, library = Database(tmp_path / "school.db"), Library("https://post.example")
    database.migrate()
    now = parse_moment("2026-03-02T12:00:00Z")
    with database.writing() as session:
        open_school(session, file, now, practice=False)
    with database.writing() as session:
        take_events(session, library.load(session), file.events, now)
    return database, Caller(database, SECRET)


def test_a_call_is_made_once_and_its_signature_holds(tmp_path, receiver):
    database, caller = called(tmp_path, receiver)
    caller.empty()
    caller.empty()
    [(headers, body)] = receiver.got
    Webhook(SECRET).verify(body, {name.lower(): value for name, value in headers.items()})
    told = json.loads(body)
    assert (told["student"]["key"], told["sequence"], told["step"]) == ("ana", "s", "c")
    assert told["subject"] == {"course": "bees"}
    with database.reading() as session:
        assert session.scalars(select(CallRow.status)).all() == ["sent"]
    database.close()


def test_a_call_that_is_not_taken_waits_and_comes_again_under_the_same_id(tmp_path, receiver):
    database, caller = called(tmp_path, receiver)
    receiver.answer = 500
    caller.empty()
    caller.empty()
    assert len(receiver.got) == 1  # the next try waits
    with database.writing() as session:
        row = session.scalars(select(CallRow)).one()
        assert (row.status, row.reason) == ("queued", "answered 500")
        row.retry = None
    receiver.answer = 204
    caller.empty()
    assert len({headers["webhook-id"] for headers, _ in receiver.got}) == 1
    with database.reading() as session:
        assert session.scalars(select(CallRow.status)).all() == ["sent"]
    database.close()
