"""Items of messages that are no events yet: each waits under its own id until the mapping or the school can take it."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from sqlalchemy import ColumnElement, delete, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.translating.item import Waits
from patient_courier.store.base.plain import WAITING
from patient_courier.store.base.statements import Statement, given, one_of
from patient_courier.store.base.tables import ConnectionRow, WaitingRow

# More than so many of one connection are not taken in: something is wrong with what it sends, or with its mapping.
MOST = 5_000


@dataclass(frozen=True, slots=True)
class Item:
    """One item that waits: item ``number`` (from 1) of a message, known by ``key``."""

    id: int
    connection: int
    message: int | None
    number: int
    key: str
    at: Instant
    waits: Waits


@dataclass(frozen=True, slots=True)
class Group:
    """Items that wait for the same: ``number`` of them, the newest at ``at``; ``waits`` is the newest's."""

    connection: int
    number: int
    at: Instant
    newest: int
    waits: Waits


_OPEN = WaitingRow.put_aside.is_(False)
# Asked for with every message.
_MINE = WAITING.c.connection_id == given("connection")
_KNOWN = Statement(select(WAITING.c.key).where(_MINE, one_of(WAITING.c.key, "keys")))
_NUMBER = Statement(select(func.count()).where(_MINE, WAITING.c.put_aside.is_(False)))


def _waits(row: WaitingRow) -> Waits:
    return Waits(row.sentence, row.place, row.found, row.why, row.field, row.type)  # type: ignore[arg-type]


def _item(row: WaitingRow) -> Item:
    return Item(row.id, row.connection_id, row.message_id, row.number, row.key, row.at, _waits(row))


def put(
    session: Session, connection: int, message: int, items: Iterable[tuple[int, str, Waits]], now: Instant
) -> None:
    """Put items down that wait: each with its number in the message and the key it is known by."""
    rows = [
        {
            "connection_id": connection,
            "message_id": message,
            "number": number,
            "key": key,
            "type": waits.type,
            "why": waits.why,
            "field": waits.field,
            "place": waits.place,
            "found": waits.found,
            "sentence": waits.sentence,
            "at": now,
            "put_aside": False,
        }
        for number, key, waits in items
    ]
    if rows:
        session.connection().execute(insert(WaitingRow).on_conflict_do_nothing(), rows)


def known(session: Session, connection: int, keys: Collection[str]) -> set[str]:
    """Those among the keys under which something waits already, or was put aside."""
    if not keys:
        return set()
    return {row.key for row in _KNOWN.rows(session, connection=connection, keys=list(keys))}


def number(session: Session, connection: int) -> int:
    return _NUMBER.scalar(session, connection=connection) or 0


def numbers(session: Session) -> dict[int, int]:
    """How many items wait, by connection."""
    query = select(WaitingRow.connection_id, func.count()).where(_OPEN).group_by(WaitingRow.connection_id)
    return {connection: count for connection, count in session.execute(query)}


def groups(session: Session) -> list[Group]:
    """What waits, put together by what would help, the newest first; only of connections that are on.

    What was found somewhere and has no meaning yet is one group; of the rest what is wrong in the same way.
    """
    # What was found matters where its meaning is asked for; elsewhere it differs from item to item.
    text = func.iif(WaitingRow.why.in_(("unmapped", "unknown")), WaitingRow.found, None)
    columns = (WaitingRow.connection_id, WaitingRow.why, WaitingRow.field, WaitingRow.place, text)
    query = (
        select(func.max(WaitingRow.id), func.count())
        .join(ConnectionRow, ConnectionRow.id == WaitingRow.connection_id)
        .where(_OPEN, ConnectionRow.state == "on")
        .group_by(*columns)
        .order_by(func.max(WaitingRow.id).desc())
    )
    found = []
    for id, count in session.execute(query).all():
        row = session.get_one(WaitingRow, id)
        found.append(Group(row.connection_id, count, row.at, id, _waits(row)))
    return found


def group_number(session: Session) -> int:
    return len(groups(session))


def like(session: Session, id: int) -> list[Item]:
    """The items of the same group as this one, the oldest first."""
    row = session.get(WaitingRow, id)
    if row is None:
        return []
    same = [
        WaitingRow.connection_id == row.connection_id,
        WaitingRow.why == row.why,
        WaitingRow.field == row.field,
        WaitingRow.place.is_not_distinct_from(row.place),
    ]
    if row.why in ("unmapped", "unknown"):
        same.append(WaitingRow.found.is_not_distinct_from(row.found))
    return _items(session, *same)


def of_connection(session: Session, connection: int, whys: Collection[str] = ()) -> list[Item]:
    """What waits of a connection, the oldest first; of all reasons unless some are named."""
    named = [WaitingRow.why.in_(whys)] if whys else []
    return _items(session, WaitingRow.connection_id == connection, *named)


def is_open(session: Session, id: int) -> bool:
    """Whether it still waits."""
    row = session.get(WaitingRow, id)
    return row is not None and not row.put_aside


def _items(session: Session, *which: ColumnElement[bool]) -> list[Item]:
    query = select(WaitingRow).where(*which, _OPEN).order_by(WaitingRow.message_id, WaitingRow.number)
    return [_item(row) for row in session.scalars(query)]


def any_like(session: Session, whys: Collection[str]) -> bool:
    """Whether anything waits for one of these reasons, of connections that are on."""
    on = select(ConnectionRow.id).where(ConnectionRow.state == "on")
    query = select(WaitingRow.id).where(_OPEN, WaitingRow.why.in_(whys), WaitingRow.connection_id.in_(on))
    return session.scalar(query.limit(1)) is not None


def let_go(session: Session, ids: Collection[int]) -> None:
    """These wait no longer: they have become events."""
    session.execute(delete(WaitingRow).where(WaitingRow.id.in_(ids)))


def renew(session: Session, id: int, waits: Waits) -> None:
    """An item still waits, perhaps for something else than before."""
    session.execute(
        update(WaitingRow)
        .where(WaitingRow.id == id)
        .values(
            type=waits.type,
            why=waits.why,
            field=waits.field,
            place=waits.place,
            found=waits.found,
            sentence=waits.sentence,
        )
    )


def put_aside(session: Session, ids: Collection[int]) -> None:
    """The owner does not want these; their repeats are known all the same."""
    session.execute(update(WaitingRow).where(WaitingRow.id.in_(ids)).values(put_aside=True))
