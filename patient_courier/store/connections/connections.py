"""Connections in the tables: what each is, what it is reached and proves itself by, what came by it day by day."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from hashlib import sha256
from typing import Any, Literal

from sqlalchemy import Connection as Bound
from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.translating.connection import Connection, read_connection
from patient_courier.store.base.columns import InstantColumn
from patient_courier.store.base.plain import CONNECTION_DAYS, CONNECTION_SECRETS, CONNECTIONS
from patient_courier.store.base.statements import Statement, given
from patient_courier.store.base.tables import ConnectionDayRow, ConnectionRow, ConnectionSecretRow

State = Literal["listening", "on", "off"]
Secret = Literal["address", "proof"]
# An address or a secret that has been replaced still holds for so long.
OVERLAP_HOURS = 24
# Our own intake is no connection that could be changed; it has a row to be counted by.
OWN, OWN_KEY = "own", "intake"
COUNTS = ("messages", "events", "repeats", "waits", "not_for_us", "refused")


@dataclass(frozen=True, slots=True)
class Kept:
    """A connection as it was saved; ``text`` is its file, which may still be in the making."""

    id: int
    key: str
    state: str
    text: str
    made: Instant
    last: Instant | None
    refused: str | None
    refused_at: Instant | None
    own_mailbox: bool

    @property
    def file(self) -> dict[str, Any]:
        found: dict[str, Any] = json.loads(self.text)
        return found

    @property
    def name(self) -> str:
        return str(self.file.get("name") or self.key)


@lru_cache(maxsize=64)
def ready(text: str) -> Connection:
    """The connection of a file that can be read; read once, however many messages come by it. Raises Unreadable."""
    return read_connection(text)


# Asked for with every message: made once, over the plain tables.
_REAL = given("real", InstantColumn())
_HOLDS = CONNECTION_SECRETS.c.ends.is_(None) | (CONNECTION_SECRETS.c.ends > _REAL)
_BY_ID = Statement(select(CONNECTIONS).where(CONNECTIONS.c.id == given("id")))
_AT_ADDRESS = Statement(
    select(CONNECTIONS)
    .join(CONNECTION_SECRETS, CONNECTION_SECRETS.c.connection_id == CONNECTIONS.c.id)
    .where(CONNECTION_SECRETS.c.digest == given("digest"), _HOLDS)
)
_SECRETS = Statement(
    select(CONNECTION_SECRETS.c.value)
    .where(
        CONNECTION_SECRETS.c.connection_id == given("id"),
        CONNECTION_SECRETS.c.kind == given("kind"),
        _HOLDS,
    )
    .order_by(CONNECTION_SECRETS.c.id.desc())
)
_OWN = Statement(select(CONNECTIONS.c.id).where(CONNECTIONS.c.state == OWN))
_PUT = insert(CONNECTION_DAYS).values(
    connection_id=given("connection_id"), day=given("day"), **{name: given(name) for name in COUNTS}
)
_COUNT = Statement(
    _PUT.on_conflict_do_update(
        index_elements=["connection_id", "day"],
        set_={name: CONNECTION_DAYS.c[name] + _PUT.excluded[name] for name in COUNTS},
    )
)


def _kept(row: Any) -> Kept:
    return Kept(
        row.id,
        row.key,
        row.state,
        row.file,
        row.made,
        row.last,
        row.refused,
        row.refused_at,
        row.own_mailbox,
    )


def every(session: Session) -> list[Kept]:
    """All that the owner has connected, in the order in which that was."""
    query = select(ConnectionRow).where(ConnectionRow.state != OWN).order_by(ConnectionRow.id)
    return [_kept(row) for row in session.scalars(query)]


def own(session: Session, now: Instant) -> int:
    """The row of our own intake, for its counts and its older keys; made when it is first asked for."""
    id = own_id(session)
    if id is None:
        row = ConnectionRow(key=OWN_KEY, state=OWN, file="{}", made=now)
        session.add(row)
        session.flush()
        id = row.id
    return id


def own_id(session: Session) -> int | None:
    """The row of our own intake, if it has one by now."""
    id: int | None = _OWN.scalar(session)
    return id


def find(session: Session, key: str) -> Kept | None:
    row = session.scalar(select(ConnectionRow).where(ConnectionRow.key == key, ConnectionRow.state != OWN))
    return _kept(row) if row is not None else None


def get(session: Session, id: int) -> Kept | None:
    row = _BY_ID.first(session, id=id)
    return _kept(row) if row is not None else None


def add(session: Session, file: dict[str, Any], now: Instant) -> int:
    """A new connection, which only listens; returns the row's id."""
    text = json.dumps(file, ensure_ascii=False)
    row = ConnectionRow(key=file["key"], state="listening", file=text, made=now)
    session.add(row)
    session.flush()
    return row.id


def say_own_mailbox(session: Session, id: int, own: bool) -> None:
    """The owner's word that only they get what comes to the connection as mail, or that it is not so."""
    session.execute(update(ConnectionRow).where(ConnectionRow.id == id).values(own_mailbox=own))


def save(session: Session, id: int, file: dict[str, Any]) -> None:
    text = json.dumps(file, ensure_ascii=False)
    session.execute(update(ConnectionRow).where(ConnectionRow.id == id).values(file=text))


def set_state(session: Session, id: int, state: State) -> None:
    session.execute(update(ConnectionRow).where(ConnectionRow.id == id).values(state=state))


def remove(session: Session, id: int) -> None:
    """With its messages, what waits, and its counts."""
    session.execute(delete(ConnectionRow).where(ConnectionRow.id == id))


def note_refused(session: Session, id: int, why: str, now: Instant) -> None:
    """What was wrong with the newest message that could not be used."""
    values = {"refused": why, "refused_at": now}
    session.execute(update(ConnectionRow).where(ConnectionRow.id == id).values(**values))


def give_secret(session: Session, id: int, kind: Secret, value: str, real: Instant) -> None:
    """A new address or secret; the one before holds for another day (real time)."""
    before = (
        ConnectionSecretRow.connection_id == id,
        ConnectionSecretRow.kind == kind,
        ConnectionSecretRow.ends.is_(None),
    )
    ends = real.add(hours=OVERLAP_HOURS)
    session.execute(update(ConnectionSecretRow).where(*before).values(ends=ends))
    digest = _digest(kind, value, id)
    over = (ConnectionSecretRow.ends <= real) | (ConnectionSecretRow.digest == digest)
    session.execute(delete(ConnectionSecretRow).where(over))
    session.add(ConnectionSecretRow(connection_id=id, kind=kind, value=value, digest=digest))


def secrets_of(session: Session | Bound, id: int, kind: Secret, real: Instant) -> list[str]:
    """What holds now, the newest first."""
    return [row.value for row in _SECRETS.rows(session, id=id, kind=kind, real=real)]


def forget_secrets(session: Session, id: int) -> None:
    """The secrets of a proof that is no longer used."""
    session.execute(
        delete(ConnectionSecretRow).where(
            ConnectionSecretRow.connection_id == id, ConnectionSecretRow.kind == "proof"
        )
    )


def at_address(session: Session | Bound, address: str, real: Instant) -> Kept | None:
    """Whose address this is. Looked up by its digest, so that the time it takes tells nothing about the address."""
    row = _AT_ADDRESS.first(session, digest=_digest("address", address, 0), real=real)
    return _kept(row) if row is not None else None


def _digest(kind: Secret, value: str, connection: int) -> str:
    """An address is looked for among all; two connections may have the same secret."""
    whose = 0 if kind == "address" else connection
    return sha256(f"{kind}:{whose}:{value}".encode("utf-8", "surrogatepass")).hexdigest()


def count(session: Session, id: int, day: str, counts: Mapping[str, int]) -> None:
    """Add to what came on a day of the school's (``2026-03-02``); ``counts`` by the names of COUNTS."""
    if any(counts.values()):
        numbers = {name: counts.get(name, 0) for name in COUNTS}
        _COUNT.run(session, connection_id=id, day=day, **numbers)


def days_since(session: Session, day: str) -> dict[int, dict[str, dict[str, int]]]:
    """What came by each connection on each day from this one on that has something."""
    query = select(ConnectionDayRow).where(ConnectionDayRow.day >= day)
    found: dict[int, dict[str, dict[str, int]]] = {}
    for row in session.scalars(query.order_by(ConnectionDayRow.day)):
        found.setdefault(row.connection_id, {})[row.day] = {name: getattr(row, name) for name in COUNTS}
    return found


def taken_keys(session: Session) -> Sequence[str]:
    """Keys that a new connection can't have."""
    return session.scalars(select(ConnectionRow.key)).all()


def number(session: Session) -> int:
    return session.scalar(select(func.count(ConnectionRow.id))) or 0
