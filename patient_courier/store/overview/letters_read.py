"""How letters were opened lately, and what courses were called before: what the check-up reads texts by."""

from __future__ import annotations

from sqlalchemy import and_, exists, func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.overview.findings import Opened
from patient_courier.store.base.plain import DELIVERIES, READINGS, STUDENTS
from patient_courier.store.base.tables import ChangeRow

_OPENED_DAYS = 180


def _since(now: Instant) -> Instant:
    return now.subtract(hours=24 * _OPENED_DAYS)


def opened_lately(session: Session, now: Instant) -> list[Opened]:
    """Of each letter: how many students who may be noted got it in the last half year, and how many opened it since."""
    d, r = DELIVERIES.c, READINGS.c
    asked = (
        select(
            d.letter,
            func.count(d.student_id.distinct()),
            func.count(d.student_id.distinct()).filter(r.opened >= d.at),
        )
        .join(STUDENTS, STUDENTS.c.id == d.student_id)
        .outerjoin(READINGS, and_(r.student_id == d.student_id, r.letter == d.letter))
        .where(d.at >= _since(now), d.status == "sent", d.recipients.is_(None), STUDENTS.c.tracked)
        .group_by(d.letter)
    )
    return [Opened(letter, sent, opened) for letter, sent, opened in session.execute(asked)]


def not_opened(session: Session, letter: str, now: Instant) -> list[int]:
    """Who got a letter in the last half year and has not opened it since."""
    d, r = DELIVERIES.c, READINGS.c
    read = exists().where(r.student_id == d.student_id, r.letter == d.letter, r.opened >= d.at)
    asked = (
        select(d.student_id.distinct())
        .join(STUDENTS, STUDENTS.c.id == d.student_id)
        .where(d.letter == letter, d.at >= _since(now), d.status == "sent", d.recipients.is_(None))
        .where(STUDENTS.c.tracked, ~read)
        .order_by(d.student_id)
    )
    return list(session.scalars(asked))


def former_titles(session: Session) -> dict[str, list[str]]:
    """Titles that courses had, by course (key), from what was changed; the newest first."""
    asked = (
        select(ChangeRow.key, ChangeRow.lines).where(ChangeRow.kind == "course").order_by(ChangeRow.id.desc())
    )
    found: dict[str, list[str]] = {}
    for key, lines in session.execute(asked):
        for what, before, _ in lines:
            if what == "title" and before:
                found.setdefault(key, []).append(before)
    return found
