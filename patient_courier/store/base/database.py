"""Opening the SQLite file: WAL, foreign keys, short write transactions."""

from __future__ import annotations

import os
import secrets
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from threading import Lock
from typing import Any

import structlog
from sqlalchemy import Connection, Engine, PoolProxiedConnection, create_engine, event, text
from sqlalchemy.orm import Session

from patient_courier.store.base.fair_lock import FairLock
from patient_courier.store.base.faults import Busy, Unusable, sentence, told
from patient_courier.store.base.functions import FUNCTIONS
from patient_courier.store.base.upgrading import TooNew, behind, upgrade
from patient_courier.store.base.watching import watch

__all__ = ["Busy", "Database", "TooNew", "Trouble", "Unusable", "remove_file"]
log = structlog.get_logger()

# How long a writer waits for its turn before it is told to come again.
PATIENCE_SECONDS = 10.0


@dataclass(frozen=True, slots=True)
class Trouble:
    """Why the school can't be written, and since when (seconds of ``time.monotonic``)."""

    sentence: str
    since: float


class Database:
    """One SQLite file. Reads never wait for a write; writes queue up, first come, first served."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        _keep_private(path)
        self._file = _identity(path)
        self._trouble: Trouble | None = None
        self._engine = _engine(path, "FULL")
        self._writing = self._engine.execution_options(writing=True)
        self._watching = _engine(path, "FULL", watched=True).execution_options(writing=True)
        self._noting = _engine(path, "NORMAL").execution_options(writing=True)
        self._notes: Connection | None = None
        self._turn = FairLock()
        self._versions: PoolProxiedConnection | None = None
        self._asking = Lock()
        self._opened = secrets.token_hex(4)

    def behind(self) -> bool:
        """Whether there is a school in this file whose tables are older than this program's. Raises TooNew."""
        with self._engine.connect() as connection:
            return behind(connection)

    def migrate(self, to: str = "head") -> None:
        """Bring the tables to the newest revision, or to an earlier one that they have not come to yet. Raises TooNew."""
        with self._my_turn(), self._writing.connect() as connection:
            upgrade(connection, to)

    @property
    def trouble(self) -> Trouble | None:
        """What keeps the school from being written, as far as is known; None when nothing does.

        Known from memory and a look at the file, so that it can be said whatever the disk does.
        """
        try:
            self._check_file()
        except Unusable as error:
            self._remember(error)
        return self._trouble

    def probe(self) -> None:
        """Write something that changes nothing, to see whether what was in the way has gone. Raises Busy, Unusable."""
        with self.noting() as connection:
            connection.execute(text("UPDATE alembic_version SET version_num = version_num"))
        self._trouble = None

    def _check_file(self) -> None:
        if _identity(self.path) != self._file:
            raise Unusable(
                sentence(
                    f"the file at {self.path} is no longer the one that was opened. Put that one back, or stop and start "
                    "with the one that lies there now"
                )
            )

    def _remember(self, error: Unusable) -> None:
        if self._trouble is None:
            log.error("the school can't be written", why=str(error))
        if self._trouble is None or self._trouble.sentence != str(error):
            self._trouble = Trouble(str(error), time.monotonic())

    @contextmanager
    def _told(self) -> Iterator[None]:
        """Errors of the file as Busy and Unusable, which are remembered."""
        try:
            with told():
                yield
        except Unusable as error:
            self._remember(error)
            raise

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A consistent view of the data. Raises Unusable, also when another file lies there: it would be read as this one."""
        with self._told():
            self._check_file()
            with Session(self._engine) as session:
                yield session

    @contextmanager
    def looking(self) -> Iterator[Connection]:
        """The same for a few looks into indexes: beside those, a session would cost more than they do."""
        with self._told():
            self._check_file()
            with self._engine.connect() as connection:
                yield connection

    def version(self) -> str:
        """Another text whenever anything in the file has changed, whoever changed it, or the file was opened anew.

        SQLite's PRAGMA data_version, asked on a connection of its own that never writes. Raises Unusable.
        """
        with self._told(), self._asking:
            self._check_file()
            if self._versions is None:
                self._versions = self._engine.raw_connection()
            cursor = self._versions.cursor()
            cursor.execute("PRAGMA data_version")
            (found,) = cursor.fetchall()
            return f"{self._opened}-{found[0]}"

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One write transaction, committed at the end, or nothing at all when an error comes out of it.

        On the disk when it returns. Raises Busy when its turn does not come, Unusable when the file can't be written.
        """
        with (
            self._my_turn(),
            self._told(),
            Session(self._writing, expire_on_commit=False) as session,
            session.begin(),
        ):
            # Takes the write lock now, so that what is read here is what is written on.
            session.connection()
            yield session

    @contextmanager
    def watching(self) -> Iterator[Session]:
        """The same, and what it changes is noticed (store/base/watching.py)."""
        with (
            self._my_turn(),
            self._told(),
            Session(self._watching, expire_on_commit=False) as session,
            session.begin(),
        ):
            session.execute(text("DELETE FROM noticed"))
            yield session

    @contextmanager
    def pretending(self) -> Iterator[Session]:
        """A write transaction of which nothing stays: what would come of something is seen by doing it. Raises Busy."""
        with (
            self._my_turn(),
            self._told(),
            Session(self._writing, expire_on_commit=False) as session,
            session.begin() as transaction,
        ):
            session.connection()
            yield session
            transaction.rollback()

    @contextmanager
    def noting(self) -> Iterator[Connection]:
        """A write transaction that survives the end of the process at once, a power cut only with the next ``writing``.

        SQLite's documentation of PRAGMA synchronous: in WAL mode NORMAL loses no consistency, only durability.
        """
        with self._my_turn(), self._told():
            # Kept open between notes: there are two with every letter. Who has the turn has it alone.
            if self._notes is None:
                self._notes = self._noting.connect()
            try:
                with self._notes.begin():
                    yield self._notes
            except BaseException:
                self._notes.close()
                self._notes = None
                raise

    @contextmanager
    def _my_turn(self) -> Iterator[None]:
        if not self._turn.acquire(PATIENCE_SECONDS):
            raise Busy("Too much is being written at the moment.")
        try:
            with self._told():
                self._check_file()
            yield
        finally:
            self._turn.release()

    def close(self) -> None:
        """Let go of the file, when what is being written at the moment has been."""
        mine = self._turn.acquire(PATIENCE_SECONDS)
        try:
            if self._notes is not None:
                self._notes.close()
                self._notes = None
        finally:
            if mine:
                self._turn.release()
        with self._asking:
            if self._versions is not None:
                self._versions.close()
                self._versions = None
        self._engine.dispose()
        self._watching.dispose()
        self._noting.dispose()


def remove_file(path: Path) -> None:
    """Take a database away, with what SQLite keeps beside it."""
    for suffix in ("", "-wal", "-shm"):
        path.with_name(path.name + suffix).unlink(missing_ok=True)


def _identity(path: Path) -> tuple[int, int] | None:
    """What tells a file from another one in its place: device and inode; None when there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


def _keep_private(path: Path) -> None:
    """The file holds keys and a password's hash: nobody else on the machine reads it (nor SQLite's files beside it)."""
    if path.exists():
        if path.stat().st_uid == os.geteuid() and os.access(path, os.W_OK):
            path.chmod(0o600)
        return
    os.close(os.open(path, os.O_CREAT | os.O_RDWR, 0o600))


def _engine(path: Path, synchronous: str, *, watched: bool = False) -> Engine:
    found = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False})

    def prepare(connection: Any, record: Any) -> None:
        _prepare(connection, synchronous)
        if watched:
            watch(connection)

    event.listen(found, "connect", prepare)
    event.listen(found, "begin", _begin)
    return found


def _prepare(connection: Any, synchronous: str) -> None:
    connection.isolation_level = None  # SQLAlchemy begins transactions, not the driver
    for pragma in (
        "journal_mode=WAL",
        # FULL: a sent letter must still be known as sent after a power cut, or it would be posted again.
        f"synchronous={synchronous}",
        "foreign_keys=ON",
        "busy_timeout=15000",
        "cache_size=-65536",
    ):
        connection.execute(f"PRAGMA {pragma}")
    for name, (arguments, function) in FUNCTIONS.items():
        connection.create_function(name, arguments, function, deterministic=True)


def _begin(connection: Connection) -> None:
    writing = connection.get_execution_options().get("writing")
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writing else "BEGIN")
