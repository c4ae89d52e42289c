"""What went out to other programs, as the owner looks at it and lets it go out again."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import DestinationRow, OutgoingRow, OutgoingTryRow, RunRow, StudentRow
from patient_courier.store.destinations.outgoing import call_body


def again(session: Session, destination: int | None, id: int | None = None) -> int:
    """Let what was set aside or kept go out again under its id, or one message whatever became of it.

    ``destination`` None: the calls of steps. Returns how many.
    """
    mine = _of(destination)
    which = OutgoingRow.id == id if id is not None else OutgoingRow.status.in_(("failed", "kept"))
    done = session.execute(
        update(OutgoingRow)
        .where(mine, which, OutgoingRow.status != "queued")
        .values(status="queued", since=None, retry=None, tries=0, reason=None)
    )
    if id is not None:
        session.execute(update(OutgoingRow).where(mine, which).values(retry=None))
    return int(getattr(done, "rowcount", 0))


def _of(destination: int | None) -> ColumnElement[bool]:
    if destination is None:
        return OutgoingRow.destination_id.is_(None)
    return OutgoingRow.destination_id == destination


def is_queued(session: Session, id: int) -> bool:
    """Whether a message waits to be posted."""
    query = select(OutgoingRow.id).where(OutgoingRow.id == id, OutgoingRow.status == "queued")
    return session.scalar(query) is not None


@dataclass(frozen=True, slots=True)
class Logged:
    """A message as the owner may look at it, with its tries, the newest first. ``student`` None: a sample."""

    id: int
    key: str
    type: str
    at: Instant
    url: str
    sequence: str | None
    step: str | None
    student: str | None
    status: str
    reason: str | None
    retry: Instant | None
    body: Mapping[str, Any]
    tries: Sequence[OutgoingTryRow]


def log(
    session: Session, destination: int | None, most: int, before: int | None = None, status: str | None = None
) -> list[Logged]:
    """Messages of a destination (None: calls of steps), the newest first; ``before`` an id for the next page."""
    mine = _of(destination)
    query = (
        select(OutgoingRow, StudentRow.key, RunRow.sequence, DestinationRow.url)
        .outerjoin(StudentRow, StudentRow.id == OutgoingRow.student_id)
        .outerjoin(RunRow, RunRow.number == OutgoingRow.run)
        .outerjoin(DestinationRow, DestinationRow.id == OutgoingRow.destination_id)
        .where(mine)
        .order_by(OutgoingRow.id.desc())
        .limit(most)
    )
    if before is not None:
        query = query.where(OutgoingRow.id < before)
    if status is not None:
        query = query.where(OutgoingRow.status == status)
    rows = session.execute(query).all()
    tries: dict[int, list[OutgoingTryRow]] = {}
    made = select(OutgoingTryRow).where(OutgoingTryRow.outgoing_id.in_([row.id for row, *_ in rows]))
    for one in session.scalars(made.order_by(OutgoingTryRow.id.desc())):
        tries.setdefault(one.outgoing_id, []).append(one)
    return [
        Logged(
            row.id,
            row.key,
            row.type,
            row.at,
            to or row.url or "",
            sequence,
            row.step,
            student,
            row.status,
            row.reason,
            row.retry,
            json.loads(row.body) if row.body is not None else call_body(session, row),
            tries.get(row.id, []),
        )
        for row, student, sequence, to in rows
    ]
