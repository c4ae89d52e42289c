"""Opening the SQLite file: WAL, foreign keys, short write transactions."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, create_engine, event
from sqlalchemy.orm import Session

from patient_courier.store.audience import FUNCTIONS


class Database:
    """One SQLite file. Reads never wait for a write; writes queue up for a moment."""

    def __init__(self, path: Path) -> None:
        self.path = path
        path.parent.mkdir(parents=True, exist_ok=True)
        self._engine = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False})
        event.listen(self._engine, "connect", _prepare)
        event.listen(self._engine, "begin", _begin)
        self._writing = self._engine.execution_options(writing=True)

    def migrate(self) -> None:
        """Bring the tables to the newest revision."""
        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        with self._writing.connect() as connection:
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
        """One write transaction, committed at the end, or nothing at all when an error comes out of it."""
        with Session(self._writing, expire_on_commit=False) as session, session.begin():
            # Takes the write lock now, so that what is read here is what is written on.
            session.connection()
            yield session

    def close(self) -> None:
        self._engine.dispose()


def _prepare(connection: Any, record: Any) -> None:
    connection.isolation_level = None  # SQLAlchemy begins transactions, not the driver
    for pragma in (
        "journal_mode=WAL",
        # A sent letter must still be known as sent after a power cut, or it would be posted again.
        "synchronous=FULL",
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
