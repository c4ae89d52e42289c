"""Writing down what destinations are told, in the transaction of what causes it: so it is neither lost nor told for nothing."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Connection, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from patient_courier.core.destinations.told import News, hears, message
from patient_courier.store.base.plain import DESTINATIONS, STUDENTS
from patient_courier.store.base.statements import Statement, one_of
from patient_courier.store.base.tables import OutgoingRow
from patient_courier.store.base.tables.destinations import message_key

# Asked at everything that happens: made once, over the plain tables.
_HEARING = Statement(
    select(DESTINATIONS.c.id, DESTINATIONS.c.kinds, DESTINATIONS.c.courses).where(
        DESTINATIONS.c.state != "ended"
    )
)
_WHO = Statement(
    select(
        STUDENTS.c.id, STUDENTS.c.key, STUDENTS.c.email, STUDENTS.c.first_name, STUDENTS.c.last_name
    ).where(one_of(STUDENTS.c.id, "ids"))
)


@dataclass(frozen=True, slots=True)
class Hearing:
    """A destination that hears of what happens: of which kinds, about which courses (none: all)."""

    id: int
    kinds: tuple[str, ...]
    courses: tuple[str, ...]


def lane_of(destination: int) -> str:
    """What the messages of a destination share their order and their pauses under."""
    return f"destination {destination}"


def hearing(connection: Connection | Session) -> list[Hearing]:
    """Who hears of anything; most schools have nobody."""
    return [Hearing(row.id, tuple(row.kinds), tuple(row.courses)) for row in _HEARING.rows(connection)]


def tell(connection: Connection | Session, who: Sequence[Hearing], news: Iterable[tuple[int, News]]) -> None:
    """Write down for each destination what it is told, in this order. ``news`` come with the row id of their student."""
    wanted = [
        (student, one, [dest for dest in who if hears(dest.kinds, dest.courses, one)])
        for student, one in news
    ]
    wanted = [found for found in wanted if found[2]]
    if not wanted:
        return
    people = _people(connection, {student for student, _, _ in wanted})
    rows = [
        {
            "key": message_key(),
            "lane": lane_of(dest.id),
            "destination_id": dest.id,
            "student_id": student,
            "type": one.kind,
            "at": one.at,
            "body": message(one, people[student]),
            "status": "queued",
            "tries": 0,
        }
        for student, one, destinations in wanted
        for dest in destinations
    ]
    under = connection.connection() if isinstance(connection, Session) else connection
    under.execute(insert(OutgoingRow), rows)


def _people(connection: Connection | Session, ids: Collection[int]) -> dict[int, Mapping[str, str | None]]:
    return {
        row.id: {
            "key": row.key,
            "email": row.email,
            "first_name": row.first_name,
            "last_name": row.last_name,
        }
        for row in _WHO.rows(connection, ids=list(ids))
    }
