"""Copying the school's file while it is in use, and looking whether a copy is good: with SQLite alone."""

from __future__ import annotations

import os
import shutil
import sqlite3
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote

from whenever import Instant

from patient_courier.store.base.columns import pack, unpack

# Pages are copied a few at a time, so that others get the disk in between.
PAGES_AT_ONCE, REST_SECONDS = 512, 0.002


class BadCopy(ValueError):
    """This file is no good copy of a school; the message says why."""


class NoRoom(OSError):
    """There is not enough room for a copy; the message says how much is needed."""


@dataclass(frozen=True, slots=True)
class Copied:
    """What a copy says of itself: when it was made (real time; None: it was not made by us), whose it is, its tables."""

    at: Instant | None
    school: str
    revision: str


def copy_file(
    source: Path, to: Path, at: Instant, progress: Callable[[int, int], None] | None = None
) -> Copied:
    """Copy a database that is in use, as it is now, note in it when, and look whether it is good.

    Nobody waits for it: it is one long reading (SQLite's documentation of the Online Backup API, and of WAL). ``progress``
    is told pages done and pages in all. Raises NoRoom, BadCopy, OSError, sqlite3.Error; nothing is left then.
    """
    to.parent.mkdir(parents=True, exist_ok=True)
    size = source.stat().st_size
    free = shutil.disk_usage(to.parent).free
    if free < size + size // 10:
        raise NoRoom(f"A copy needs {size / 1e6:,.0f} MB in {to.parent}, and {free / 1e6:,.0f} MB are free.")
    part = to.with_name(f"{to.name}.part")
    part.unlink(missing_ok=True)
    os.close(os.open(part, os.O_CREAT | os.O_WRONLY, 0o600))
    try:
        with closing(sqlite3.connect(_address(source, "ro"), uri=True)) as reader:
            # This reading stays as it is while others write, so the copy is of one moment.
            reader.isolation_level = None
            reader.execute("BEGIN")
            reader.execute("SELECT count(*) FROM sqlite_master").fetchone()
            with closing(sqlite3.connect(part)) as writer:

                def step(status: int, left: int, pages: int) -> None:
                    if progress is not None:
                        progress(pages - left, pages)
                    time.sleep(REST_SECONDS)

                reader.backup(writer, pages=PAGES_AT_ONCE, progress=step)
                # One file by itself, without a log beside it.
                writer.execute("PRAGMA journal_mode=DELETE")
                if _has_settings(writer):
                    with writer:
                        writer.execute(
                            "INSERT OR REPLACE INTO settings VALUES ('copied', ?)", (pack({"at": at}),)
                        )
        found = look_into(part)
        with part.open("rb") as file:
            os.fsync(file.fileno())
        part.replace(to)
    finally:
        part.unlink(missing_ok=True)
    return found


def look_into(path: Path) -> Copied:
    """Open a copy and look through all of it. Raises BadCopy with what is wrong."""
    try:
        with closing(sqlite3.connect(_address(path, "ro"), uri=True)) as connection:
            said = connection.execute("PRAGMA quick_check").fetchone()[0]
            if said != "ok":
                raise BadCopy(f"{path.name} is damaged: {said}")
            revision = connection.execute("SELECT version_num FROM alembic_version").fetchone()
            school = connection.execute("SELECT body FROM school").fetchone()
            if revision is None or school is None:
                raise BadCopy(f"There is no school in {path.name}.")
            at = None
            if _has_settings(connection):
                row = connection.execute("SELECT body FROM settings WHERE name = 'copied'").fetchone()
                at = unpack(row[0])["at"] if row else None
            return Copied(at, str(unpack(school[0])["name"]), str(revision[0]))
    except sqlite3.Error as error:
        raise BadCopy(f"{path.name} is no copy of a school: {error}.") from error


def _has_settings(connection: sqlite3.Connection) -> bool:
    """Schools of earlier programs have none."""
    return connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'settings'").fetchone() is not None


def _address(path: Path, mode: str) -> str:
    return f"file:{quote(str(path.absolute()))}?mode={mode}"
