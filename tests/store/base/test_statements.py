"""Statements compiled once say the same as SQLAlchemy does when it is asked each time: the same rows, of the same types."""

from __future__ import annotations

import importlib
import pkgutil
from hashlib import sha256
from pathlib import Path

import pytest
from sqlalchemy.sql.selectable import SelectBase
from whenever import Instant

import patient_courier
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Message
from patient_courier.store.base.columns import to_nanoseconds
from patient_courier.store.base.statements import Statement, given
from patient_courier.store.connections import connections, messages, waiting
from tests.live import LiveSchool
from tests.schools import bought, event, letter, read, school, send, sequence, wait

START, END = parse_moment("2026-03-01T00:00:00Z"), parse_moment("2026-04-01T00:00:00Z")
LATE = parse_moment("2027-01-01T00:00:00Z")


def every_statement() -> dict[str, Statement]:
    """All that stand in modules of the store and the dispatcher."""
    found = {}
    for floor in ("store", "dispatch"):
        root = Path(patient_courier.__file__).parent / floor
        for module in pkgutil.walk_packages([str(root)], f"patient_courier.{floor}."):
            if "migrations" not in module.name:
                for name, value in vars(importlib.import_module(module.name)).items():
                    if isinstance(value, Statement) and isinstance(value.statement, SelectBase):
                        found[f"{module.name}:{name}"] = value
    return found


ASKED = every_statement()


@pytest.fixture(scope="module")
def live(tmp_path_factory):
    """A month of a school in which everything that is asked for has happened."""
    steps = [send("access"), {"id": "t", "do": "tag", "add": ["hot"]}, wait("w", "P90D"), send("later")]
    people = [
        {"key": "ana", "email": "ana@example.org", "timezone": "Asia/Tokyo", "fields": {"city": "Porto"}},
        {"key": "kai", "email": "kai@example.org"},
    ]
    events = [
        bought(student="ana"),
        bought(student="kai"),
        event("2026-03-04T10:00:00Z", "lesson_completed", "ana", lesson="bees/l1"),
        event("2026-03-05T10:00:00Z", "quiz_taken", "ana", quiz="bees/q1", score=80),
        event("2026-03-06T10:00:00Z", "letter_opened", "ana", letter="access"),
        event("2026-03-07T10:00:00Z", "course_help_stopped", "kai", course="bees"),
    ]
    letters = [letter("access", "service"), letter("later", "service")]
    found = LiveSchool(
        tmp_path_factory.mktemp("asked") / "school.db",
        read(school([sequence("welcome", steps)], events, *letters, students=people)),
        START,
    )
    found.live_through(read(school([sequence("welcome", steps)], events, *letters, students=people)), END)
    with found.database.writing() as session:
        id = connections.add(session, {"key": "shop", "name": "Shop"}, START)
        connections.give_secret(session, id, "address", "shop-at-this", START)
        connections.own(session, START)
        number = messages.keep(session, id, Message(START, "application/json", b"{}"))
        waiting.put(session, id, number, [(1, "ana", Waits("It waits."))], START)
    yield found
    found.database.close()


VALUES = {
    "ids": [1, 2, 99],
    "keys": ["ana", "kai", "nobody"],
    "since": 0,
    "horizon": LATE,
    "due": LATE,
    "who": "ana",
    "among": ["going", "scheduled"],
    "student": 1,
    "letter": "access",
    "course": "bees",
    "id": 1,
    "connection": 1,
    "kind": "address",
    "real": START,
    "digest": sha256(b"address:0:shop-at-this").hexdigest(),
}


def test_there_are_statements():
    assert len(ASKED) > 12


@pytest.mark.parametrize("name", ASKED)
def test_both_ways_say_the_same(live, name):
    statement = ASKED[name]
    values = {bind: VALUES[bind] for bind in statement.parameters}
    if name.endswith("_KNOWN_IDS"):
        values["ids"] = ["order-1", "none"]
    with live.database.reading() as session:
        plain = [tuple(row) for row in session.connection().execute(statement.statement, values)]
        ours = [tuple(row) for row in statement.rows(session, **values)]
        assert ours == plain
        assert [[type(x) for x in row] for row in ours] == [[type(x) for x in row] for row in plain]
        first = statement.first(session, **values)
        assert (tuple(first) if first is not None else None) == (plain[0] if plain else None)
        assert statement.scalar(session, **values) == (plain[0][0] if plain else None)


def test_instants_go_in_and_come_out_as_instants(live):
    from sqlalchemy import select

    from patient_courier.store.base.columns import InstantColumn
    from patient_courier.store.base.plain import EVENTS

    after = Statement(select(EVENTS.c.at).where(EVENTS.c.at > given("after", InstantColumn())))
    moment = parse_moment("2026-03-05T00:00:00Z")
    with live.database.reading() as session:
        found = [row.at for row in after.rows(session, after=moment)]
    assert found and all(
        isinstance(at, Instant) and to_nanoseconds(at) > to_nanoseconds(moment) for at in found
    )


def test_what_is_asked_finds_something(live):
    """A comparison of nothing with nothing would hold too."""
    with live.database.reading() as session:
        full = [
            name
            for name, statement in ASKED.items()
            if statement.rows(session, **{bind: VALUES[bind] for bind in statement.parameters})
        ]
    assert len(full) > len(ASKED) * 2 / 3
