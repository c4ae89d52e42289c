"""Calls to another program: signed after Standard Webhooks, once when taken, again with the same id when not."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Iterator

import pytest
from sqlalchemy import select, update
from standardwebhooks.webhooks import Webhook

from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import sequence_faults
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch.outgoing import Outgoing
from patient_courier.dispatch.taking import take_events
from patient_courier.post.outward import NotReached, Outward
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import OutgoingRow
from patient_courier.store.school.opening import open_school
from patient_courier.store.school.secrets import read_secrets
from tests.receiver import Receiver, receiving
from tests.schools import bought, read, school, sequence

SECRET = "whsec_" + "c2VjcmV0LWZvci10ZXN0cy1vbmx5LTAxMjM0NTY3"


@pytest.fixture
def receiver() -> Iterator[Receiver]:
    with receiving() as found:
        yield found


def called(tmp_path, receiver: Receiver) -> tuple[Database, Outgoing]:
    """A real school in which one student has come to a call."""
    url = receiver.url
    file = read(school([sequence("s", [{"id": "c", "do": "call", "url": url}])], [bought()]))
    database = opened(tmp_path, file)
    return database, Outgoing(database, SECRET, inside=True)


def opened(tmp_path, file: SchoolFile) -> Database:
    """A school that does not practise, in which the file's events have come in."""
    database, library = Database(tmp_path / "school.db"), Library("https://post.example")
    database.migrate()
    now = parse_moment("2026-03-02T12:00:00Z")
    with database.writing() as session:
        open_school(session, file, now, practice=False)
    with database.writing() as session:
        take_events(session, library.load(session), file.events, now)
    return database


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
        assert session.scalars(select(OutgoingRow.status)).all() == ["sent"]
    database.close()


def test_a_call_that_is_not_taken_waits_and_comes_again_under_the_same_id(tmp_path, receiver):
    database, caller = called(tmp_path, receiver)
    receiver.answer = 500
    caller.empty()
    caller.empty()
    assert len(receiver.got) == 1  # the next try waits
    with database.writing() as session:
        row = session.scalars(select(OutgoingRow)).one()
        assert (row.status, row.reason) == ("queued", "answered 500")
        row.retry = None
    receiver.answer = 204
    caller.empty()
    assert len({headers["webhook-id"] for headers, _ in receiver.got}) == 1
    with database.reading() as session:
        assert session.scalars(select(OutgoingRow.status)).all() == ["sent"]
    database.close()


class Dripping:
    """Sends a byte of its answer a second, or more of it than anybody wants."""

    def __init__(self, flood: bool = False) -> None:
        self.server = socket.create_server(("127.0.0.1", 0))
        self.flood = flood
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self.server.accept()
                threading.Thread(target=self._drip, args=(connection,), daemon=True).start()
            except OSError:
                return

    def _drip(self, connection: socket.socket) -> None:
        connection.recv(65536)
        try:
            while self.flood:
                connection.sendall(b"HTTP/1.1 100 Continue\r\n\r\n" * 1000)
            for byte in b"HTTP/1.1 200 OK\r\n" + b"x: y\r\n" * 100:
                connection.sendall(bytes([byte]))
                time.sleep(0.2)
        except OSError:
            pass

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server.getsockname()[1]}/"


BAD = [
    "http://..",
    f"http://{'a' * 64}.example/",
    "http://[::1",
    "http://",
    "http://a b/",
    "http://x:99999/",
    "ftp://x",
]


def test_bad_and_slow_receivers_end_in_time_and_block_nobody(tmp_path, receiver):
    slow, large = Dripping(), Dripping(flood=True)
    good = receiver.url
    urls = [*BAD, slow.url, large.url, good]
    steps = [{"id": f"c{n}", "do": "call", "url": good} for n in range(len(urls))]
    file = read(school([sequence("s", steps)], [bought()]))
    database = opened(tmp_path, file)
    with database.writing() as session:
        for n, url in enumerate(urls):
            session.execute(update(OutgoingRow).where(OutgoingRow.step == f"c{n}").values(url=url, lane=url))
    began = time.monotonic()
    Outgoing(database, SECRET, inside=True, total=1.0).empty()
    assert time.monotonic() - began < 8
    with database.reading() as session:
        rows = {row.step: row for row in session.scalars(select(OutgoingRow))}
    assert rows[f"c{len(urls) - 1}"].status == "sent" and len(receiver.got) == 1
    assert all(row.reason and row.retry for row in list(rows.values())[:-1])
    assert "too long" in rows[f"c{len(urls) - 2}"].reason
    database.close()


@pytest.mark.parametrize(
    "host",
    [
        "127.0.0.1",
        "localhost",
        "[::1]",
        "10.1.2.3",
        "192.168.0.1",
        "169.254.169.254",
        "0.0.0.0",
        "[::ffff:127.0.0.1]",
    ],
)
def test_addresses_inside_are_not_called_unless_a_setting_allows_it(host):
    with pytest.raises(NotReached, match="CALLS_INSIDE"):
        Outward(inside=False, total=2).post(f"http://{host}:1/", b"", {})


def test_whoever_can_check_a_call_can_not_make_an_event(tmp_path):
    database = opened(tmp_path, read(school([], [])))
    keys = read_secrets(database)
    assert keys["calls"] != keys["intake"]
    database.close()


def test_a_call_to_no_web_address_is_refused_where_it_is_written():
    for url in BAD:
        found = list(sequence_faults("", read_sequence(url), Known([], [], [], [])))
        assert found and found[0].pointer == "/steps/0/url", url
    assert not list(
        sequence_faults("", read_sequence("https://hooks.example.org:8443/a?b=c"), Known([], [], [], []))
    )


def read_sequence(url: str) -> Sequence:
    # As an older version may have kept it: the model itself takes what begins like a web address.
    body = {"key": "s", "steps": [{"id": "c", "do": "call", "url": "http://x"}]}
    found = Sequence.model_validate(body)
    step = found.steps[0].model_copy(update={"url": url})
    return found.model_copy(update={"steps": [step]})
