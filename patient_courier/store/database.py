"""Opening the SQLite file: WAL, foreign keys, short write transactions."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.orm import Session

from patient_courier.store.audience import FUNCTIONS

# How long a writer waits for its turn before it is told to come again.
PATIENCE_SECONDS = 10.0


class Busy(Exception):
    """Too many are writing at the moment; nothing was done, and the same may be tried again."""


class FairLock:
    """A lock that is given in the order in which it was asked for.

    SQLite's own waiting looks again at intervals, so that one who asks often is served before one who waits long.
    """

    def __init__(self) -> None:
        self._mutex = Lock()
        self._waiting: deque[Lock] = deque()
        self._held = False

    def acquire(self, timeout: float) -> bool:
        """Wait for one's turn; False when it did not come in time (seconds)."""
        with self._mutex:
            if not self._held:
                self._held = True
                return True
            ticket = Lock()
            ticket.acquire()
            self._waiting.append(ticket)
        if ticket.acquire(timeout=timeout):
            return True
        with self._mutex:
            if ticket in self._waiting:
                self._waiting.remove(ticket)
                return False
        return True  # given just now

    def release(self) -> None:
        with self._mutex:
            if self._waiting:
                self._waiting.popleft().release()
            else:
                self._held = False


class Database:
    """One SQLite file. Reads never wait for a write; writes queue up, first come, first served."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        _keep_private(path)
        self._engine = _engine(path, "FULL")
        self._writing = self._engine.execution_options(writing=True)
        self._noting = _engine(path, "NORMAL").execution_options(writing=True)
        self._turn = FairLock()

    def migrate(self) -> None:
        """Bring the tables to the newest revision."""
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self._my_turn(), self._writing.connect() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            connection.commit()

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A consistent view of the data."""
        with Session(self._engine) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """One write transaction, committed at the end, or nothing at all when an error comes out of it.

        On the disk when it returns. Raises Busy when its turn does not come.
        """
        with (
            self._my_turn(),
            Session(self._writing, expire_on_commit=False) as session,
            session.begin(),
        ):
            # Takes the write lock now, so that what is read here is what is written on.
            session.connection()
            yield session

    @contextmanager
    def noting(self) -> Iterator[Connection]:
        """A write transaction that survives the end of the process at once, a power cut only with the next ``writing``.

        SQLite's documentation of PRAGMA synchronous: in WAL mode NORMAL loses no consistency, only durability.
        """
        with self._my_turn(), self._noting.begin() as connection:
            yield connection

    @contextmanager
    def _my_turn(self) -> Iterator[None]:
        if not self._turn.acquire(PATIENCE_SECONDS):
            raise Busy("Too much is being written at the moment.")
        try:
            yield
        finally:
            self._turn.release()

    def close(self) -> None:
        self._engine.dispose()
        self._noting.dispose()


def _keep_private(path: Path) -> None:
    """The file holds keys and a password's hash: nobody else on the machine reads it (nor SQLite's files beside it)."""
    if path.exists():
        if path.stat().st_uid == os.geteuid() and os.access(path, os.W_OK):
            path.chmod(0o600)
        return
    os.close(os.open(path, os.O_CREAT | os.O_RDWR, 0o600))


def _engine(path: Path, synchronous: str) -> Engine:
    found = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False})

    def prepare(connection: Any, record: Any) -> None:
        _prepare(connection, synchronous)

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
