"""How long students take to finish a course, and what became of quizzes after a failure."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.figures.survival import Watched
from patient_courier.store.base.plain import DELIVERIES, ENROLMENTS, EVENTS, LEARNT, RUNS
from patient_courier.store.base.tables import POSTED

_DAY = 86_400.0


@dataclass(frozen=True, slots=True)
class Enrolled:
    """A student's (row id) time in a course: from when, and until it was finished, ended, or now."""

    student_id: int
    began: Instant
    watched: Watched


def enrolled(session: Session, course: str, now: Instant) -> list[Enrolled]:
    """Everybody who is in the course or has been, previews left out; who had finished before they enrolled (again) as well."""
    e, q = ENROLMENTS.c, LEARNT.c
    asked = (
        select(e.student_id, e.began, e.refunded, e.expired, q.at)
        .outerjoin(LEARNT, and_(q.student_id == e.student_id, q.kind == "course", q.key == course))
        .where(e.course == course, e.via != "preview", e.began <= now)
    )
    found = []
    for student, began, refunded, expired, finished in session.execute(asked):
        if finished is not None and finished < began:
            continue
        ends = [moment for moment in (refunded, expired, now) if moment is not None]
        end = min([*ends, finished] if finished is not None else ends)
        days = max(0.0, (end - began).total("seconds") / _DAY)
        found.append(Enrolled(student, began, Watched(days, finished is not None and finished <= end)))
    return found


def first_run(session: Session, sequence: str) -> Instant | None:
    """When the first run of a sequence began: since when it has been switched on."""
    return session.scalar(select(func.min(RUNS.c.started)).where(RUNS.c.sequence == sequence))


def in_sequence(session: Session, sequence: str) -> set[int]:
    """The students (row ids) for whom a run of the sequence has begun, and who were not held back."""
    asked = select(RUNS.c.student_id).where(
        RUNS.c.sequence == sequence, or_(RUNS.c.outcome.is_(None), RUNS.c.outcome != "held_back")
    )
    return set(session.scalars(asked.distinct()))


@dataclass(frozen=True, slots=True)
class Failed:
    """A student's (row id) first failure of a quiz; whether it was passed in time, and whether a letter came within a day."""

    student_id: int
    passed: bool
    helped: bool


def after_failing(
    session: Session, quiz: str, sequences: Collection[str], now: Instant, days: int
) -> list[Failed]:
    """Those who had not passed a day after their first failure, which lies at least ``days`` back.

    Who passes within the day is left out of both groups: a letter had no time to reach them, so they would make it look
    useless (J. R. Anderson, K. C. Cain, R. D. Gelber 1983, on landmarks).
    """
    names = EVENTS.c["names"]
    of_quiz = func.json_extract(names, "$.quiz") == quiz

    def firsts(type: str) -> dict[int, Instant]:
        asked = (
            select(EVENTS.c.student_id, func.min(EVENTS.c.at))
            .where(EVENTS.c.type == type, of_quiz)
            .group_by(EVENTS.c.student_id)
        )
        return dict(session.execute(asked).all())

    failed, passed = firsts("quiz_failed"), firsts("quiz_passed")
    letters: dict[int, list[Instant]] = {}
    asked = select(DELIVERIES.c.student_id, DELIVERIES.c.at).where(
        DELIVERIES.c.sequence.in_(sequences),
        DELIVERIES.c.status.in_(POSTED),
        DELIVERIES.c.recipients.is_(None),
    )
    for student, at in session.execute(asked):
        letters.setdefault(student, []).append(at)
    found = []
    for student, at in failed.items():
        end, won = at.add(hours=24 * days), passed.get(student)
        day_after = at.add(hours=24)
        if end > now or (won is not None and won <= day_after):
            continue
        helped = any(at <= moment <= day_after for moment in letters.get(student, ()))
        found.append(Failed(student, won is not None and won <= end, helped))
    return found
