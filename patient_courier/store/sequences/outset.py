"""Events that came before a sequence ran."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import EventRow, SequenceRow

# SQLite takes only so many values in one statement.
_AT_ONCE = 500


def events_of(
    session: Session,
    types: Collection[str],
    *,
    since: Instant | None = None,
    after: int | None = None,
    ids: Collection[int] | None = None,
) -> Iterator[EventRow]:
    """Events of these types in the order they came: since a moment, after a number, of these students (row ids)."""
    query = select(EventRow).where(EventRow.type.in_(types)).order_by(EventRow.number)
    if since is not None:
        query = query.where(EventRow.at >= since)
    if after is not None:
        query = query.where(EventRow.number > after)
    if ids is None:
        yield from session.scalars(query)
        return
    wanted = sorted(ids)
    for begin in range(0, len(wanted), _AT_ONCE):
        yield from session.scalars(query.where(EventRow.student_id.in_(wanted[begin : begin + _AT_ONCE])))


def number_of(session: Session, types: Collection[str]) -> int:
    """How many events of these types there are."""
    return session.scalar(select(func.count()).where(EventRow.type.in_(types))) or 0


def paused_after(session: Session, sequence: str) -> int | None:
    """The number of the last event before a sequence was paused; None when it is not."""
    return session.get_one(SequenceRow, sequence).paused_after
