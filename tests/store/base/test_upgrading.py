"""Schools of every earlier schema, kept as small files, come up to now without loss; a newer one is left alone.

Each file in ``tests/store/upgrades`` was made by the program of its time: ``patient-courier new --from examples/nudges.json``.
"""

from __future__ import annotations

import gzip
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from patient_courier.core.reading.school_file import read_school, write_school
from patient_courier.core.upkeep.copies import read_name
from patient_courier.dispatch.restoring import copy_before_upgrade
from patient_courier.store.base.copying import look_into
from patient_courier.store.base.database import Database, TooNew
from patient_courier.store.base.definitions import load_definitions
from patient_courier.store.school.exporting import export_school

EARLIER = sorted((Path(__file__).parents[1] / "upgrades").glob("*.sql.gz"))
KEPT = (
    "students",
    "events",
    "enrolments",
    "purchases",
    "deliveries",
    "runs",
    "letters",
    "sequences",
    "users",
)


def laid_out(path: Path) -> dict[str, Any]:
    with closing(sqlite3.connect(path)) as connection:
        tables = [row[0] for row in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        return {
            name: (
                sorted(row[1:4] + row[5:6] for row in connection.execute(f"PRAGMA table_info({name})")),
                sorted(
                    row[1:3]
                    for row in connection.execute(f"PRAGMA index_list({name})")
                    if not row[1].startswith("sqlite_")
                ),
                sorted(row[2:6] for row in connection.execute(f"PRAGMA foreign_key_list({name})")),
            )
            for name in tables
        }


def counts(path: Path) -> dict[str, int]:
    with closing(sqlite3.connect(path)) as connection:
        return {name: connection.execute(f"SELECT count(*) FROM {name}").fetchone()[0] for name in KEPT}


@pytest.fixture(scope="module")
def fresh(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    path = tmp_path_factory.mktemp("fresh") / "school.db"
    with closing(Database(path)) as database:
        database.migrate()
    return laid_out(path)


def test_there_is_a_school_of_every_earlier_schema_with_a_program():
    assert [path.name[:4] for path in EARLIER] == [f"{n:04d}" for n in range(2, 2 + len(EARLIER))]
    assert len(EARLIER) >= 15


@pytest.mark.parametrize("earlier", EARLIER, ids=lambda path: path.name[:4])
def test_an_earlier_school_comes_up_to_now_with_a_copy_of_it_as_it_was(tmp_path, earlier, fresh):
    path = tmp_path / "school.db"
    with closing(sqlite3.connect(path)) as connection:
        connection.executescript(gzip.decompress(earlier.read_bytes()).decode())
    before = counts(path)
    with closing(Database(path)) as database:
        assert database.behind()
        copy = copy_before_upgrade(database, tmp_path / "copies")
        database.migrate()
        assert not database.behind()
        with database.reading() as session:
            exported = export_school(
                session, load_definitions(session, "https://post.example"), private_keys=True
            )
    assert counts(path) == before
    assert laid_out(path) == fresh
    with closing(sqlite3.connect(path)) as connection:
        assert connection.execute("PRAGMA foreign_key_check").fetchall() == []
    assert len(read_school(write_school(exported)).students) == before["students"]
    # The copy is of the schema before, and good.
    assert look_into(copy.path).revision == earlier.name[:4] and counts(copy.path) == before
    assert read_name(copy.path.name).why == "before-upgrade"


def test_a_school_of_a_newer_program_is_refused_and_left_as_it_is(tmp_path):
    path = tmp_path / "school.db"
    with closing(Database(path)) as database:
        database.migrate()
    with closing(sqlite3.connect(path)) as connection, connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    before = path.read_bytes()
    with closing(Database(path)) as database, pytest.raises(TooNew, match="newer Patient Courier"):
        database.migrate()
    assert path.read_bytes()[100:] == before[100:]
