"""Destinations in the tables: what each is, what it hears of, how it stands."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.keys import free_key
from patient_courier.store.base.tables import DestinationRow, OutgoingRow

# A secret that has been replaced signs too for so long.
OVERLAP_HOURS = 24
MOST = 20


@dataclass(frozen=True, slots=True)
class Destination:
    """A destination as it was saved; times are real."""

    id: int
    key: str
    name: str
    url: str
    kinds: tuple[str, ...]
    courses: tuple[str, ...]
    state: str
    why: str | None
    failing: Instant | None
    last: Instant | None


def _destination(row: DestinationRow) -> Destination:
    return Destination(
        row.id,
        row.key,
        row.name,
        row.url,
        tuple(row.kinds),
        tuple(row.courses),
        row.state,
        row.why,
        row.failing,
        row.last,
    )


def every(session: Session) -> list[Destination]:
    """All of them, in the order in which they were made."""
    return [_destination(row) for row in session.scalars(select(DestinationRow).order_by(DestinationRow.id))]


def find(session: Session, key: str) -> Destination | None:
    row = session.scalar(select(DestinationRow).where(DestinationRow.key == key))
    return _destination(row) if row is not None else None


def add(
    session: Session, name: str, url: str, kinds: Collection[str], courses: Collection[str], secret: str
) -> str:
    """A new destination, which hears from now on; returns its key."""
    key = free_key(name, set(session.scalars(select(DestinationRow.key))))
    session.add(
        DestinationRow(
            key=key,
            name=name,
            url=url,
            kinds=list(kinds),
            courses=list(courses),
            secret=secret,
            state="on",
        )
    )
    session.flush()
    return key


def save(
    session: Session, id: int, name: str, url: str, kinds: Collection[str], courses: Collection[str]
) -> None:
    row = session.get_one(DestinationRow, id)
    row.name, row.url, row.kinds, row.courses = name, url, list(kinds), list(courses)


def remove(session: Session, id: int) -> None:
    """It hears no more, and what it has not been told is gone."""
    session.execute(delete(DestinationRow).where(DestinationRow.id == id))


def replace_secret(session: Session, id: int, secret: str, real: Instant) -> None:
    """The secret before signs beside the new one for another day."""
    row = session.get_one(DestinationRow, id)
    row.older, row.older_ends = row.secret, real.add(hours=OVERLAP_HOURS)
    row.secret = secret


def pause(session: Session, id: int, why: str | None = None) -> None:
    """What it is to be told waits. ``why`` None: the owner wishes so, and knows it."""
    _set(session, id, "paused", why)


def end(session: Session, id: int, why: str) -> None:
    """It hears no more; what it has not been told is set aside."""
    _set(session, id, "ended", why)
    waiting = (OutgoingRow.destination_id == id, OutgoingRow.status == "queued")
    session.execute(update(OutgoingRow).where(*waiting).values(status="failed", retry=None, reason=why))


def go_on(session: Session, id: int) -> None:
    """It is told what has waited, as if for the first time, and hears again."""
    _set(session, id, "on", None)
    waiting = (OutgoingRow.destination_id == id, OutgoingRow.status == "queued")
    session.execute(update(OutgoingRow).where(*waiting).values(since=None, retry=None, tries=0))


def standing_still(session: Session) -> list[Destination]:
    """Those that stand still without the owner having said so."""
    query = select(DestinationRow).where(DestinationRow.state != "on", DestinationRow.why.is_not(None))
    return [_destination(row) for row in session.scalars(query.order_by(DestinationRow.id))]


def _set(session: Session, id: int, state: str, why: str | None) -> None:
    row = session.get_one(DestinationRow, id)
    row.state, row.why, row.failing = state, why, None
    session.flush()


def counts(session: Session) -> dict[int, dict[str, int]]:
    """How many messages of each destination are queued, sent, kept, or set aside (``failed``)."""
    query = (
        select(OutgoingRow.destination_id, OutgoingRow.status, func.count())
        .where(OutgoingRow.destination_id.is_not(None))
        .group_by(OutgoingRow.destination_id, OutgoingRow.status)
    )
    found: dict[int, dict[str, int]] = {}
    for id, status, count in session.execute(query):
        if id is not None:
            found.setdefault(id, {})[status] = count
    return found
