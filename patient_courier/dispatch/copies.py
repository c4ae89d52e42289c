"""Copies of the school while it runs: every night, before upgrades, when the owner asks; checked, encrypted, put away twice."""

from __future__ import annotations

import os
import shutil
import sqlite3
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from threading import Lock, Thread

import pyrage
import structlog
from pyrage import x25519

from patient_courier.core.upkeep.copies import Copying, CopyName, Why, last_night, read_name, staying
from patient_courier.dispatch.clock import real_now
from patient_courier.post import object_store
from patient_courier.post.object_store import NotStored
from patient_courier.store.base.copying import BadCopy, copy_file
from patient_courier.store.base.database import Busy, Database
from patient_courier.store.base.definitions import Library
from patient_courier.store.upkeep.copying import read_copying
from patient_courier.store.upkeep.failing import failing, note_failing

log = structlog.get_logger()
# How long after a copy has failed the next one is tried, and how often it is looked whether one is due.
AGAIN_SECONDS, LOOK_SECONDS = 1800.0, 60.0
# What has not been written to for so long is being made by nobody.
LEFT_SECONDS = 1800.0


class NoCopy(Exception):
    """No copy was made, or it is not everywhere where it should be; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A copy in the folder; ``size`` in bytes."""

    name: CopyName
    path: Path
    size: int


@dataclass(slots=True)
class Going:
    """The copy that is being made: pages done and in all."""

    done: int = 0
    pages: int = 0


def copies_in(folder: Path) -> list[Kept]:
    """The copies that lie in a folder, the newest first."""
    if not folder.is_dir():
        return []
    found = [
        Kept(name, path, path.stat().st_size)
        for path in folder.iterdir()
        if (name := read_name(path.name)) is not None and path.is_file()
    ]
    # Two of the same second in the order in which they were made.
    return sorted(found, key=lambda one: (one.name.at, one.path.stat().st_mtime_ns), reverse=True)


def make_copy(
    source: Path, folder: Path, copying: Copying, why: Why, zone: str, going: Going | None = None
) -> Kept:
    """Make a copy now, and let go of those whose time is over. Raises NoCopy; what could be made is kept then."""
    name = CopyName(real_now(), why, encrypted=copying.recipient is not None)
    path = folder / str(name)

    def progress(done: int, pages: int) -> None:
        if going is not None:
            going.done, going.pages = done, pages

    try:
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o700)
        if copying.recipient is None:
            copy_file(source, path, name.at, progress)
        else:
            _encrypted(source, path, name, copying.recipient, progress)
        _let_go(folder, zone)
    except (OSError, sqlite3.Error, BadCopy) as error:
        raise NoCopy(f"No copy could be made in {folder}: {error}") from error
    _put_away(path, copying, zone)
    return Kept(name, path, path.stat().st_size)


def _encrypted(source: Path, path: Path, name: CopyName, recipient: str, progress: object) -> None:
    """A copy that only the recovery phrase opens: it is checked before it is encrypted, and no other one stays."""
    plain = path.with_name(f"{path.name}.plain")
    part = path.with_name(f"{path.name}.part")
    try:
        copy_file(source, plain, name.at, progress)  # type: ignore[arg-type]
        part.unlink(missing_ok=True)
        os.close(os.open(part, os.O_CREAT | os.O_WRONLY, 0o600))
        pyrage.encrypt_file(str(plain), str(part), [x25519.Recipient.from_str(recipient)])
        with part.open("rb") as file:
            os.fsync(file.fileno())
        part.replace(path)
    except (pyrage.EncryptError, pyrage.RecipientError) as error:
        raise BadCopy(str(error)) from error
    finally:
        plain.unlink(missing_ok=True)
        part.unlink(missing_ok=True)


def _let_go(folder: Path, zone: str) -> None:
    """What is not to be kept any more goes."""
    found = copies_in(folder)
    stay = staying([one.name for one in found], real_now(), zone)
    for one in found:
        if one.name not in stay:
            one.path.unlink(missing_ok=True)
    sweep(folder)


def sweep(folder: Path) -> None:
    """Take away what an end of the process in the middle of a copy has left, in the clear too; what is being made stays."""
    before = time.time() - LEFT_SECONDS
    for pattern in ("school-*.part", "school-*.plain"):
        for path in folder.glob(pattern):
            with suppress(FileNotFoundError):
                if path.stat().st_mtime < before:
                    path.unlink()


def _put_away(path: Path, copying: Copying, zone: str) -> None:
    """The same copy in the other places. Raises NoCopy with what went wrong, after all have been tried."""
    wrong = []
    if copying.second is not None:
        folder = Path(copying.second)
        try:
            folder.mkdir(parents=True, exist_ok=True)
            part = folder / f"{path.name}.part"
            shutil.copyfile(path, part)
            part.chmod(0o600)
            part.replace(folder / path.name)
            _let_go(folder, zone)
        except OSError as error:
            wrong.append(f"not in {folder}: {error.strerror or error}")
    if copying.store is not None:
        try:
            object_store.put(copying.store, path)
            there = [found for name in object_store.names(copying.store) if (found := read_name(name))]
            for gone in set(there) - staying(there, real_now(), zone):
                object_store.remove(copying.store, str(gone))
        except NotStored as error:
            wrong.append(f"not in the store of objects: {error}")
    if wrong:
        raise NoCopy(f"The copy {path.name} was made, but {'; and '.join(wrong)}")


class Copies:
    """Makes the nightly copy, and one when asked; one at a time."""

    def __init__(self, database: Database, library: Library, folder: Path) -> None:
        self._database, self._library = database, library
        self.folder = folder
        self.going: Going | None = None
        # The public key of the recovery phrase that was shown last, until it has been written back.
        self.offered: str | None = None
        self._making = Lock()
        self._not_before = real_now()

    def look(self) -> float:
        """Sweep, and make the nightly copy if it is due. Returns in how many seconds to look again."""
        now = real_now()
        sweep(self.folder)
        with self._database.reading() as session:
            zone = self._library.load(session).school.timezone
            failed = failing(session, "copies") is not None
        newest = next(iter(copies_in(self.folder)), None)
        due = newest is None or newest.name.at < last_night(now, zone) or failed
        if due and now >= self._not_before:
            try:
                self.make("nightly")
            except NoCopy:
                self._not_before = real_now().add(seconds=AGAIN_SECONDS)
        return LOOK_SECONDS

    def begin(self, why: Why) -> bool:
        """Make a copy in a thread of its own; False while one is being made."""
        if self._making.locked():
            return False
        Thread(target=self._make_quietly, args=(why,), name="copy", daemon=True).start()
        return True

    def _make_quietly(self, why: Why) -> None:
        with suppress(NoCopy):  # noted, and told on screen
            self.make(why)

    def make(self, why: Why) -> Kept:
        """Make a copy now. Raises NoCopy, which is noted, so that the owner is told."""
        with self._making:
            with self._database.reading() as session:
                zone = self._library.load(session).school.timezone
                copying = read_copying(session)
            self.going = Going()
            try:
                made = make_copy(self._database.path, self.folder, copying, why, zone, self.going)
            except NoCopy as error:
                log.error("no good copy", why=str(error))
                self._note(str(error))
                raise
            finally:
                self.going = None
            self._note(None)
            return made

    def _note(self, why: str | None) -> None:
        try:
            with self._database.writing() as session:
                note_failing(session, "copies", why, real_now())
        except Busy:
            log.warning("how the copy went could not be noted", why=why)
