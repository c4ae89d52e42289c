"""What a watched transaction changes is noticed, whichever statement does it; and no table is forgotten."""

from __future__ import annotations

from pathlib import Path

import pytest
from sqlalchemy import text

from patient_courier.core.helpers.changes import NOUNS, OF_STUDENTS
from patient_courier.core.school.values import parse_moment
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import Table
from patient_courier.store.base.watching import _VERSIONED, _WATCHED, seen
from patient_courier.store.school.opening import open_school
from tests.schools import letter, read, school, send, sequence

# What happens, what is made of it, and what the machine remembers: nobody decides it by hand.
NOT_BY_HAND = {
    "activity", "api_answers", "changes", "clock", "connection_days", "consents", "deliveries",
    "designs", "erased", "event_ids", "events", "imported", "imports", "kept_rehearsals", "learnt", "letters",
    "link_looks", "mail", "messages", "moves", "notices", "outgoing", "outgoing_tries", "postings", "problems", "progress", "proofs", "proved",
    "purchases", "readings", "recovery_codes", "replies", "returns", "runs", "sessions", "sign_ups", "statements",
    "troubles", "visits", "void_places", "waiting", "words",
}  # fmt: skip


@pytest.fixture
def database(tmp_path: Path):
    found = Database(tmp_path / "school.db")
    found.migrate()
    people = [{"key": "ana", "email": "ana@example.org", "first_name": "Ana"}]
    file = read(
        school([sequence("welcome", [send("access")])], [], letter("access", "service"), students=people)
    )
    with found.writing() as session:
        open_school(session, file, parse_moment("2026-03-02T09:00:00Z"), practice=True)
    yield found
    found.close()


def test_every_table_is_watched_or_known_to_change_by_itself():
    watched = {one.table for one in _WATCHED} | {table for _, table in _VERSIONED}
    tables = {table.name for table in Table.metadata.sorted_tables}
    assert tables - watched - NOT_BY_HAND == set() and not watched & NOT_BY_HAND
    assert {one.kind for one in _WATCHED} | {kind for kind, _ in _VERSIONED} <= NOUNS.keys() | OF_STUDENTS


@pytest.mark.parametrize(
    ("statement", "told"),
    [
        ("UPDATE students SET first_name = 'Anna'", ("student", "Ana", "Anna")),
        ("UPDATE students SET clock_due = 5", None),
        ("INSERT OR REPLACE INTO tags (student_id, tag) VALUES (1, 'vip')", ("tag", None, "vip")),
        ("UPDATE sequences SET status = 'paused'", ("sequence_status", "running", "paused")),
        ("UPDATE school SET stamp = stamp + 1", None),
        ("INSERT INTO settings VALUES ('failing-copies', '{}')", None),
        ("DELETE FROM layouts", None),
    ],
)
def test_a_statement_is_noticed_by_what_it_changes(database, statement, told):
    with database.watching() as session:
        session.execute(text(statement))
        found = seen(session)
        assert seen(session) == []
    assert [one.kind for one in found] == ([told[0]] if told else [])
    if told:
        values = [set(map(str, (side or {}).values())) for side in (found[0].before, found[0].after)]
        assert (told[1] is None or told[1] in values[0]) and told[2] in values[1]


def test_nothing_is_noticed_beside_it_and_nothing_of_what_is_undone(database):
    with database.writing() as session:
        session.execute(text("UPDATE students SET first_name = 'Anna'"))
    with pytest.raises(ZeroDivisionError), database.watching() as session:
        session.execute(text("UPDATE students SET first_name = 'Anabela'"))
        raise ZeroDivisionError
    with database.watching() as session:
        assert seen(session) == []
    with database.reading() as session:
        assert (
            session.execute(text("SELECT count(*) FROM sqlite_master WHERE name LIKE 'watch%'")).scalar() == 0
        )
