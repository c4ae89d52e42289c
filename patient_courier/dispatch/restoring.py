"""Coming back from a copy: it is opened, looked through, brought up to date and put in place, whole or not at all."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import pyrage
from sqlalchemy.exc import DatabaseError
from whenever import Instant

from patient_courier.core.upkeep.copies import Copying, read_name
from patient_courier.core.upkeep.recovery import key_of
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.copies import Kept, make_copy
from patient_courier.dispatch.mark import Mark
from patient_courier.dispatch.only_one import OnlyOne
from patient_courier.settings import Settings
from patient_courier.store.base.copying import BadCopy, copy_file, look_into
from patient_courier.store.base.database import Database, remove_file
from patient_courier.store.school.users import end_all_sessions
from patient_courier.store.upkeep import progress
from patient_courier.store.upkeep.copying import read_copying


class NotRestored(Exception):
    """The school was not brought back; the message says why and what to do. What was there is as it was."""


@dataclass(frozen=True, slots=True)
class Restored:
    """What was put in place: the school's name, up to when it knows the world, and where the file before it lies now."""

    school: str
    since: Instant
    aside: Path | None


def restore(source: Path, settings: Settings, phrase: Callable[[], str], *, replace: bool) -> Restored:
    """Put a copy in the place of the settings' database. ``phrase`` is asked for when it is encrypted. Raises NotRestored, InHand."""
    path = settings.database
    if not source.is_file():
        raise NotRestored(f"There is no copy at {source}.")
    if path.exists() and not replace:
        raise NotRestored(
            f"There is a school at {path}. To put the copy in its place, say --replace: what is there is moved aside, "
            "not thrown away."
        )
    path.parent.mkdir(parents=True, exist_ok=True)
    hand = OnlyOne(path)
    coming = path.with_name(f"{path.name}.restoring")
    try:
        remove_file(coming)
        _bring(source, coming, phrase)
        since, school = _made_ready(source, coming, Mark(path))
        aside = _moved_aside(path) if path.exists() else None
        coming.rename(path)
        return Restored(school, since, aside)
    except (OSError, BadCopy, ValueError, sqlite3.Error, DatabaseError) as error:
        raise NotRestored(str(error)) from error
    finally:
        remove_file(coming)
        hand.release()


def _bring(source: Path, to: Path, phrase: Callable[[], str]) -> None:
    """The copy, opened with the recovery phrase if it is encrypted, beside where it is to stand."""
    if source.name.endswith(".age"):
        key = key_of(phrase())
        try:
            pyrage.decrypt_file(str(source), str(to), [key])
        except (pyrage.DecryptError, OSError) as error:
            raise BadCopy(
                f"The recovery phrase does not open {source.name}: it is of another school or another time, or the copy "
                f"is damaged ({error})."
            ) from error
        to.chmod(0o600)
        look_into(to)
    else:
        look_into(source)
        copy_file(source, to, look_into(source).at or _written(source))


def _made_ready(source: Path, coming: Path, mark: Mark) -> tuple[Instant, str]:
    """Bring the tables up to date and note that the school comes back: up to when it knows the world, and its name."""
    found = look_into(coming)
    since = found.at or _written(source)
    with closing(Database(coming)) as database:
        database.migrate()
        with database.writing() as session:
            end_all_sessions(session)
            if not read_clock(session).practice:
                remembered, now = mark.read(), real_now()
                mine = progress.read_progress(session)
                progress.begin_coming_back(session, since, now)
                # The mark beside the old file must not say a second time that this one is older.
                same = remembered is not None and mine is not None and remembered.name == mine.name
                more = remembered.lots - mine.lots if same and remembered and mine else 0
                progress.note_progress(
                    session, max(now, remembered.at) if same and remembered else now, max(0, more)
                )
    return since, found.school


def _written(path: Path) -> Instant:
    """When a copy that does not say so was made: as its name has it, or its file."""
    name = read_name(path.name)
    return name.at if name is not None else Instant.from_timestamp(path.stat().st_mtime)


def _moved_aside(path: Path) -> Path:
    """What is in the place of the copy goes aside as one file."""
    stamp = real_now().format_iso(unit="second").replace(":", "")
    aside = path.with_name(f"{path.name}.before-{stamp}")
    try:
        with closing(sqlite3.connect(path)) as connection:
            connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    except sqlite3.Error:
        pass  # it may be what is damaged: its parts go aside as they are
    for suffix in ("-wal", "-shm", ""):
        part = path.with_name(path.name + suffix)
        if part.exists():
            part.rename(aside.with_name(aside.name + suffix))
    return aside


def copy_before_upgrade(database: Database, folder: Path) -> Kept:
    """A copy as the tables are now, encrypted if the school's copies are. Raises NoCopy; then nothing is upgraded."""
    try:
        with database.reading() as session:
            copying = read_copying(session)
    except DatabaseError:
        copying = Copying()  # a school from before copies were kept
    return make_copy(
        database.path,
        folder,
        copying.model_copy(update={"second": None, "store": None}),
        "before-upgrade",
        "UTC",
    )
