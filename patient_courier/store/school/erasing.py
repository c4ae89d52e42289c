"""Everything that is known about one student; and forgetting it, but for numbers without a person."""

from __future__ import annotations

import json
from collections import Counter
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Date, Instant

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.school.values import Money, moment_text
from patient_courier.store.base.plain import DELIVERIES, MAIL, STUDENTS, VISITS
from patient_courier.store.base.tables import (
    DeliveryRow,
    ErasedRow,
    MailRow,
    ProblemRow,
    StudentRow,
    Table,
    TroubleRow,
)
from patient_courier.store.completion import issuing
from patient_courier.store.connections import messages
from patient_courier.store.destinations import api_keys
from patient_courier.store.letters.outcomes import OUTCOMES
from patient_courier.store.overview import notices
from patient_courier.store.students import sign_ups

# What is counted of a broadcast's letters; the others follow from these or are no end.
_KEPT = (
    "posted",
    "delivered",
    "opened",
    "not_opened",
    "clicked",
    "answered",
    "stopped",
    "complained",
    "bounced",
    "not_posted",
)


def everything(session: Session, id: int) -> dict[str, Any]:
    """All rows about a student, by table, as plain JSON data; moments in RFC 3339."""
    found: dict[str, Any] = {
        "student": _plain(session.execute(select(STUDENTS).where(STUDENTS.c.id == id)).one())
    }
    for table in Table.metadata.sorted_tables:
        if "student_id" in table.c:
            rows = session.execute(select(table).where(table.c.student_id == id)).all()
            found[table.name] = [_plain(row) for row in rows]
    own = select(DeliveryRow.id).where(DeliveryRow.student_id == id)
    opened = session.execute(select(VISITS).where(VISITS.c.delivery_id.in_(own)).order_by(VISITS.c.id))
    found["visits"] = [_plain(row) for row in opened]
    address = found["student"]["email"].lower()
    asked = select(MAIL.c.sent, MAIL.c.subject).where(MAIL.c.recipient == address)
    found["mailroom"] = [_plain(row) for row in session.execute(asked)]
    return found


def _plain(row: Any) -> dict[str, Any]:
    hidden = ("student_id", "claimed", "begun")
    return {name: _value(value) for name, value in row._mapping.items() if name not in hidden}


def _value(value: Any) -> Any:
    match value:
        case Instant():
            return moment_text(value)
        case Date():
            return value.format_iso()
        case Duration():
            return str(value)
        case Money():
            return {"amount": str(value.amount), "currency": value.currency}
        case dict():
            return {name: _value(one) for name, one in value.items()}
        case list() | tuple():
            return [_value(one) for one in value]
        case _:
            return value


def erase(session: Session, id: int) -> None:
    """Forget a student. What stays are counts: how many letters of which step and broadcast came to what.

    The ids of what the course site reported stay known too, so that a repeated report brings nobody back.
    """
    row = session.get_one(StudentRow, id)
    _count(session, id)
    issuing.keep_void(session, id)
    session.execute(delete(MailRow).where(MailRow.recipient == row.email.lower()))
    session.execute(delete(TroubleRow).where(TroubleRow.recipient == row.email.lower()))
    for problem in session.scalars(select(ProblemRow)):
        if row.email.lower() in json.dumps(problem.body, ensure_ascii=False).lower():
            session.delete(problem)
    messages.forget(session, row.email)
    sign_ups.forget(session, row.email)
    api_keys.forget(session, row.email)
    notices.forget_student(session, id)
    session.execute(delete(StudentRow).where(StudentRow.id == id))


def _count(session: Session, id: int) -> None:
    counts: Counter[tuple[str, str, str]] = Counter()
    mine = (DELIVERIES.c.student_id == id, DELIVERIES.c.recipients.is_(None))
    for sequence, step, status in session.execute(
        select(DELIVERIES.c.sequence, DELIVERIES.c.step, DELIVERIES.c.status).where(
            *mine, DELIVERIES.c.broadcast.is_(None)
        )
    ):
        counts[sequence, step, status] += 1
    for name in _KEPT:
        for (key,) in session.execute(
            select(DELIVERIES.c.broadcast).where(*mine, DELIVERIES.c.broadcast.is_not(None), OUTCOMES[name])
        ):
            counts[key, "", name] += 1
    put = insert(ErasedRow)
    statement = put.on_conflict_do_update(
        index_elements=["of", "step", "outcome"], set_={"number": ErasedRow.number + put.excluded.number}
    )
    rows = [
        {"of": of, "step": step, "outcome": outcome, "number": number}
        for (of, step, outcome), number in counts.items()
    ]
    if rows:
        session.connection().execute(statement, rows)
