"""Where the active students of a course stand: one row a student, read in four queries."""

from __future__ import annotations

from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.definitions import Definitions
from patient_courier.core.line import COMPLETED, ENROLLED, items
from patient_courier.store.tables import ActivityRow, EnrolmentRow, LearntRow


@dataclass(slots=True)
class Standing:
    """A student in a course: where they stand now, when they last did something there, what they have finished when."""

    student_id: int
    began: Instant
    seen: Instant
    stop: str
    finished: bool
    done: dict[str, Instant] = field(default_factory=dict)


def standings(session: Session, definitions: Definitions, course: str) -> list[Standing]:
    """Everyone active in the course or finished with it, in no order.

    A student stands at the first thing that is open behind the furthest they
    have finished; at the enrolment, when they have done nothing yet.
    """
    e, q = EnrolmentRow, LearntRow
    order = items(definitions.courses[course])
    place = {stop: index for index, stop in enumerate(order)}
    rows = session.execute(
        select(e.student_id, e.began).where(
            e.course == course, e.refunded.is_(None), e.expired.is_(None), e.via != "preview"
        )
    ).all()
    found = {id: Standing(id, began, began, ENROLLED, False) for id, began in rows}
    learnt = select(q.student_id, q.kind, q.key, q.at).where(
        q.key.startswith(course, autoescape=True), q.at.is_not(None)
    )
    for id, kind, key, at in session.execute(learnt):
        if id not in found:
            continue
        if kind == "course" and key == course:
            found[id].finished = True
        stop = f"quiz:{key}" if kind == "quiz" else f"done:{key}" if kind == "module" else key
        if key.startswith(f"{course}/"):
            found[id].done[stop] = at
    for id, at in session.execute(
        select(ActivityRow.student_id, ActivityRow.at).where(ActivityRow.course == course)
    ):
        if id in found:
            found[id].seen = max(found[id].seen, at)
    for one in found.values():
        furthest = max((place[stop] for stop in one.done if stop in place), default=-1)
        if one.finished:
            one.stop = COMPLETED
        elif furthest < 0 and one.seen <= one.began:
            one.stop = ENROLLED
        else:
            open_ones = [stop for stop in order[furthest + 1 :] if stop not in one.done]
            open_ones = open_ones or [stop for stop in order if stop not in one.done]
            one.stop = open_ones[0] if open_ones else COMPLETED
    return list(found.values())
