"""Calls in the tables: queued, made, kept in a practice school."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.tables import CallRow, RunRow, StudentRow

MOST = 50


@dataclass(frozen=True, slots=True)
class Call:
    """A call to be made now, for the so-manieth time."""

    url: str
    tries: int
    body: dict[str, Any]


@dataclass(frozen=True, slots=True)
class Kept:
    """A call as the owner may look at it: what it says, and what became of it."""

    id: int
    url: str
    at: Instant
    sequence: str
    step: str
    student: str
    status: str
    reason: str | None
    body: dict[str, Any]


def queued(session: Session, now: Instant) -> Sequence[int]:
    """The calls that are to be made now, the oldest first."""
    ready = (CallRow.retry.is_(None)) | (CallRow.retry <= now)
    query = select(CallRow.id).where(CallRow.status == "queued", ready).order_by(CallRow.id)
    return session.scalars(query.limit(MOST)).all()


def next_retry(session: Session) -> Instant | None:
    """When the next call that was not taken is to be made again (real time)."""
    waiting = select(CallRow.retry).where(CallRow.status == "queued", CallRow.retry.is_not(None))
    return session.scalar(waiting.order_by(CallRow.retry).limit(1))


def begin(session: Session, id: int, *, practice: bool) -> Call | None:
    """Count a try; None when the call is not to be made: a practice school keeps it."""
    row = session.get_one(CallRow, id)
    if row.status != "queued":
        return None
    row.tries += 1
    if practice:
        row.status = "kept"
        return None
    return Call(row.url, row.tries, call_body(session, row))


def settle(session: Session, id: int, reason: str | None, retry: Instant | None) -> None:
    """What became of a call: taken (no reason), to be tried again (``retry``), or given up."""
    row = session.get_one(CallRow, id)
    row.reason, row.retry = reason, retry
    row.status = "sent" if reason is None else "queued" if retry else "failed"


def kept(session: Session, most: int, before: int | None = None) -> list[Kept]:
    """Calls, the newest first; ``before`` an id for the next page."""
    query = select(CallRow).order_by(CallRow.id.desc()).limit(most)
    if before is not None:
        query = query.where(CallRow.id < before)
    found = []
    for row in session.scalars(query):
        body = call_body(session, row)
        found.append(
            Kept(
                row.id,
                row.url,
                row.at,
                body["sequence"],
                row.step,
                body["student"]["key"],
                row.status,
                row.reason,
                body,
            )
        )
    return found


def call_body(session: Session, row: CallRow) -> dict[str, Any]:
    """What a call tells: who, in which run and step, about what. Times are RFC 3339 in UTC."""
    student = session.get_one(StudentRow, row.student_id)
    run = session.get_one(RunRow, row.run)
    return {
        "type": "call",
        "at": row.at.format_iso(),
        "sequence": run.sequence,
        "step": row.step,
        "round": row.round,
        "started": run.started.format_iso(),
        "subject": dict(run.subject["objects"]) if run.subject else None,
        "student": {
            "key": student.key,
            "email": student.email,
            "first_name": student.first_name,
            "last_name": student.last_name,
            "timezone": student.timezone,
            "fields": student.fields,
        },
    }
