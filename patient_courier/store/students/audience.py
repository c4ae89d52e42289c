"""Conditions in SQL: which students a condition picks.

Says the same as ``core/engine/conditions.py`` does for one student. Calendar lengths
depend on each student's zone; rows that are near the limit in any zone are
asked one by one (``pc_within``), all others are compared as numbers.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from sqlalchemy import ColumnElement, Select, and_, false, func, not_, or_, select, true, tuple_
from sqlalchemy.orm import Session, aliased
from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school import conditions as c
from patient_courier.core.school.values import THIS, Span
from patient_courier.store.base.columns import to_nanoseconds
from patient_courier.store.base.tables import (
    POSTED,
    ActivityRow,
    CertificateRow,
    DeliveryRow,
    EnrolmentRow,
    LearntRow,
    ProgressRow,
    PurchaseRow,
    ReadingRow,
    RunRow,
    StudentRow,
    TagRow,
)

Test = ColumnElement[bool]
# A length ends at most this far from where it ends in UTC: when a zone changes sides of the date line, and with months
# cut short at another day's end.
_MARGIN_HOURS, _MARGIN_HOURS_OF_MONTHS = 30, 120


def picked(condition: c.Condition, definitions: Definitions, now: Instant) -> Select[int]:
    """The row ids of the students of whom the condition is true now."""
    return select(StudentRow.id).where(test(condition, definitions, now))


def count(session: Session, condition: c.Condition, definitions: Definitions, now: Instant) -> int:
    """How many students the condition picks."""
    query = select(func.count()).select_from(StudentRow).where(test(condition, definitions, now))
    return session.scalar(query) or 0


def test(condition: c.Condition, definitions: Definitions, now: Instant) -> Test:
    """The condition as an SQL expression over ``students``."""

    def inner(part: c.Condition) -> Test:
        return test(part, definitions, now)

    match condition:
        case c.All():
            return and_(true(), *map(inner, condition.all))
        case c.Any_():
            return or_(false(), *map(inner, condition.any))
        case c.Not():
            return not_(inner(condition.not_))
        case c.IsEnrolled():
            return _enrolled(condition.course, condition.status or ["active", "completed"])
        case c.IsCompleted():
            return _completed(condition)
        case c.IsProgress():
            return _progress(condition, definitions)
        case c.IsQuiz():
            return _quiz(condition)
        case c.IsBought():
            p = PurchaseRow
            offer = true() if condition.offer == "any" else p.offer == condition.offer
            recent = _within(p, p.at, condition.within, definitions, now)
            return false() if condition.offer == THIS else _has(p, offer, p.refunded.is_(None), recent)
        case c.IsTagged():
            return false() if condition.tag == THIS else _has(TagRow, TagRow.tag == condition.tag)
        case c.IsSequence():
            return _sequence(condition)
        case c.IsLetter():
            return _letter(condition, definitions, now)
        case c.IsInactive():
            return _inactive(condition, definitions, now)
        case c.IsJoined():
            return _joined(condition, definitions)
        case c.IsCertified():
            t = CertificateRow
            return _has(t, t.course == condition.course, t.issued.is_not(None))
        case c.IsNewsOn():
            return StudentRow.news.is_(True)
        case c.IsField():
            return _field(condition)
        case c.IsStudent():
            return StudentRow.key.in_(condition.keys)
    raise TypeError(f"not a condition: {condition!r}")


def _has(table: Any, *tests: Test) -> Test:
    """Whether the student has such a row. As a list of ids: SQLite makes it once, not once a student."""
    return StudentRow.id.in_(select(table.student_id).where(*tests))


def _zone(definitions: Definitions, table: Any) -> ColumnElement[str]:
    """The zone of the student a row belongs to. Looked up by itself: the list of ids must not lean on the outer query."""
    owner = aliased(StudentRow)
    own = select(owner.timezone).where(owner.id == table.student_id).correlate(table).scalar_subquery()
    return func.coalesce(own, definitions.school.timezone)


def _within(table: Any, at: Any, span: Span | None, definitions: Definitions, now: Instant) -> Test:
    """Whether ``at`` of a row plus the span is not before now."""
    if span is None:
        return true()
    middle = calendar.subtract(now, span.value, "UTC")
    margin = _MARGIN_HOURS_OF_MONTHS if span.value.months else _MARGIN_HOURS
    surely, hardly = middle.add(hours=margin), middle.subtract(hours=margin)
    asked = func.pc_within(at, _zone(definitions, table), str(span.value), to_nanoseconds(now))
    return or_(at > surely, and_(at >= hardly, asked))


def _completed_at(kind: str, key: Any) -> Test:
    q = LearntRow
    return _has(q, q.kind == kind, q.key == key, q.at.is_not(None))


def _in_status(wanted: Collection[str]) -> Test:
    """Whether an enrolment's status is one of these words: refunded, else expired, else completed, else its way in."""
    e, q = EnrolmentRow, LearntRow
    finished = select(q.student_id, q.key).where(q.kind == "course", q.at.is_not(None))
    done = tuple_(e.student_id, e.course).in_(finished)
    valid = and_(e.refunded.is_(None), e.expired.is_(None))
    tests = {
        "refunded": e.refunded.is_not(None),
        "expired": and_(e.refunded.is_(None), e.expired.is_not(None)),
        "completed": and_(valid, done),
        "preview": and_(valid, e.via == "preview", not_(done)),
        "active": and_(valid, e.via != "preview", not_(done)),
    }
    if {"completed", "active"} == set(wanted):
        return and_(valid, or_(e.via != "preview", done))
    return or_(*(tests[word] for word in wanted))


def _enrolled(course: str, wanted: Collection[str]) -> Test:
    if course == THIS:
        return false()
    e = EnrolmentRow
    return _has(e, true() if course == "any" else e.course == course, _in_status(wanted))


def _completed(condition: c.IsCompleted) -> Test:
    for kind in ("course", "module", "lesson"):
        key = getattr(condition, kind)
        if key is not None:
            return false() if key == THIS else _completed_at(kind, key)
    raise TypeError(f"not a condition: {condition!r}")


def _progress(condition: c.IsProgress, definitions: Definitions) -> Test:
    if condition.course not in definitions.courses:
        return false()
    low = condition.at_least or 0
    high = 100 if condition.at_most is None else condition.at_most
    p = ProgressRow
    if low <= 0 <= high:  # those who have done nothing have no row
        return not_(_has(p, p.course == condition.course, not_(p.percent.between(low, high))))
    return _has(p, p.course == condition.course, p.percent.between(low, high))


def _quiz(condition: c.IsQuiz) -> Test:
    if condition.quiz == THIS:
        return false()
    q = LearntRow
    this = (q.kind == "quiz", q.key == condition.quiz)
    often = q.attempts >= condition.taken
    match condition.result:
        case "passed":
            return _has(q, *this, q.at.is_not(None), often)
        case "failed":
            return _has(q, *this, q.at.is_(None), often)
        case "not_taken":
            return not_(_has(q, *this))


def _sequence(condition: c.IsSequence) -> Test:
    r = RunRow
    how: Test
    match condition.is_:
        case "inside":
            how = r.outcome.is_(None)
        case "finished":
            how = r.outcome == "finished"
        case "been_inside":
            how = true()
    return _has(r, r.sequence == condition.sequence, how)


def _letter(condition: c.IsLetter, definitions: Definitions, now: Instant) -> Test:
    if condition.is_ == "sent":
        d = DeliveryRow
        recent = _within(d, d.at, condition.within, definitions, now)
        return _has(d, d.letter == condition.letter, d.recipients.is_(None), d.status.in_(POSTED), recent)
    at = ReadingRow.opened if condition.is_ == "opened" else ReadingRow.clicked
    recent = _within(ReadingRow, at, condition.within, definitions, now)
    return _has(ReadingRow, ReadingRow.letter == condition.letter, at.is_not(None), recent)


def _inactive(condition: c.IsInactive, definitions: Definitions, now: Instant) -> Test:
    if condition.course == THIS:
        return false()
    e, a = EnrolmentRow, ActivityRow
    seen = func.max(e.began, func.coalesce(a.at, e.began), type_=e.began.type)
    # Silent for exactly that long counts; what is said as “not before now” is one nanosecond later.
    later = now.add(nanoseconds=1)
    quiet = not_(_within(e, seen, condition.for_, definitions, later))
    course = true() if condition.course == "any" else e.course == condition.course
    silent = (
        select(e.student_id)
        .join(a, and_(a.student_id == e.student_id, a.course == e.course), isouter=True)
        .where(course, _in_status(["active"]), quiet)
    )
    return StudentRow.id.in_(silent)


def _joined(condition: c.IsJoined, definitions: Definitions) -> Test:
    first = StudentRow.first_event
    tests: list[Test] = [first.is_not(None)]
    zone = func.coalesce(StudentRow.timezone, definitions.school.timezone)
    day = func.pc_day(first, zone)
    if condition.before is not None:
        low, high = _around(condition.before)
        tests.append(or_(first < low, and_(first < high, day < condition.before.format_iso())))
    if condition.after is not None:
        low, high = _around(condition.after)
        tests.append(or_(first > high, and_(first > low, day > condition.after.format_iso())))
    return and_(*tests)


def _around(date: Date) -> tuple[Instant, Instant]:
    """Moments that lie before and after this date in every zone."""
    midnight = date.at(calendar.MIDNIGHT).assume_utc()
    return midnight.subtract(hours=_MARGIN_HOURS), midnight.add(hours=_MARGIN_HOURS)


def _field(condition: c.IsField) -> Test:
    return func.pc_field(StudentRow.fields, condition.model_dump_json(by_alias=True)).is_(True)
