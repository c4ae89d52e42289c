"""Students as a message describes them: found by their address, or made; what is known of them stays as it is."""

from __future__ import annotations

from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.file import Student
from patient_courier.store.base.plain import STUDENTS
from patient_courier.store.base.statements import Statement, given
from patient_courier.store.base.tables import ConsentRow, StudentRow
from patient_courier.store.students import consents, people
from patient_courier.store.students.adding import add_student
from patient_courier.store.students.consents import Source

_FILLED = ("first_name", "last_name", "timezone")
# Asked for with every item.
_KNOWN = Statement(
    select(*(STUDENTS.c[name] for name in ("id", "key", *_FILLED, "fields", "news")))
    .where(func.lower(STUDENTS.c.email) == func.lower(given("who")))
    .limit(1)
)


def known_or_new(session: Session, who: dict[str, Any], now: Instant, source: Source) -> str:
    """The key of the student with this address. A message fills what is empty of them and changes nothing that is there.

    ``who`` has ``email`` and may have names, ``timezone``, ``fields`` and ``news``, which is only ever true. Whoever has
    stopped news is not signed up again by it.
    """
    known = _KNOWN.first(session, who=who["email"])
    if known is None:
        key = people.free_key(session, who["email"])
        add_student(session, Student.model_validate({**who, "key": key}), now, source)
        return key
    values = {name: who[name] for name in _FILLED if who.get(name) and not getattr(known, name)}
    empty = {
        name: value for name, value in who.get("fields", {}).items() if known.fields.get(name) in (None, "")
    }
    if empty:
        values["fields"] = {**known.fields, **empty}
    if who.get("news") and not known.news and not _has_stopped(session, known.id):
        values |= {"news": True, "news_at_first": True}
        consents.note(session, [known.id], "news_on", now, source)
    if values:
        people.change(session, known.id, **values)
    found: str = known.key
    return found


def _has_stopped(session: Session, id: int) -> bool:
    query = select(ConsentRow.id).where(ConsentRow.student_id == id, ConsentRow.what == "news_off").limit(1)
    return session.scalar(query) is not None


def never_write(session: Session, id: int) -> bool:
    """Whether a student has reported a letter as unwanted, or their address does not work."""
    row = session.get_one(StudentRow, id)
    return row.complained or row.bounced
