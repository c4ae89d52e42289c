"""Making the HTTP calls that steps ask for, signed after Standard Webhooks, again and again until they are taken.

A practice school calls nobody: its calls are kept, to be looked at. The message
id of a call is always the same, so that a receiver can tell a repetition.
"""

from __future__ import annotations

import json
from datetime import UTC
from typing import Any

import httpx
import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session

from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.intake.signature import sign
from patient_courier.store.database import Database
from patient_courier.store.tables import CallRow, RunRow, StudentRow

log = structlog.get_logger()
TIMEOUT_SECONDS = 15.0
MOST_TRIES = 12
FIRST_RETRY_SECONDS, LONGEST_RETRY_SECONDS = 60, 6 * 3600


class Caller:
    """Makes what calls are queued."""

    def __init__(self, database: Database, secret: str) -> None:
        self._database = database
        self._secret = secret

    def waiting(self) -> bool:
        return bool(self._next())

    def empty(self) -> None:
        """Make every call that is queued and not waiting for another try."""
        for id in self._next():
            self._make(id)

    def _next(self) -> list[int]:
        ready = (CallRow.retry.is_(None)) | (CallRow.retry <= real_now())
        with self._database.reading() as session:
            query = select(CallRow.id).where(CallRow.status == "queued", ready).order_by(CallRow.id)
            return list(session.scalars(query.limit(50)))

    def _make(self, id: int) -> None:
        with self._database.writing() as session:
            row = session.get_one(CallRow, id)
            row.tries += 1
            if read_clock(session).practice:
                row.status = "kept"
                return
            url, tries, body = row.url, row.tries, json.dumps(call_body(session, row), ensure_ascii=False)
        headers = sign(self._secret, f"call_{id}", real_now().to_stdlib().astimezone(UTC), body)
        try:
            answer = httpx.post(url, content=body.encode(), headers=headers, timeout=TIMEOUT_SECONDS)
            reason = None if answer.is_success else f"answered {answer.status_code}"
        except httpx.HTTPError as error:
            reason = f"not reached: {error}"
        self._settle(id, tries, reason)

    def _settle(self, id: int, tries: int, reason: str | None) -> None:
        with self._database.writing() as session:
            row = session.get_one(CallRow, id)
            row.reason = reason
            if reason is None:
                row.status, row.retry = "sent", None
            elif tries >= MOST_TRIES:
                row.status, row.retry = "failed", None
            else:
                pause = min(FIRST_RETRY_SECONDS * 2 ** (tries - 1), LONGEST_RETRY_SECONDS)
                row.retry = real_now().add(seconds=pause)
        if reason is not None:
            log.warning("call not taken", call=id, reason=reason, tries=tries)


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
