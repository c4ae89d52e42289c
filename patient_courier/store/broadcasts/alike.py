"""Those on the list of a broadcast to whom nothing happens until it is over, in groups of whom the same becomes."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Any

from sqlalchemy import ColumnElement, and_, func, not_, or_, select, true
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.broadcasting import settled
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.trials import letter_of_broadcast
from patient_courier.core.letters.merge_fields import FREE_PREFIX
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.conditions import IsEnrolled, IsField
from patient_courier.store.base.tables import (
    POSTED,
    BroadcastRow,
    DeliveryRow,
    HelpStopRow,
    PostingRow,
    RunRow,
    StudentRow,
)
from patient_courier.store.students.audience import test

# Student by student: row id and key.
Group = list[tuple[int, str]]


def groups(
    session: Session,
    definitions: Definitions,
    broadcast: Broadcast,
    start: Instant,
    *,
    since: Instant,
    until: Instant,
    blank_without: Collection[str],
) -> list[Group]:
    """Those who fit at ``start`` and lie still until ``until``, by everything that the guards ask of them and by their letter.

    They have no open run, nothing to come from the clock or a broadcast, and had no letter ``since``.
    ``blank_without`` are the merge fields of their own record that need a value.
    """
    s, course = StudentRow, broadcast.course
    asked: list[Any] = [func.coalesce(s.timezone, ""), s.news, s.bounced, s.complained]
    asked += [_has(field, definitions, start) for field in sorted(blank_without)]
    if course is not None:
        over = IsEnrolled.model_validate(
            {"is": "enrolled", "course": course, "status": ["refunded", "expired"]}
        )
        stopped = select(HelpStopRow.student_id).where(HelpStopRow.course == course)
        asked += [test(over, definitions, start), s.id.in_(stopped)]
    fits = true() if broadcast.to is None else test(settled(broadcast.to, course), definitions, start)
    still = _still(since, until, broadcast.letters, definitions)
    found: dict[tuple[Any, ...], Group] = {}
    without = set(broadcast.without)
    for id, key, *same in session.execute(select(s.id, s.key, *asked).where(fits, still).order_by(s.id)):
        if key not in without:
            letter = letter_of_broadcast(broadcast, key)
            found.setdefault((letter, *same), []).append((id, key))
    return list(found.values())


def _has(field: str, definitions: Definitions, now: Instant) -> ColumnElement[bool]:
    """Whether a student's record has something in a merge field."""
    s = StudentRow
    if field.startswith(FREE_PREFIX):
        own = {"is": "field", "name": field.removeprefix(FREE_PREFIX), "filled": True}
        return test(IsField.model_validate(own), definitions, now)
    first, last = func.coalesce(s.first_name, "") != "", func.coalesce(s.last_name, "") != ""
    return {"first_name": first, "last_name": last, "full_name": or_(first, last)}[field.partition(".")[2]]


def _still(
    since: Instant, until: Instant, letters: Sequence[str], definitions: Definitions
) -> ColumnElement[bool]:
    s, d, p = StudentRow, DeliveryRow, PostingRow
    runs = select(RunRow.student_id).where(RunRow.outcome.is_(None))
    counts: ColumnElement[bool] = d.at >= since
    spaced = [key for key in letters if definitions.letters[key].letter.min_gap is not None]
    if spaced:
        counts = or_(counts, d.letter.in_(spaced))
    had = select(d.student_id).where(d.recipients.is_(None), d.status.in_(POSTED), counts)
    going = select(BroadcastRow.key).where(BroadcastRow.status == "going")
    coming = select(p.student_id).where(not_(p.done), p.broadcast.in_(going))
    return and_(
        or_(s.clock_due.is_(None), s.clock_due > until),
        s.id.not_in(runs),
        s.id.not_in(had),
        s.id.not_in(coming),
    )
