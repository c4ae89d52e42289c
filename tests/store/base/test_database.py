"""The tables, and the looks at them that must stay cheap."""

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import select, text
from sqlalchemy.dialects import sqlite

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.school.values import Money, parse_moment
from patient_courier.dispatch.taking import waiting_runs
from patient_courier.store.base.columns import pack, unpack
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import RunRow, Table


# Indexes over an expression can't be compared, and are looked for by name.
@pytest.mark.filterwarnings("ignore:Skipped unsupported reflection", "ignore:autogenerate skipping")
def test_migrations_make_exactly_the_tables_of_the_models(tmp_path):
    database = Database(tmp_path / "school.db")
    database.migrate()
    with database.reading() as session:
        found = compare_metadata(MigrationContext.configure(session.connection()), Table.metadata)
        assert found == []
        indexes = set(session.scalars(text("SELECT name FROM sqlite_master WHERE type = 'index'")))
        assert {index.name for table in Table.metadata.sorted_tables for index in table.indexes} <= indexes
        assert session.scalar(text("PRAGMA journal_mode")) == "wal"
        assert session.scalar(text("PRAGMA foreign_keys")) == 1


def test_the_look_for_due_runs_reads_an_index_and_not_the_runs(tmp_path):
    database = Database(tmp_path / "school.db")
    database.migrate()
    runs = select(RunRow.due).where(*waiting_runs()).order_by(RunRow.due).limit(1)
    query = str(runs.compile(dialect=sqlite.dialect(), compile_kwargs={"literal_binds": True}))
    clocks = "SELECT clock_due FROM students WHERE clock_due IS NOT NULL ORDER BY clock_due LIMIT 1"
    with database.reading() as session:
        for asked, index in ((query, "ix_runs_due"), (clocks, "ix_students_clock_due")):
            plan = " ".join(row[3] for row in session.execute(text(f"EXPLAIN QUERY PLAN {asked}")))
            assert index in plan


def test_packed_values_come_back_as_they_were():
    moment = parse_moment("2026-03-02T14:05:00.123456789Z")
    value = {
        "at": moment,
        "price": Money(amount="149.00", currency="EUR"),
        "span": Duration(1, 2, 3),
        "n": [1, None, "ä"],
    }
    assert unpack(pack(value)) == value


def test_a_failed_write_leaves_nothing_behind(tmp_path):
    database = Database(tmp_path / "school.db")
    database.migrate()
    try:
        with database.writing() as session:
            session.execute(text("INSERT INTO event_ids (id) VALUES ('x')"))
            raise RuntimeError
    except RuntimeError:
        pass
    with database.reading() as session:
        assert session.scalar(text("SELECT count(*) FROM event_ids")) == 0


def test_an_older_database_learns_when_its_students_were_last_seen(tmp_path):
    database = Database(tmp_path / "school.db")
    database.migrate("0012")
    person = "INSERT INTO students (id, key, email, fields, news, news_at_first, bounced, complained, begun, tracked)"
    with database.writing() as session:
        for n in (1, 2):
            session.execute(
                text(f"{person} VALUES ({n}, 's{n}', 's{n}@example.org', '{{}}', 1, 1, 0, 0, 0, 1)")
            )
        for course, at in (("bees", 5), ("wax", 9)):
            session.execute(
                text(f"INSERT INTO activity (student_id, course, at) VALUES (1, '{course}', {at})")
            )
    database.migrate()
    with database.reading() as session:
        seen = session.execute(text("SELECT id, last_seen FROM students ORDER BY id")).all()
    assert [tuple(row) for row in seen] == [(1, 9), (2, None)]
