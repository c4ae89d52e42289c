"""What goes out to other programs: which messages are ready, in which lane, and what became of each try.

A lane is a destination, or the origin of the addresses that steps call. In it, the messages about one student go out in
the order in which they came about: one that waits for another try holds back those behind it, and nobody else's.
"""

from __future__ import annotations

import json
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, delete, insert, or_, select, update
from sqlalchemy.orm import Session, aliased
from whenever import Instant

from patient_courier.core.destinations import patience
from patient_courier.store.base.tables import (
    DestinationRow,
    OutgoingRow,
    OutgoingTryRow,
    RunRow,
    StudentRow,
)
from patient_courier.store.destinations import destinations
from patient_courier.store.destinations.hearing import lane_of

KEPT_DAYS = 30
# How often somebody may have tried before what is old is looked for again.
MOST_FORGOTTEN = 1_000
GONE = 410


@dataclass(frozen=True, slots=True)
class Ready:
    """A message to be posted now. ``secrets`` sign it, the newest first; none: the school's own for calls."""

    id: int
    key: str
    student: int | None
    url: str
    body: str
    secrets: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Tried:
    """What came of one try, in real time: the status and the beginning of the answer, or why there was none.

    ``asked`` is how many seconds the receiver asks to wait, ``took`` is in ms.
    """

    id: int
    at: Instant
    status: int | None
    answer: str
    took: int
    reason: str | None
    asked: float | None = None


def _ready(now: Instant) -> Any:
    """Queued messages that may go out: no earlier one about the same student waits, nor does their destination stand still."""
    before = aliased(OutgoingRow)
    held = select(before.id).where(
        before.lane == OutgoingRow.lane,
        before.status == "queued",
        before.student_id == OutgoingRow.student_id,
        before.id < OutgoingRow.id,
        before.retry > now,
    )
    still = select(DestinationRow.id).where(DestinationRow.state != "on")
    return and_(
        OutgoingRow.status == "queued",
        or_(OutgoingRow.retry.is_(None), OutgoingRow.retry <= now),
        or_(OutgoingRow.destination_id.is_(None), OutgoingRow.destination_id.not_in(still)),
        ~held.exists(),
    )


def lanes(session: Session, now: Instant) -> list[str]:
    """The lanes in which something is ready."""
    return list(session.scalars(select(OutgoingRow.lane).where(_ready(now)).distinct()))


def next_retry(session: Session, now: Instant) -> Instant | None:
    """When the next message that was not taken is to be tried again (real time)."""
    still = select(DestinationRow.id).where(DestinationRow.state != "on")
    waiting = select(OutgoingRow.retry).where(
        OutgoingRow.status == "queued",
        OutgoingRow.retry > now,
        or_(OutgoingRow.destination_id.is_(None), OutgoingRow.destination_id.not_in(still)),
    )
    return session.scalar(waiting.order_by(OutgoingRow.retry).limit(1))


def ready(session: Session, lane: str, now: Instant, most: int) -> list[Ready]:
    """What may go out in a lane, the oldest first. A call's body is made here, and stays as it is from then on."""
    query = (
        select(OutgoingRow, DestinationRow)
        .outerjoin(DestinationRow, DestinationRow.id == OutgoingRow.destination_id)
        .where(OutgoingRow.lane == lane, _ready(now))
        .order_by(OutgoingRow.id)
        .limit(most)
    )
    found = []
    for row, to in session.execute(query).all():
        if row.body is None:
            row.body = json.dumps(call_body(session, row), ensure_ascii=False)
        secrets: tuple[str, ...] = ()
        if to is not None:
            older = to.older if to.older and to.older_ends and to.older_ends > now else None
            secrets = (to.secret, older) if older else (to.secret,)
        url = to.url if to is not None else row.url or ""
        found.append(Ready(row.id, row.key, row.student_id, url, row.body, secrets))
    return found


def keep(session: Session, ids: Collection[int]) -> None:
    """A practice school keeps these instead of posting them."""
    session.execute(update(OutgoingRow).where(OutgoingRow.id.in_(ids)).values(status="kept"))


def settle(session: Session, tried: Sequence[Tried]) -> None:
    """What became of messages: taken, to be tried again, or set aside; and how their destinations stand since."""
    ids = [one.id for one in tried]
    rows = {row.id: row for row in session.scalars(select(OutgoingRow).where(OutgoingRow.id.in_(ids)))}
    # Whoever was erased meanwhile, and what was taken away, has no log.
    tries = [
        {"outgoing_id": x.id, "at": x.at, "status": x.status, "answer": x.answer, "took": x.took}
        for x in tried
        if x.id in rows
    ]
    if tries:
        session.execute(insert(OutgoingTryRow), tries)
    for one in tried:
        row = rows.get(one.id)
        if row is None or row.status != "queued":
            continue  # ended with its destination
        row.tries += 1
        row.reason = one.reason
        row.since = row.since or one.at
        to = session.get(DestinationRow, row.destination_id) if row.destination_id else None
        if one.reason is None:
            row.status, row.retry = "sent", None
            if to is not None:
                to.failing, to.last = None, one.at
            continue
        gone = one.status == GONE
        row.retry = None if gone else patience.again(row.tries, row.since, one.at, one.asked)
        row.status = "queued" if row.retry else "failed"
        if to is not None:
            _not_taken(session, to, one, gone=gone)


def _not_taken(session: Session, to: DestinationRow, one: Tried, *, gone: bool) -> None:
    session.flush()
    to.failing = to.failing or one.at
    if gone and to.state != "ended":
        destinations.end(session, to.id, "It answered 410: it is gone, and wants no more.")
    elif to.state == "on" and patience.stands_still(to.failing, one.at):
        destinations.pause(session, to.id, f"It has taken nothing for a day; the last time: {one.reason}.")


def forget_old(session: Session, now: Instant) -> None:
    """The log ends after thirty days (real time); what is queued stays."""
    old = (
        select(OutgoingTryRow.outgoing_id)
        .join(OutgoingRow, OutgoingRow.id == OutgoingTryRow.outgoing_id)
        .where(OutgoingTryRow.at < now.subtract(hours=24 * KEPT_DAYS), OutgoingRow.status != "queued")
        .order_by(OutgoingTryRow.id)
        .limit(MOST_FORGOTTEN)
    )
    session.execute(delete(OutgoingRow).where(OutgoingRow.id.in_(old)))


def put_sample(session: Session, destination: int, kind: str, body: str, at: Instant) -> int:
    """A message that nothing has caused; it goes out like the others. Returns its row."""
    row = OutgoingRow(
        lane=lane_of(destination), destination_id=destination, type=kind, at=at, body=body, status="queued"
    )
    session.add(row)
    session.flush()
    return row.id


def call_body(session: Session, row: OutgoingRow) -> dict[str, Any]:
    """What a call tells: who, in which run and step, about what. Times are RFC 3339 in UTC."""
    student = session.get_one(StudentRow, row.student_id)
    run = session.get(RunRow, row.run)
    return {
        "type": "call",
        "at": row.at.format_iso(),
        "sequence": run.sequence if run else None,
        "step": row.step,
        "round": row.round,
        "started": run.started.format_iso() if run else None,
        "subject": dict(run.subject["objects"]) if run and run.subject else None,
        "student": {
            "key": student.key,
            "email": student.email,
            "first_name": student.first_name,
            "last_name": student.last_name,
            "timezone": student.timezone,
            "fields": student.fields,
        },
    }
