"""Messages of a connection over real tables: any JSON whatever, repeats and orders, and a kill in the middle of it."""

from __future__ import annotations

import json
import random
import shutil
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select

from patient_courier.core.school.values import parse_moment
from patient_courier.dispatch import kept_messages
from patient_courier.dispatch.connecting import take_message
from patient_courier.dispatch.kept_messages import let_in, look_again, take_since, take_waiting
from patient_courier.dispatch.outgoing import Outgoing
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.base.tables import EventRow, MessageRow, StudentRow, TagRow, WaitingRow
from patient_courier.store.connections import connections, messages, waiting
from patient_courier.store.destinations import destinations
from patient_courier.store.school.secrets import signing_key
from patient_courier.store.students import people
from tests.generated import JSON_VALUES
from tests.live import LiveSchool
from tests.receiver import receiving
from tests.schools import read, school

NOW = parse_moment("2026-03-02T12:00:00Z")
FILE: dict[str, Any] = {
    "format": "patient-courier.connection",
    "version": 1,
    "key": "shop",
    "name": "Shop",
    "each": "$.lines[*]",
    "student": {"email": "/mail", "first_name": "/name", "fields": {"country": "/country"}},
    "at": {"place": "/at", "as": "rfc3339"},
    "id": ["/no"],
    "rules": [
        {"when": [{"place": "item/kind", "is": ["tag"]}], "event": {"type": "tag_added", "tag": "item/what"}},
        {
            "when": [{"place": "item/kind", "is": ["lesson"]}],
            "event": {
                "type": "lesson_completed",
                "lesson": {"place": "item/what", "map": {"1": "bees/l1", "2": "bees/l2"}},
            },
        },
        {"event": {"type": "purchased", "offer": {"place": "item/what", "map": {"B": "bees-once"}}}},
    ],
}


class Connected(LiveSchool):
    """A school with a connection that is on."""

    def __init__(self, folder: Path, like: Path | None = None) -> None:
        """``like`` is the file of such a school, to begin with a copy of it: making one takes a while."""
        path = folder / "school.db"
        if like is not None:
            path = Path(shutil.copy(like, folder))
            self.database, self.library = Database(path), Library("https://post.example")
        else:
            super().__init__(path, read(school([], [], students=[])), NOW)
        self.path = path
        with self.database.writing() as session:
            found = connections.find(session, "shop")
            self.id = found.id if found else connections.add(session, FILE, NOW)
            connections.set_state(session, self.id, "on")

    def send(self, *bodies: Any) -> list[Any]:
        with self.database.writing() as session:
            definitions = self.library.load(session)
            return [
                take_message(session, definitions, self.id, "application/json", json.dumps(one).encode(), NOW)
                for one in bodies
            ]

    def facts(self) -> Any:
        """Who is known and what is true of whom. Of a tag that was given twice, only the first is an event: when differs."""
        with self.database.reading() as session:
            keys = dict(session.execute(select(StudentRow.id, StudentRow.email)).all())
            events = {
                (keys[row.student_id].lower(), row.type, json.dumps(row.names, default=str, sort_keys=True))
                for row in session.scalars(select(EventRow).where(EventRow.reported))
            }
            tags = [(keys[row.student_id].lower(), row.tag) for row in session.scalars(select(TagRow))]
            waits = [(row.key, row.sentence) for row in session.scalars(select(WaitingRow))]
        return sorted(x.lower() for x in keys.values()), sorted(events), sorted(tags), sorted(waits)


@pytest.fixture(scope="module")
def whatever(tmp_path_factory) -> Connected:
    return Connected(tmp_path_factory.mktemp("whatever"))


MET: set[str] = set()


@given(st.one_of(JSON_VALUES, st.fixed_dictionaries({"mail": JSON_VALUES, "no": JSON_VALUES, "at": JSON_VALUES, "lines": st.lists(JSON_VALUES, max_size=3)})))  # fmt: skip
def test_any_json_is_taken_in_and_its_repeat_changes_nothing(whatever, body):
    (first,) = whatever.send(body)
    before = whatever.facts()
    (again,) = whatever.send(body)
    assert whatever.facts() == before
    assert again.counts.get("events", 0) == again.counts.get("waits", 0) == 0
    MET.update(first.counts or {"refused"})


def test_of_these_some_waited_and_some_were_not_for_us():
    assert {"waits", "not_for_us"} <= MET


_PEOPLE = ("ana@example.org", "BO@example.org", "cy@example.org")
_LINE = st.builds(
    lambda kind, what: {"kind": kind, "what": what},
    st.sampled_from(["tag", "lesson", "offer"]),
    st.sampled_from(["1", "2", "B", "X", None, " "]),
)
_MESSAGE = st.builds(
    lambda mail, no, hour, lines: {
        "mail": mail,
        "no": no,
        "at": f"2026-03-01T{hour:02d}:00:00Z",
        "lines": lines,
    },
    st.sampled_from(_PEOPLE),
    st.integers(1, 6),
    st.integers(0, 23),
    st.lists(_LINE, min_size=1, max_size=3),
)


@pytest.fixture(scope="module")
def fresh(tmp_path_factory) -> Path:
    """The file of such a school, into which nothing has come."""
    made = Connected(tmp_path_factory.mktemp("fresh"))
    made.database.close()
    return made.path


@settings(max_examples=25)
@given(
    st.lists(_MESSAGE, min_size=1, max_size=6, unique_by=lambda one: one["no"]),
    st.randoms(use_true_random=False),
)
def test_repeats_and_orders_of_the_same_messages_end_in_the_same_facts(tmp_path_factory, fresh, sent, lot):
    once = Connected(tmp_path_factory.mktemp("once"), fresh)
    once.send(*sent)
    mixed = Connected(tmp_path_factory.mktemp("mixed"), fresh)
    heap = sent + [lot.choice(sent) for _ in range(3)]
    lot.shuffle(heap)
    for one in heap:
        mixed.send(one)
    assert mixed.facts() == once.facts()
    for live in (once, mixed):
        live.database.close()


def order(number: int, what: str = "B", **more: Any) -> dict[str, Any]:
    line = {"kind": "offer", "what": what}
    return {
        "mail": f"s{number}@example.org",
        "no": number,
        "at": "2026-03-01T10:00:00Z",
        "lines": [line],
        **more,
    }


def test_what_lies_ahead_goes_in_at_its_own_time_when_that_has_come(tmp_path):
    live = Connected(tmp_path)
    (outcome,) = live.send(order(1, at="2026-03-05T10:00:00Z"))
    assert outcome.counts == {"waits": 1}
    for moment, went in (("2026-03-05T09:59:00Z", 0), ("2026-03-05T10:01:00Z", 1)):
        live.move_to(parse_moment(moment))
        assert look_again(live.database, live.library.load, school_changed=False) == went
    with live.database.reading() as session:
        assert session.scalar(select(EventRow.at).where(EventRow.reported)) == parse_moment(
            "2026-03-05T10:00:00Z"
        )


def test_a_message_that_waits_outlives_all_others_and_the_oldest_go_first(tmp_path, monkeypatch):
    live = Connected(tmp_path)
    live.send(order(1, "new"))
    monkeypatch.setattr(messages, "KEPT_BYTES", 3_000)
    live.send(*(order(number, padding="x" * 300) for number in range(2, 40)))
    with live.database.writing() as session:
        messages.prune(session, live.id, NOW)
        kept = [one.id for one in messages.newest(session, live.id, 100)]
        assert kept[-1] == 1 and kept[:-1] == list(range(39, 39 - len(kept) + 1, -1))
        assert sum(len(one.message.body) for one in messages.newest(session, live.id, 100)[:-1]) <= 3_000
        # Only then is the mapping mended, and it goes in all the same.
        file = json.loads(
            json.dumps(FILE).replace('{"B": "bees-once"}', '{"B": "bees-once", "new": "bees-once"}')
        )
        connections.save(session, live.id, file)
        kept_now = connections.get(session, live.id)
        items = waiting.of_connection(session, live.id)
        assert take_waiting(session, live.library.load(session), kept_now, items, NOW) == 1


def test_whoever_is_erased_stands_in_no_message(tmp_path):
    from patient_courier.store.school.erasing import erase

    live = Connected(tmp_path)
    live.send(order(1), order(2), order(3, "new", mail="s1@example.org"))
    with live.database.writing() as session:
        erase(session, people.by_address(session, "s1@example.org").id)
    with live.database.reading() as session:
        bodies = [row.body for row in session.scalars(select(MessageRow))]
        assert len(bodies) == 1 and b"s1@" not in bodies[0]
        assert session.scalar(select(func.count(WaitingRow.id))) == 0


@pytest.fixture
def receiver():
    with receiving() as found:
        yield found


# Takes in what is not known yet, one message after the other; says after each that it was answered.
WORKER = """
import json, sys
from pathlib import Path
from patient_courier.dispatch.arriving import Arrivals, Delivered
from patient_courier.dispatch.outgoing import Outgoing
from patient_courier.store.base.database import Database
from patient_courier.store.base.definitions import Library

database = Database(Path(sys.argv[1]))
outgoing = Outgoing(database, "", inside=True)
arrivals = Arrivals(database, Library("https://post.example").load, lambda: outgoing.look())
arrivals.start()
print("at work", flush=True)
for number in range(int(sys.argv[3]), int(sys.argv[4])):
    what = "B" if number % 3 else "new"
    body = {"mail": f"s{number}@example.org", "no": number, "at": "2026-03-01T10:00:00Z", "lines": [{"kind": "offer", "what": what}]}
    arrivals.submit(Delivered(int(sys.argv[2]), "application/json", json.dumps(body).encode())).result()
    print(number, flush=True)
arrivals.stop()
outgoing.stop()
"""


def test_kill_nine_while_messages_come_in(tmp_path, receiver):
    """A sender sends again what was not answered: none is lost, none is taken in twice; a destination hears of each."""
    live, number, lot, kills = Connected(tmp_path), 45, random.Random(5), 0
    with live.database.writing() as session:
        destinations.add(session, "list", receiver.url, ["purchased"], [], signing_key())
    at = 0
    while at < number:
        command = [sys.executable, "-W", "ignore", "-c", WORKER, str(tmp_path / "school.db"), str(live.id), str(at), str(number)]  # fmt: skip
        worker = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        assert worker.stdout is not None and worker.stdout.readline().strip() == "at work"
        # Killed right behind an answer, while the next one is on its way.
        for _ in range(lot.randint(1, 14)):
            line = worker.stdout.readline().strip()
            if not line:
                break
            at = int(line) + 1
        worker.send_signal(signal.SIGKILL)
        worker.communicate()
        kills += 1
    assert kills >= 3
    with live.database.reading() as session:
        counts = session.execute(
            select(func.count(), func.count(EventRow.student_id.distinct())).where(
                EventRow.type == "purchased"
            )
        ).one()
        assert tuple(counts) == (30, 30)
        assert waiting.number(session, live.id) == 15
        days = connections.days_since(session, "2026-03-01")[live.id]["2026-03-02"]
        assert (days["events"], days["waits"]) == (30, 15)
    Outgoing(live.database, "", inside=True).empty()
    # What was posted and not noted comes again, under the id by which it is known.
    heard = {
        (id, told["data"]["student"]["email"])
        for id, told in zip(receiver.ids(), receiver.told(), strict=True)
    }
    assert len(heard) == len({id for id, _ in heard}) == len({email for _, email in heard}) == 30


def mended(file: dict[str, Any], **names: str) -> dict[str, Any]:
    """The file with more words that stand for offers."""
    return json.loads(
        json.dumps(file).replace('"B": "bees-once"', json.dumps({"B": "bees-once", **names})[1:-1])
    )


def save(live: Connected, file: dict[str, Any]) -> list[Any]:
    """Save a file over the one there is; returns what waits."""
    with live.database.writing() as session:
        connections.save(session, live.id, file)
        return waiting.of_connection(session, live.id)


def test_an_item_that_is_no_longer_found_in_its_message_waits_on(tmp_path):
    live = Connected(tmp_path)
    live.send(order(1, "new"))
    for path in ("$.lines[5:]", "$..*"):
        items = save(live, mended(FILE | {"each": path}, new="bees-once"))
        assert let_in(live.database, live.library.load, live.id, items) == 0
        assert len(save(live, FILE)) == 1
    items = save(live, mended(FILE, new="bees-once"))
    assert let_in(live.database, live.library.load, live.id, items) == 1


def test_what_goes_wrong_with_one_stops_no_other_and_it_waits_on(tmp_path, monkeypatch):
    live = Connected(tmp_path)
    live.send(*(order(number, "new") for number in range(1, 8)))
    items = save(live, mended(FILE, new="bees-once"))
    take = kept_messages.take_described

    def poisoned(session, definitions, events, *rest):
        if any(event["student"]["email"].startswith("s4@") for event in events):
            raise RuntimeError("this one is poison")
        take(session, definitions, events, *rest)

    monkeypatch.setattr(kept_messages, "take_described", poisoned)
    assert let_in(live.database, live.library.load, live.id, items) == 6
    with live.database.reading() as session:
        assert [one.key for one in waiting.of_connection(session, live.id)] == ["shop:purchased:4#1"]
    monkeypatch.undo()
    assert look_again(live.database, live.library.load, school_changed=True) == 0
    assert let_in(live.database, live.library.load, live.id, save(live, mended(FILE, new="bees-once"))) == 1
    # What has gone in by another way meanwhile is not asked for again.
    assert let_in(live.database, live.library.load, live.id, items) == 0


def test_kept_messages_go_in_by_parts_and_each_once(tmp_path, monkeypatch):
    monkeypatch.setattr(kept_messages, "MESSAGES_TOGETHER", 3)
    live = Connected(tmp_path)
    with live.database.writing() as session:
        connections.set_state(session, live.id, "listening")
    live.send(*(order(number) for number in range(1, 9)))
    with live.database.writing() as session:
        connections.set_state(session, live.id, "on")
        numbers = messages.untaken(session, live.id, parse_moment("2026-01-01T00:00:00Z"))
    for _ in range(2):
        take_since(live.database, live.library.load, live.id, numbers, past=False)
        with live.database.reading() as session:
            assert session.scalar(select(func.count()).where(EventRow.type == "purchased")) == 8
            assert connections.days_since(session, "2026-01-01")[live.id]["2026-03-02"]["events"] == 8
