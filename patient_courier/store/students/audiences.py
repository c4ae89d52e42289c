"""Audiences: conditions saved under a name; and how many students, and who, some conditions pick."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, and_, delete, func, select, true
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.broadcasting import settled
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.conditions import Condition
from patient_courier.store.base.tables import AudienceRow, StudentRow
from patient_courier.store.students.audience import test
from patient_courier.store.students.people import PAGE, Person, person_of, with_words

_CONDITION: TypeAdapter[Condition] = TypeAdapter(Condition)


# So many questions are remembered while they are paged through: a few owners, a few windows.
QUESTIONS = 8


@dataclass(frozen=True, slots=True)
class Audience:
    """A condition under a name; ``saved`` in real time, since a practice clock may stand between two changes."""

    key: str
    name: str
    saved: Instant
    condition: Condition


def _audience(row: AudienceRow) -> Audience:
    return Audience(row.key, row.name, row.saved, _CONDITION.validate_python(row.condition))


def every(session: Session) -> list[Audience]:
    """All audiences by name."""
    query = select(AudienceRow).order_by(func.lower(AudienceRow.name), AudienceRow.key)
    return [_audience(row) for row in session.scalars(query)]


def find(session: Session, key: str) -> Audience | None:
    row = session.get(AudienceRow, key)
    return _audience(row) if row else None


def save(session: Session, key: str, name: str, condition: Condition, now: Instant) -> None:
    """Keep a condition under a name, in the place of what was there."""
    values = {"name": name, "saved": now, "condition": condition.model_dump(mode="json", by_alias=True)}
    put = insert(AudienceRow).values(key=key, **values)
    session.execute(put.on_conflict_do_update(index_elements=["key"], set_=values))


def as_kept(session: Session, key: str) -> dict[str, Any] | None:
    """What is written down of it when it changes (store/base/watching.py)."""
    row = session.get(AudienceRow, key)
    return {"name": row.name, "condition": row.condition} if row else None


def remove(session: Session, key: str) -> None:
    session.execute(delete(AudienceRow).where(AudienceRow.key == key))


def counts(
    session: Session,
    definitions: Definitions,
    lines: Iterable[Condition],
    course: str | None,
    now: Instant,
) -> list[int]:
    """How many students are left after each line, the whole school first."""
    tests: list[ColumnElement[bool]] = []
    found = [session.scalar(select(func.count()).select_from(StudentRow)) or 0]
    for line in lines:
        tests.append(test(settled(line, course), definitions, now))
        found.append(session.scalar(select(func.count()).select_from(StudentRow).where(and_(*tests))) or 0)
    return found


def members(
    session: Session,
    definitions: Definitions,
    condition: Condition | None,
    course: str | None,
    now: Instant,
    paging: Paging,
    *,
    words: str = "",
    page: int = 1,
    without: Sequence[str] | None = None,
) -> tuple[int, list[Person]]:
    """Whom a condition picks, a page of them in the order of the school, and how many there are.

    ``without``: only these of them. Further pages are cut from what the first one found.
    """

    def ask() -> list[int]:
        query = select(StudentRow.id).where(picks(definitions, condition, course, now))
        if without is not None:
            query = query.where(StudentRow.key.in_(without))
        return list(session.scalars(with_words(query, words).order_by(StudentRow.id)))

    asked = condition.model_dump_json(by_alias=True) if condition is not None else ""
    found = paging.ids((asked, course, words, tuple(without) if without is not None else None), page, ask)
    some = found[(page - 1) * PAGE : page * PAGE]
    rows = session.scalars(select(StudentRow).where(StudentRow.id.in_(some)).order_by(StudentRow.id))
    return len(found), [person_of(row) for row in rows]


class Paging:
    """Who was found for the questions that are being paged through: row ids, so that nobody is missed between pages."""

    def __init__(self) -> None:
        self._found: OrderedDict[Hashable, list[int]] = OrderedDict()

    def ids(self, question: Hashable, page: int, ask: Callable[[], list[int]]) -> list[int]:
        """Those found for the question: asked anew with the first page, remembered for the others."""
        if page > 1 and question in self._found:
            self._found.move_to_end(question)
            return self._found[question]
        self._found[question] = found = ask()
        self._found.move_to_end(question)
        while len(self._found) > QUESTIONS:
            self._found.popitem(last=False)
        return found


def picks(
    definitions: Definitions, condition: Condition | None, course: str | None, now: Instant
) -> ColumnElement[bool]:
    """A condition about a course as an SQL expression over students; None is everyone."""
    return true() if condition is None else test(settled(condition, course), definitions, now)


def ids(
    session: Session, definitions: Definitions, condition: Condition | None, now: Instant, words: str
) -> list[int]:
    """The row ids of all whom a condition and some words pick, in the order of the school."""
    query = with_words(select(StudentRow.id).where(picks(definitions, condition, None, now)), words)
    return list(session.scalars(query.order_by(StudentRow.id)))


def zones(
    session: Session, definitions: Definitions, condition: Condition | None, course: str | None, now: Instant
) -> dict[str, int]:
    """How many of those whom a condition picks live in which zone; who gave none lives in the school's."""
    zone: Any = func.coalesce(StudentRow.timezone, definitions.school.timezone)
    rows = session.execute(
        select(zone, func.count()).where(picks(definitions, condition, course, now)).group_by(zone)
    )
    return dict(rows.all())
