"""What became of a broadcast: how many and who, for each thing that can be told of a letter."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from sqlalchemy import BigInteger, ColumnElement, Select, and_, exists, func, not_, select, type_coerce
from sqlalchemy.orm import Session

from patient_courier.store.people import PAGE, Person, person_of, with_words
from patient_courier.store.states import POSTED
from patient_courier.store.tables import DeliveryRow, ErasedRow, EventRow, PostingRow, ReadingRow, StudentRow

# A stop within so long of a letter is put down to it: common practice, no source.
BLAMED_NANOSECONDS = 3 * 86_400 * 10**9
_D: Any = DeliveryRow.__table__
_V: Any = EventRow.__table__
_L: Any = ReadingRow.__table__


def _read(column: Any) -> ColumnElement[bool]:
    return exists().where(_L.c.student_id == _D.c.student_id, _L.c.letter == _D.c.letter, column >= _D.c.at)


def _event(*types: str, within: bool) -> ColumnElement[bool]:
    found = [_V.c.student_id == _D.c.student_id, _V.c.type.in_(types), _V.c.at >= _D.c.at]
    if within:
        found.append(
            type_coerce(_V.c.at, BigInteger) <= type_coerce(_D.c.at, BigInteger) + BLAMED_NANOSECONDS
        )
    else:
        found.append(func.json_extract(_V.c["names"], "$.letter") == _D.c.letter)
    # Few have done it at all: asked first, once, from the index of types.
    anyone = _D.c.student_id.in_(select(_V.c.student_id).where(_V.c.type.in_(types)))
    return and_(anyone, exists().where(and_(*found)))


_SENT = _D.c.status == "sent"
OUTCOMES: dict[str, ColumnElement[bool]] = {
    "posted": _D.c.status.in_(POSTED),
    "delivered": _SENT,
    "opened": and_(_SENT, _read(_L.c.opened)),
    "not_opened": and_(_SENT, not_(_read(_L.c.opened))),
    "clicked": and_(_SENT, _read(_L.c.clicked)),
    "answered": and_(_SENT, _event("answered", within=False)),
    "stopped": and_(_SENT, _event("news_stopped", "course_help_stopped", "complained", within=True)),
    "bounced": _D.c.status == "bounced",
    "on_its_way": _D.c.status.in_(("queued", "posting")),
    "kept_back": _D.c.status == "held",
    "not_posted": _D.c.status == "skipped",
    "waits_for_you": _D.c.status.in_(("stuck", "unsure")),
}


def numbers(session: Session, key: str) -> dict[str, int]:
    """How many students each outcome is true of, those erased since included."""
    asked = [func.count().filter(test) for test in OUTCOMES.values()]
    row = session.execute(select(*asked).select_from(_D).where(_D.c.broadcast == key)).one()
    found = dict(zip(OUTCOMES, row, strict=True))
    gone = select(ErasedRow.outcome, ErasedRow.number).where(ErasedRow.of == key, ErasedRow.step == "")
    for outcome, number in session.execute(gone):
        found[outcome] += number
    return found


def undecided(session: Session, key: str) -> int:
    """How many on the list have had no decision at all yet."""
    decided = exists().where(_D.c.broadcast == key, _D.c.student_id == PostingRow.student_id)
    query = select(func.count()).where(PostingRow.broadcast == key, not_(PostingRow.done), not_(decided))
    return session.scalar(query) or 0


def reasons(session: Session, key: str, status: Collection[str]) -> list[tuple[str, str | None, int]]:
    """Why letters were not posted, or wait: (status, reason, how many), the most first."""
    number = func.count()
    rows = session.execute(
        select(_D.c.status, _D.c.reason, number)
        .where(_D.c.broadcast == key, _D.c.status.in_(status))
        .group_by(_D.c.status, _D.c.reason)
        .order_by(number.desc())
    )
    return [(status, reason, count) for status, reason, count in rows]


def people(
    session: Session, key: str, outcome: str, *, reason: str | None, words: str, page: int
) -> tuple[int, list[tuple[Person, int]]]:
    """The students an outcome is true of, a page of them with their delivery, and how many there are."""
    query: Select[Any] = (
        select(StudentRow, DeliveryRow.id)
        .join(DeliveryRow, DeliveryRow.student_id == StudentRow.id)
        .where(DeliveryRow.broadcast == key, OUTCOMES[outcome])
    )
    if reason:
        query = query.where(DeliveryRow.reason == reason)
    query = with_words(query, words)
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(StudentRow.id).subquery())
    )
    rows = session.execute(query.order_by(StudentRow.id).limit(PAGE).offset((page - 1) * PAGE))
    return total or 0, [(person_of(row), id) for row, id in rows]
