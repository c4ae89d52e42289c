"""Copies and coming back: whole or not at all, whatever ends the process; encrypted ones open with the phrase alone."""

from __future__ import annotations

import gzip
import os
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest
from sqlalchemy import select

from patient_courier.core.school.values import parse_moment
from patient_courier.core.upkeep.copies import Copying, CopyName
from patient_courier.core.upkeep.recovery import fresh_phrase, key_of
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.copies import NoCopy, copies_in, make_copy
from patient_courier.dispatch.mark import Mark, look_at_mark
from patient_courier.dispatch.only_one import InHand, OnlyOne
from patient_courier.dispatch.restoring import NotRestored, restore
from patient_courier.settings import Settings
from patient_courier.store.base.copying import BadCopy, look_into
from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import ClockRow, StudentRow
from patient_courier.store.upkeep import progress
from tests.dying import calls_of, killed_at
from tests.live import LiveSchool
from tests.schools import bought, letter, read, school, send, sequence

START = parse_moment("2026-03-01T00:00:00Z")
UPGRADES = Path(__file__).parents[1] / "upgrades"


@pytest.fixture
def path(tmp_path: Path) -> Path:
    """A real school, with two students."""
    people = [{"key": key, "email": f"{key}@example.org"} for key in ("ana", "kai")]
    file = read(
        school([sequence("s", [send("access")])], [bought()], letter("access", "service"), students=people)
    )
    live = LiveSchool(tmp_path / "school.db", file, START)
    with live.database.writing() as session:
        session.delete(session.get_one(ClockRow, 1))
        progress.note_progress(session, START)
    live.database.close()
    return tmp_path / "school.db"


def students(path: Path) -> list[str]:
    with closing(Database(path)) as database, database.reading() as session:
        return sorted(session.scalars(select(StudentRow.key)))


def settings(path: Path) -> Settings:
    return Settings(database=path, smtp_host="")


def test_a_copy_is_good_while_the_school_is_written_and_comes_back_with_its_post_held(path, tmp_path):
    with closing(Database(path)) as database, database.writing():
        made = make_copy(path, tmp_path / "copies", Copying(), "nightly", "Europe/Lisbon")
    assert look_into(made.path).at is not None and made.path.stat().st_mode & 0o777 == 0o600
    path.unlink()
    found = restore(made.path, settings(path), lambda: "", replace=False)
    assert students(path) == ["ana", "kai"] and found.aside is None
    with closing(Database(path)) as database, database.reading() as session:
        coming = progress.coming_back(session)
        assert coming is not None and coming.since == look_into(made.path).at and coming.began >= coming.since
    with pytest.raises(NotRestored, match="--replace"):
        restore(made.path, settings(path), lambda: "", replace=False)
    again = restore(made.path, settings(path), lambda: "", replace=True)
    assert again.aside is not None and students(again.aside) == ["ana", "kai"]


def test_an_encrypted_copy_opens_with_its_phrase_and_nothing_else(path, tmp_path):
    phrase = fresh_phrase()
    copying = Copying(recipient=str(key_of(phrase).to_public()), second=str(tmp_path / "other"))
    made = make_copy(path, tmp_path / "copies", copying, "nightly", "Europe/Lisbon")
    assert b"ana@example.org" not in made.path.read_bytes() and [
        one.name for one in made.path.parent.iterdir()
    ] == [made.path.name]
    assert copies_in(tmp_path / "other")[0].path.read_bytes() == made.path.read_bytes()
    path.unlink()
    with pytest.raises(NotRestored, match="does not open"):
        restore(made.path, settings(path), fresh_phrase, replace=False)
    assert not path.exists()
    restore(made.path, settings(path), lambda: phrase, replace=False)
    assert students(path) == ["ana", "kai"]


def test_what_is_no_good_copy_is_refused_with_a_sentence_and_nothing_is_put_in_place(path, tmp_path):
    made = make_copy(path, tmp_path / "copies", Copying(), "by-hand", "UTC")
    cut, other, spoilt = tmp_path / "cut.db", tmp_path / "other.db", tmp_path / "spoilt.db"
    cut.write_bytes(made.path.read_bytes()[:30_000])
    other.write_text("this is no database" * 1000)
    raw = bytearray(made.path.read_bytes())
    raw[8192:12_288] = bytes(range(256)) * 16
    spoilt.write_bytes(raw)
    path.unlink()
    for bad in (cut, other, spoilt, tmp_path / "none.db"):
        with pytest.raises(NotRestored):
            restore(bad, settings(path), lambda: "", replace=False)
        assert not path.exists()
    with pytest.raises(BadCopy):
        look_into(other)


def test_a_folder_that_can_not_be_written_is_said_and_the_copy_that_could_be_made_is_kept(path, tmp_path):
    wall = tmp_path / "wall"
    wall.write_text("a file, not a folder")
    with pytest.raises(NoCopy, match="No copy could be made"):
        make_copy(path, wall / "copies", Copying(), "nightly", "UTC")
    with pytest.raises(NoCopy, match=r"was made, but not in /.*wall"):
        make_copy(path, tmp_path / "copies", Copying(second=str(wall / "copies")), "nightly", "UTC")
    assert len(copies_in(tmp_path / "copies")) == 1


def test_a_school_that_is_served_is_not_replaced(path, tmp_path):
    made = make_copy(path, tmp_path / "copies", Copying(), "nightly", "UTC")
    hand = OnlyOne(path)
    with pytest.raises(InHand):
        restore(made.path, settings(path), lambda: "", replace=True)
    hand.release()


def test_an_older_file_in_its_place_is_noticed_and_a_newer_one_and_another_school_are_not(path, tmp_path):
    mark = Mark(path)

    def noticed() -> bool:
        with closing(Database(path)) as database, database.writing() as session:
            return look_at_mark(session, mark.read(), real_now())

    assert not noticed()
    older = Path(shutil.copy(path, tmp_path / "older.db"))
    with closing(Database(path)) as database, database.writing() as session:
        mark.write(progress.note_progress(session, START.add(hours=1), lots=1))
    assert not noticed()
    shutil.copy(older, path)
    assert noticed() and not noticed()  # once
    with closing(Database(path)) as database, database.reading() as session:
        assert progress.coming_back(session).since == START
    with closing(Database(path)) as database, database.writing() as session:
        progress.end_coming_back(session)
        progress.kept.forget(session, "progress")
        progress.note_progress(session, START)  # another school, of another name
    assert not noticed()


COPY = (
    "from patient_courier.core.upkeep.copies import Copying\nfrom patient_courier.dispatch.copies import make_copy",
    "make_copy(Path({path!r}), Path({folder!r}), Copying(), 'nightly', 'UTC')",
)
RESTORE = (
    "from patient_courier.dispatch.restoring import restore\nfrom patient_courier.settings import Settings",
    "restore(Path({copy!r}), Settings(database=Path({path!r}), smtp_host=''), lambda: '', replace=True)",
)
UPGRADE = (
    "from patient_courier.store.base.database import Database",
    "Database(Path({path!r})).migrate()",
)


def points(all_calls: int) -> list[int]:
    """Spread over what is done, with the last calls, where things are put in place."""
    return sorted({1 + all_calls * n // 9 for n in range(9)} | {all_calls - 2, all_calls - 1, all_calls})


def test_killed_in_the_middle_of_a_copy_no_half_one_passes_for_whole(path, tmp_path):
    folder = tmp_path / "copies"
    imports, work = COPY[0], COPY[1].format(path=str(path), folder=str(folder))
    for call in points(calls_of(imports, work)):
        killed_at(call, imports, work)
        assert all(look_into(one.path) for one in copies_in(folder))
    before = len(copies_in(folder))
    make_copy(path, folder, Copying(), "by-hand", "UTC")
    assert before >= 1 and "by-hand" in {one.name.why for one in copies_in(folder)}


@pytest.mark.long
def test_killed_in_the_middle_of_coming_back_the_school_is_there_whole_or_not_at_all(path, tmp_path):
    copy = make_copy(path, tmp_path / "copies", Copying(), "nightly", "UTC").path
    target = tmp_path / "new" / "school.db"
    imports, work = RESTORE[0], RESTORE[1].format(copy=str(copy), path=str(target))
    total, seen = calls_of(imports, work), set()
    for call in points(total):
        target.unlink(missing_ok=True)
        killed_at(call, imports, work)
        if target.exists():
            assert students(target) == ["ana", "kai"]
            with closing(Database(target)) as database, database.reading() as session:
                assert progress.is_coming_back(session)
        seen.add(target.exists())
    assert False in seen
    restore(copy, settings(target), lambda: "", replace=True)
    assert students(target) == ["ana", "kai"]


@pytest.mark.long
def test_killed_in_the_middle_of_an_upgrade_it_is_as_before_or_up_to_date(tmp_path):
    dump = gzip.decompress((UPGRADES / "0009.sql.gz").read_bytes()).decode()

    def laid(name: str) -> Path:
        path = tmp_path / name
        with closing(sqlite3.connect(path)) as connection:
            connection.executescript(dump)
        return path

    whole = laid("whole.db")
    total = calls_of(UPGRADE[0], UPGRADE[1].format(path=str(whole)))
    for call in points(total):
        path = laid(f"{call}.db")
        killed_at(call, UPGRADE[0], UPGRADE[1].format(path=str(path)))
        with closing(Database(path)) as database:
            database.migrate()
        assert students(path) == students(whole)


def test_what_is_left_over_of_a_copy_in_the_clear_goes_with_the_next_one(path, tmp_path):
    folder = tmp_path / "copies"
    folder.mkdir()
    left = folder / f"{CopyName(START, 'nightly', encrypted=True)}.plain"
    left.write_bytes(path.read_bytes())
    going = folder / f"{CopyName(START, 'by-hand', encrypted=False)}.part"
    going.write_bytes(b"being made by another program")
    os.utime(left, (0, 0))
    make_copy(path, folder, Copying(), "nightly", "UTC")
    assert not left.exists() and going.exists()
