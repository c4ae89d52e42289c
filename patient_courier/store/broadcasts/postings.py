"""The lists of broadcasts under way: who is on one, what is decided, what comes next."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any

from sqlalchemy import bindparam, delete, exists, func, not_, select, text, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.broadcasting import Coming, Posting, settled
from patient_courier.core.engine.definitions import Definitions, ReadyLetter
from patient_courier.core.engine.state import Hold, StudentState
from patient_courier.core.engine.trials import letter_of_broadcast
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.store.base.changed import changed_by
from patient_courier.store.base.plain import BROADCASTS, DELIVERIES, POSTINGS, STUDENTS
from patient_courier.store.base.tables import WAITING_WORDS, DeliveryRow, PostingRow, StudentRow
from patient_courier.store.broadcasts.broadcasts import Kept, every
from patient_courier.store.students.audience import test

# Why letters of a broadcast that the owner has stopped were not posted.
STOPPED = "broadcast_stopped"

_WAITING = text(f"deliveries.{WAITING_WORDS}")
_OPEN_POSTINGS = select(POSTINGS).where(
    not_(POSTINGS.c.done),
    POSTINGS.c.student_id.in_(bindparam("ids", expanding=True)),
    POSTINGS.c.broadcast.in_(bindparam("keys", expanding=True)),
)
_SAVE_POSTING = (
    update(POSTINGS)
    .where(POSTINGS.c.broadcast == bindparam("of"), POSTINGS.c.number == bindparam("place"))
    .values(
        due=bindparam("due"),
        inside_since=bindparam("inside_since"),
        held=bindparam("held"),
        done=bindparam("done"),
    )
)


def on_the_list(
    session: Session, definitions: Definitions, broadcast: Broadcast, now: Instant
) -> list[tuple[int, str, str | None]]:
    """Whom a broadcast would go to now, as (row id, key, zone), in the order of the students."""
    query = select(STUDENTS.c.id, STUDENTS.c.key, STUDENTS.c.timezone).order_by(STUDENTS.c.id)
    if broadcast.to is not None:
        condition = settled(broadcast.to, broadcast.course)
        picked = select(StudentRow.id).where(test(condition, definitions, now))
        query = query.where(STUDENTS.c.id.in_(picked))
    without = set(broadcast.without)
    return [tuple(row) for row in session.execute(query) if row.key not in without]


def put_list(session: Session, postings: Iterable[Mapping[str, Any]]) -> None:
    """Keep the list of a broadcast that has started."""
    rows = [dict(row) for row in postings]
    if rows:
        session.connection().execute(insert(PostingRow), rows)


def posting_values(posting: Posting, student_id: int) -> dict[str, Any]:
    """A student's place on a list as the columns of its row."""
    return {
        "broadcast": posting.broadcast.key,
        "number": posting.number,
        "student_id": student_id,
        "moment": posting.moment,
        "due": posting.due,
        "too_late": posting.too_late,
        "inside_since": posting.inside_since,
        "held": [(hold.start, hold.until, hold.reason) for hold in posting.held],
        "done": posting.done,
    }


def open_postings(
    session: Session, kept: Iterable[Kept], states: Mapping[int, StudentState]
) -> list[Posting]:
    """What these students still have to come from these broadcasts."""
    found = {one.key: one for one in kept}
    if not found:
        return []
    rows = session.execute(_OPEN_POSTINGS, {"ids": list(states), "keys": list(found)})
    return [_posting(row, found[row.broadcast], states[row.student_id]) for row in rows]


def _posting(row: Any, kept: Kept, state: StudentState) -> Posting:
    assert kept.started is not None
    return Posting(
        kept.broadcast,
        row.number,
        state,
        row.moment,
        kept.started,
        row.due,
        row.too_late,
        row.inside_since,
        [Hold(*hold) for hold in row.held],
    )


def coming(
    session: Session, until: Instant, states: Mapping[int, StudentState], this: Broadcast | None = None
) -> Coming:
    """What broadcasts have to come for these students by a moment; ``this`` takes part as it is written here."""
    kept = every(session)
    order = {one.key: one.position for one in kept}
    scheduled = [one.broadcast for one in kept if one.starts_by(until)]
    if this is not None:
        scheduled = [one for one in scheduled if one.key != this.key]
        scheduled.append(this.model_copy(update={"status": "scheduled"}))
        order.setdefault(this.key, max(order.values(), default=0) + 1)
    going = [one for one in kept if one.status == "going"]
    return Coming(scheduled, open_postings(session, going, states), order)


def going_to(session: Session) -> list[int]:
    """The row ids of students who still have a letter of a broadcast to come."""
    query = select(POSTINGS.c.student_id).join(BROADCASTS, BROADCASTS.c.key == POSTINGS.c.broadcast)
    return list(
        session.scalars(query.where(not_(POSTINGS.c.done), BROADCASTS.c.status == "going").distinct())
    )


def save_postings(session: Session, postings: Iterable[Posting]) -> None:
    """Store what has changed."""
    rows = [
        {
            "of": posting.broadcast.key,
            "place": posting.number,
            "due": posting.due,
            "inside_since": posting.inside_since,
            "held": [(hold.start, hold.until, hold.reason) for hold in posting.held],
            "done": posting.done,
        }
        for posting in postings
        if posting.dirty
    ]
    if rows:
        session.connection().execute(_SAVE_POSTING, rows)


def due_postings(session: Session, key: str, until: Instant, most: int) -> list[tuple[int, int, Instant]]:
    """The letters of a broadcast that are due by then, as (row id of the student, number on the list, due)."""
    query = (
        select(POSTINGS.c.student_id, POSTINGS.c.number, POSTINGS.c.due)
        .where(POSTINGS.c.broadcast == key, not_(POSTINGS.c.done), POSTINGS.c.due <= until)
        .order_by(POSTINGS.c.due, POSTINGS.c.number)
        .limit(most)
    )
    return [tuple(row) for row in session.execute(query)]


def next_posting(session: Session, key: str) -> Instant | None:
    """When the next letter of a broadcast is due."""
    query = select(POSTINGS.c.due).where(
        POSTINGS.c.broadcast == key, not_(POSTINGS.c.done), POSTINGS.c.due.is_not(None)
    )
    return session.scalar(query.order_by(POSTINGS.c.due).limit(1))


def untouched(session: Session, key: str) -> bool:
    """Whether nothing has been decided yet for anybody on the list of a broadcast that has started."""
    decided = exists().where(DELIVERIES.c.broadcast == key)
    asked = exists().where(
        POSTINGS.c.broadcast == key, POSTINGS.c.done | POSTINGS.c.inside_since.is_not(None)
    )
    return not session.scalar(select(decided | asked))


def give_up_list(session: Session, key: str) -> None:
    """Forget the list of a broadcast of which nothing has gone out."""
    session.execute(delete(POSTINGS).where(POSTINGS.c.broadcast == key))


def number_due(session: Session, key: str, at: Instant) -> int:
    """How many letters of a broadcast are due at a moment."""
    query = select(func.count()).where(
        POSTINGS.c.broadcast == key, not_(POSTINGS.c.done), POSTINGS.c.due == at
    )
    return session.scalar(query) or 0


def is_over(session: Session, key: str) -> bool:
    """Whether every letter of the list has been decided and has left the outbox."""
    undecided = exists().where(POSTINGS.c.broadcast == key, not_(POSTINGS.c.done))
    waiting = exists().where(DELIVERIES.c.broadcast == key, DELIVERIES.c.status.in_(("queued", "posting")))
    return not session.scalar(select(undecided | waiting))


def ask_again(session: Session, now: Instant, ids: Collection[int] | None = None) -> None:
    """Let the guards be asked again for those who wait to come out of a sequence; of all students without ``ids``."""
    query = update(POSTINGS).where(not_(POSTINGS.c.done), POSTINGS.c.inside_since.is_not(None))
    if ids is not None:
        query = query.where(POSTINGS.c.student_id.in_(ids))
    session.execute(query.values(due=now))


def queued(session: Session) -> int:
    """How many letters of broadcasts are decided on and not handed over yet."""
    query = select(func.count()).where(
        _WAITING, DELIVERIES.c.broadcast.is_not(None), DELIVERIES.c.status == "queued"
    )
    return session.scalar(query) or 0


def unhand(session: Session, key: str) -> None:
    """Take letters out of the hands of the outbox, all but one that is being handed over this moment."""
    session.execute(
        update(DELIVERIES)
        .where(
            _WAITING,
            DELIVERIES.c.broadcast == key,
            DELIVERIES.c.status == "posting",
            DELIVERIES.c.begun.is_(False),
        )
        .values(status="queued", claimed=None, tries=DELIVERIES.c.tries - 1)
    )


def _about(ready: ReadyLetter) -> dict[str, object]:
    letter = ready.letter
    return {
        "letter": letter.key,
        "letter_version": ready.version,
        "purpose": letter.purpose,
        "subject": letter.called,
    }


def stop_rest(session: Session, kept: Kept, definitions: Definitions, now: Instant) -> int:
    """What has not been handed over is not posted any more, and its delivery says why; returns how many letters."""
    unhand(session, kept.key)
    waiting = DELIVERIES.c.status.in_(("queued", "held"))
    decided = (
        update(DELIVERIES)
        .where(DELIVERIES.c.broadcast == kept.key, waiting)
        .values(status="skipped", reason=STOPPED, retry=None, at=now)
    )
    stopped = changed_by(session, decided)
    have = select(DELIVERIES.c.student_id).where(DELIVERIES.c.broadcast == kept.key)
    rest = session.execute(
        select(POSTINGS.c.student_id, StudentRow.key)
        .join(StudentRow, StudentRow.id == POSTINGS.c.student_id)
        .where(POSTINGS.c.broadcast == kept.key, not_(POSTINGS.c.done), POSTINGS.c.student_id.not_in(have))
    ).all()
    same = {
        "run": 0,
        "sequence": "",
        "step": kept.key,
        "broadcast": kept.key,
        "course": kept.broadcast.course,
        "status": "skipped",
        "reason": STOPPED,
        "at": now,
        "holds": [],
        "values": {},
        "story": 0,
    }
    if rest:
        about = {key: _about(definitions.letters[key]) for key in kept.broadcast.letters}
        rows = [
            {**same, **about[letter_of_broadcast(kept.broadcast, key)], "student_id": id, "round": str(id)}
            for id, key in rest
        ]
        session.connection().execute(insert(DeliveryRow), rows)
    session.execute(
        update(POSTINGS)
        .where(POSTINGS.c.broadcast == kept.key, not_(POSTINGS.c.done))
        .values(done=True, due=None)
    )
    return stopped + len(rest)
