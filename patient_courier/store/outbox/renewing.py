"""Deliveries that have not gone out yet, in the newest text of their letter with the student's values of now."""

from __future__ import annotations

from collections.abc import Collection

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import Source
from patient_courier.core.engine.guards import field_values, refusal, subject_line, unready
from patient_courier.core.engine.happening import Subject, course_of
from patient_courier.core.engine.state import StudentState
from patient_courier.store.base.tables import DeliveryRow
from patient_courier.store.broadcasts.broadcasts import about
from patient_courier.store.engine.loading import load_states

log = structlog.get_logger()


def renew(session: Session, definitions: Definitions, ids: Collection[int]) -> dict[int, str | None]:
    """Give deliveries the newest text; who gets them and when was decided before.

    Returns the reason code that stands against it for each, None for those that can go out: a field without a value, a
    note to self. Nothing of those is changed.
    """
    rows = session.scalars(select(DeliveryRow).where(DeliveryRow.id.in_(ids)).order_by(DeliveryRow.id)).all()
    states = load_states(session, {row.student_id for row in rows}, definitions)
    found: dict[int, str | None] = {}
    for row in rows:
        try:
            found[row.id] = _renewed(session, definitions, states[row.student_id], row)
        except Exception as error:
            # What is wrong with one letter must not keep the others of its lot back.
            log.exception("a letter can't be filled anew", delivery=row.id)
            found[row.id] = f"not_drawn: {type(error).__name__}"
    return found


def renew_asking(session: Session, definitions: Definitions, row: DeliveryRow) -> str | None:
    """The same for a delivery that the owner wants posted after all: the refusals are asked as well, and come first."""
    state = load_states(session, [row.student_id], definitions)[row.student_id]
    if not row.recipients:
        _, _, course = about_delivery(session, state, row)
        against = refusal(definitions.letters[row.letter], state, course, row.at)
        if against is not None:
            return against.reason
    return _renewed(session, definitions, state, row)


def _renewed(session: Session, definitions: Definitions, state: StudentState, row: DeliveryRow) -> str | None:
    subject, event_at, _ = about_delivery(session, state, row)
    letter = definitions.letters[row.letter]
    values = field_values(letter, Source(definitions, state, subject, event_at), row.at)
    against = unready(letter, values, state.zone)
    if against is not None:
        return against.reason
    row.values, row.letter_version = values, letter.version
    row.subject = subject_line(letter, values, state.zone)
    return None


def about_delivery(
    session: Session, state: StudentState, row: DeliveryRow
) -> tuple[Subject | None, Instant | None, str | None]:
    """What a delivery is about, when what it is about happened, and the course of it."""
    if row.broadcast is not None:
        return *about(session, row.broadcast), row.course
    run = next(run for run in state.runs if run.number == row.run)
    return run.subject, run.event_at, course_of(run.subject)
