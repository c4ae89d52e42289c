"""The outbox in the tables: what is queued is claimed in lots, noted as begun, and settled.

Claiming is on the disk before the first of a lot goes out. That one has begun,
and what became of it, is noted so that it survives the end of the process; after
a power cut the lot is found as it was claimed.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, and_, bindparam, func, null, or_, select, text, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.columns import InstantColumn
from patient_courier.store.base.plain import (
    BROADCASTS,
    DELIVERIES,
    EVENTS,
    HELP_STOPS,
    LETTERS,
    RUNS,
    STUDENTS,
)
from patient_courier.store.base.statements import Statement, given
from patient_courier.store.base.tables import (
    WAITING_WORDS,
    DeliveryRow,
)
from patient_courier.store.outbox.posted import tell_posted


@dataclass(frozen=True, slots=True)
class Claimed:
    """A delivery that is to be handed over now; ``course`` is what its run or its broadcast is about."""

    id: int
    student_id: int
    student: str
    letter: str
    letter_version: int
    purpose: str
    at: Instant
    recipients: list[str] | None
    values: dict[str, Any]
    tries: int
    email: str
    name: str
    timezone: str | None
    course: str | None
    sequence: str | None
    tracked: bool
    step: str
    round: str
    broadcast: str | None
    run_began: Instant | None


@dataclass(frozen=True, slots=True)
class Since:
    """Why a letter must not go out any more, the student having ``stopped`` it; whether its text is still the ``newest``."""

    stopped: str | None
    newest: bool


_WAITING = text(f"deliveries.{WAITING_WORDS}")
_HALTED = select(BROADCASTS.c.key).where(BROADCASTS.c.status == "paused")
_READY = (
    select(DELIVERIES.c.id)
    .where(
        _WAITING,
        DELIVERIES.c.status == "queued",
        or_(DELIVERIES.c.broadcast.is_(None), DELIVERIES.c.broadcast.not_in(_HALTED)),
        or_(DELIVERIES.c.retry.is_(None), DELIVERIES.c.retry <= bindparam("now", type_=InstantColumn)),
    )
    .order_by(DELIVERIES.c.id)
    .limit(bindparam("most"))
)
_LOT = (
    select(
        DELIVERIES.c.id,
        DELIVERIES.c.student_id,
        DELIVERIES.c.letter,
        DELIVERIES.c.letter_version,
        DELIVERIES.c.purpose,
        DELIVERIES.c.at,
        DELIVERIES.c.recipients,
        DELIVERIES.c["values"],
        DELIVERIES.c.tries,
        DELIVERIES.c.course,
        DELIVERIES.c.sequence,
        DELIVERIES.c.step,
        DELIVERIES.c.round,
        DELIVERIES.c.broadcast,
        STUDENTS.c.tracked,
        STUDENTS.c.key.label("student"),
        STUDENTS.c.email,
        STUDENTS.c.first_name,
        STUDENTS.c.last_name,
        STUDENTS.c.timezone,
        RUNS.c.subject.label("about"),
        RUNS.c.event_at,
    )
    .join_from(DELIVERIES, STUDENTS, STUDENTS.c.id == DELIVERIES.c.student_id)
    .outerjoin(RUNS, RUNS.c.number == DELIVERIES.c.run)
    .where(DELIVERIES.c.id.in_(bindparam("ids", expanding=True)))
    .order_by(DELIVERIES.c.id)
)
_CLAIM = (
    update(DELIVERIES)
    .where(DELIVERIES.c.id.in_(bindparam("ids", expanding=True)))
    .values(
        status="posting", claimed=bindparam("start"), begun=False, tries=DELIVERIES.c.tries + 1, retry=None
    )
)
_BEGIN = Statement(
    update(DELIVERIES)
    .where(DELIVERIES.c.id == given("one"), DELIVERIES.c.status == "posting")
    .values(begun=True)
)
_SETTLE = Statement(
    update(DELIVERIES)
    .where(DELIVERIES.c.id == given("one"), DELIVERIES.c.status == "posting")
    .values(
        status=given("status"),
        reason=given("reason"),
        posted=given("posted", InstantColumn()),
        handed=given("handed", InstantColumn()),
        retry=given("retry", InstantColumn()),
        claimed=null(),
        begun=False,
    )
)
_BACK = (
    update(DELIVERIES)
    .where(
        DELIVERIES.c.id.in_(bindparam("ids", expanding=True)),
        DELIVERIES.c.status == "posting",
        DELIVERIES.c.begun.is_(False),
    )
    .values(status="queued", claimed=None, tries=DELIVERIES.c.tries - 1)
)
_NOW = Statement(
    select(STUDENTS.c.bounced, STUDENTS.c.complained, STUDENTS.c.news, HELP_STOPS.c.course, LETTERS.c.version)
    .select_from(STUDENTS)
    .join(LETTERS, LETTERS.c.key == given("letter"))
    .outerjoin(
        HELP_STOPS, and_(HELP_STOPS.c.student_id == STUDENTS.c.id, HELP_STOPS.c.course == given("course"))
    )
    .where(STUDENTS.c.id == given("student"))
)


def all_waiting(session: Session) -> list[Claimed]:
    """Every letter that is decided and not handed over yet, the oldest first."""
    query = select(DELIVERIES.c.id).where(_WAITING, DELIVERIES.c.status.in_(("queued", "posting")))
    ids = list(session.scalars(query))
    # No longer lists than SQLite takes.
    return [one for start in range(0, len(ids), 1000) for one in read(session, ids[start : start + 1000])]


def is_waiting(session: Session, now: Instant) -> bool:
    """Whether something is queued that can be posted now, or is being posted."""
    posting = select(DELIVERIES.c.id).where(_WAITING, DELIVERIES.c.status == "posting").limit(1)
    return session.execute(_READY, {"now": now, "most": 1}).first() is not None or (
        session.execute(posting).first() is not None
    )


def waiting(session: Session) -> int:
    """How many letters are decided and not handed over yet."""
    query = select(func.count()).where(_WAITING, DELIVERIES.c.status.in_(("queued", "posting")))
    return session.scalar(query) or 0


def oldest_waiting(session: Session) -> Instant | None:
    """Since when (school time) the oldest letter waits that is decided and not handed over."""
    query = select(func.min(DELIVERIES.c.at)).where(_WAITING, DELIVERIES.c.status.in_(("queued", "posting")))
    return session.scalar(query)


def newest_event(session: Session) -> Instant | None:
    """When the last of the newest events happened, by those who reported them."""
    newest = select(EVENTS.c.at).order_by(EVENTS.c.number.desc()).limit(20)
    return max(session.scalars(newest), default=None)


def waiting_of(session: Session, letter: str) -> int:
    """How many deliveries of a letter are decided and not handed over yet: they go out in its newest text."""
    query = select(func.count()).where(
        _WAITING, DELIVERIES.c.letter == letter, DELIVERIES.c.status.in_(("queued", "posting"))
    )
    return session.scalar(query) or 0


def next_retry(session: Session) -> Instant | None:
    """When the next failed delivery is to be tried again (real time)."""
    waiting = select(DeliveryRow.retry).where(
        _WAITING, DeliveryRow.status == "queued", DeliveryRow.retry.is_not(None)
    )
    return session.scalar(waiting.order_by(DeliveryRow.retry).limit(1))


def claim(session: Session, now: Instant, start: str | None, most: int) -> list[Claimed]:
    """Take up to ``most`` queued deliveries to be posted, the oldest first. ``start`` names this start of the computer."""
    ids = list(session.execute(_READY, {"now": now, "most": most}).scalars())
    if not ids:
        return []
    session.connection().execute(_CLAIM, {"ids": ids, "start": start})
    return read(session, ids)


def read(session: Session, ids: Collection[int]) -> list[Claimed]:
    """Deliveries as they stand, the oldest first."""
    return [_claimed(row) for row in session.execute(_LOT, {"ids": list(ids)})]


def _claimed(row: Any) -> Claimed:
    objects = dict(row.about["objects"]) if row.about else {}
    return Claimed(
        id=row.id,
        student_id=row.student_id,
        student=row.student,
        letter=row.letter,
        letter_version=row.letter_version,
        purpose=row.purpose,
        at=row.at,
        recipients=row.recipients,
        values=row.values,
        tries=row.tries,
        email=row.email,
        name=" ".join(x for x in (row.first_name, row.last_name) if x),
        timezone=row.timezone,
        course=row.course or objects.get("course"),
        sequence=row.sequence or None,
        tracked=row.tracked,
        step=row.step,
        round=row.round,
        broadcast=row.broadcast,
        run_began=row.event_at,
    )


def since_claimed(connection: Connection, one: Claimed) -> Since:
    """What has changed for a letter since it was decided or drawn: moments lie between, or hours while a mail server
    takes nothing."""
    row = _NOW.first(connection, student=one.student_id, course=one.course, letter=one.letter)
    stopped = None
    if one.recipients is None:
        if row.bounced:
            stopped = "address_bounced"
        elif row.complained:
            stopped = "complained"
        elif one.purpose == "news" and not row.news:
            stopped = "news_off"
        elif one.purpose == "course_help" and row.course is not None:
            stopped = "course_help_off"
    return Since(stopped, newest=row.version == one.letter_version)


def note_begun(connection: Connection, id: int) -> bool:
    """Note that handing it over begins; False when somebody else has settled it."""
    return _BEGIN.run(connection, one=id) == 1


def settle(
    connection: Connection,
    id: int,
    status: str,
    reason: str | None = None,
    *,
    posted: Instant | None = None,
    handed: Instant | None = None,
    retry: Instant | None = None,
) -> None:
    """What became of a delivery that was being posted; ``handed`` is ``posted`` in real time."""
    changed = _SETTLE.run(
        connection, one=id, status=status, reason=reason, posted=posted, handed=handed, retry=retry
    )
    if changed and status == "sent" and posted is not None:
        tell_posted(connection, id, posted)


def put_back(connection: Connection, ids: Collection[int]) -> None:
    """Deliveries of a lot whose turn has not come go back to the queue, as if they had not been claimed."""
    if ids:
        connection.execute(_BACK, {"ids": list(ids)})


def left_over(session: Session) -> list[tuple[int, str | None, bool]]:
    """What was being posted when the application last stopped, as (id, start of the computer, begun)."""
    query = select(DeliveryRow.id, DeliveryRow.claimed, DeliveryRow.begun).where(
        _WAITING, DeliveryRow.status == "posting"
    )
    return [(id, claimed, begun) for id, claimed, begun in session.execute(query)]
