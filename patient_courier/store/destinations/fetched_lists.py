"""Lists of students that tools fetch, each at an address with a secret of its own, of which a digest is kept."""

from __future__ import annotations

from dataclasses import dataclass
from secrets import token_urlsafe

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import FetchedListRow
from patient_courier.store.destinations.api_keys import digest_of


@dataclass(frozen=True, slots=True)
class FetchedList:
    """Who is on it: those who ``finished`` a course, have a ``tag``, are of an ``audience``; ``of`` is its key. Real times."""

    id: int
    name: str
    what: str
    of: str
    made: Instant
    fetched: Instant | None


def _list(row: FetchedListRow) -> FetchedList:
    return FetchedList(row.id, row.name, row.what, row.of, row.made, row.fetched)


def every(session: Session) -> list[FetchedList]:
    return [_list(row) for row in session.scalars(select(FetchedListRow).order_by(FetchedListRow.id))]


def make(session: Session, name: str, what: str, of: str, real: Instant) -> tuple[int, str]:
    """A new list; returns its row and the secret of its address, which nobody will see again."""
    secret = token_urlsafe(32)
    row = FetchedListRow(name=name, what=what, of=of, digest=digest_of(secret), made=real)
    session.add(row)
    session.flush()
    return row.id, secret


def at(session: Session, secret: str) -> FetchedList | None:
    """The list whose address has this secret."""
    row = session.scalar(select(FetchedListRow).where(FetchedListRow.digest == digest_of(secret)))
    return _list(row) if row is not None else None


def note_fetched(session: Session, id: int, real: Instant) -> None:
    session.execute(update(FetchedListRow).where(FetchedListRow.id == id).values(fetched=real))


def remove(session: Session, id: int) -> None:
    """Its address leads nowhere from now on."""
    session.execute(delete(FetchedListRow).where(FetchedListRow.id == id))
