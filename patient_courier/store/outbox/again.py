"""Deliveries that the owner sends again by hand: a row of their own beside the first."""

from __future__ import annotations

from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions, ReadyLetter
from patient_courier.core.engine.fields import Source
from patient_courier.core.engine.guards import field_values, subject_line, unready
from patient_courier.core.engine.state import StudentState
from patient_courier.store.base.tables import DeliveryRow
from patient_courier.store.engine.loading import load_states
from patient_courier.store.outbox.renewing import about_delivery


def found(
    session: Session, definitions: Definitions, id: int
) -> tuple[DeliveryRow, StudentState, str | None] | None:
    """A delivery, its student's state and the course it is about; None when there is no such delivery."""
    row = session.get(DeliveryRow, id)
    if row is None:
        return None
    state = load_states(session, [row.student_id], definitions)[row.student_id]
    return row, state, about_delivery(session, state, row)[2]


def written(
    session: Session, definitions: Definitions, row: DeliveryRow, state: StudentState, now: Instant
) -> tuple[ReadyLetter, dict[str, Any], str, str | None]:
    """The newest text for the student now: letter, values, subject, and the reason code that stands against the text."""
    subject, event_at, _ = about_delivery(session, state, row)
    letter = definitions.letters[row.letter]
    values = field_values(letter, Source(definitions, state, subject, event_at), now)
    against = unready(letter, values, state.zone)
    return letter, values, subject_line(letter, values, state.zone), against.reason if against else None


def put(
    session: Session,
    row: DeliveryRow,
    letter: ReadyLetter,
    values: dict[str, Any],
    subject: str,
    now: Instant,
    by: str,
) -> int:
    """Queue it once more; returns the new delivery's id."""
    first = row.again_of or row.id
    times = session.scalar(select(func.count()).where(DeliveryRow.again_of == first)) or 0
    source = row if row.again_of is None else session.get_one(DeliveryRow, first)
    again = DeliveryRow(
        student_id=row.student_id,
        run=row.run,
        step=row.step,
        round=f"{source.round}~{times + 1}",
        sequence=row.sequence,
        letter=row.letter,
        letter_version=letter.version,
        purpose=letter.letter.purpose,
        status="queued",
        reason=None,
        subject=subject,
        at=now,
        recipients=row.recipients,
        holds=[],
        values=values,
        story=row.story,
        broadcast=row.broadcast,
        course=row.course,
        again_of=first,
        sent_by=by,
    )
    session.add(again)
    session.flush()
    return again.id
