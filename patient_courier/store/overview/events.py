"""What happened in a stretch of time, for notices and the weekly letter."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.happening import Happening
from patient_courier.store.base.plain import ACTIVITY, DELIVERIES, ENROLMENTS, EVENTS, LEARNT
from patient_courier.store.base.tables import POSTED, StudentRow
from patient_courier.store.students import people
from patient_courier.store.students.people import person_of


@dataclass(frozen=True, slots=True)
class Happened:
    """An event with its number, and whose it is (row id, key, name)."""

    number: int
    what: Happening
    student: int
    key: str
    name: str


def last(session: Session) -> int:
    """The number of the last event; 0 when there is none."""
    return session.scalar(select(func.max(EVENTS.c.number))) or 0


def after(session: Session, number: int, kinds: Collection[str], most: int) -> list[Happened]:
    """Events of these kinds behind a number, in order, at most so many."""
    asked = (
        select(EVENTS.c.number, EVENTS.c.type, EVENTS.c.at, EVENTS.c["names"], StudentRow)
        .join(StudentRow, StudentRow.id == EVENTS.c.student_id)
        .where(EVENTS.c.number > number, EVENTS.c.type.in_(kinds))
        .order_by(EVENTS.c.number)
        .limit(most)
    )
    return [_happened(row) for row in session.execute(asked)]


def between(
    session: Session, kinds: Collection[str], since: Instant, until: Instant, most: int
) -> list[Happened]:
    """Events of these kinds by their own time, the oldest first, at most so many."""
    asked = (
        select(EVENTS.c.number, EVENTS.c.type, EVENTS.c.at, EVENTS.c["names"], StudentRow)
        .join(StudentRow, StudentRow.id == EVENTS.c.student_id)
        .where(EVENTS.c.type.in_(kinds), EVENTS.c.at >= since, EVENTS.c.at < until)
        .order_by(EVENTS.c.at, EVENTS.c.number)
        .limit(most)
    )
    return [_happened(row) for row in session.execute(asked)]


def _happened(row: Any) -> Happened:
    number, type, at, names, student = row
    person = person_of(student)
    return Happened(number, Happening(type, at, names), person.id, person.key, person.name)


def number_between(session: Session, kind: str, since: Instant, until: Instant) -> int:
    asked = select(func.count()).where(EVENTS.c.type == kind, EVENTS.c.at >= since, EVENTS.c.at < until)
    return session.scalar(asked) or 0


def posted_between(session: Session, since: Instant, until: Instant) -> list[tuple[str, int]]:
    """How many of each letter (key) went to students, the most first."""
    asked = (
        select(DELIVERIES.c.letter, func.count())
        .where(
            DELIVERIES.c.at >= since,
            DELIVERIES.c.at < until,
            DELIVERIES.c.status.in_(POSTED),
            DELIVERIES.c.recipients.is_(None),
        )
        .group_by(DELIVERIES.c.letter)
        .order_by(func.count().desc(), DELIVERIES.c.letter)
    )
    return [(letter, number) for letter, number in session.execute(asked)]


def fell_silent(session: Session, since: Instant, until: Instant) -> list[int]:
    """Students (row ids) whose last step in a course they are in, and have not finished, lies in this stretch."""
    done = (LEARNT.c.student_id == ACTIVITY.c.student_id) & (LEARNT.c.kind == "course")
    asked = (
        select(ACTIVITY.c.student_id)
        .join(
            ENROLMENTS,
            (ENROLMENTS.c.student_id == ACTIVITY.c.student_id) & (ENROLMENTS.c.course == ACTIVITY.c.course),
        )
        .outerjoin(LEARNT, done & (LEARNT.c.key == ACTIVITY.c.course))
        .where(
            ACTIVITY.c.at >= since,
            ACTIVITY.c.at < until,
            ENROLMENTS.c.refunded.is_(None),
            ENROLMENTS.c.expired.is_(None),
            ENROLMENTS.c.via != "preview",
            LEARNT.c.at.is_(None),
        )
        .group_by(ACTIVITY.c.student_id)
        .order_by(func.max(ACTIVITY.c.at).desc())
    )
    return list(session.scalars(asked))


def names_of(session: Session, ids: Collection[int], most: int) -> list[tuple[int, str]]:
    """Row ids and names of the first of these students."""
    found = people.by_ids(session, list(ids)[:most])
    return [(id, one.name) for id, one in found.items()]
