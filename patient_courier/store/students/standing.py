"""The active students of a course, read in four queries; where they stand is the core's to say."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from patient_courier.core.courses.standing import Standing, stand
from patient_courier.core.engine.definitions import Definitions
from patient_courier.store.base.tables import ActivityRow, EnrolmentRow, LearntRow


def standings(session: Session, definitions: Definitions, course: str) -> list[Standing]:
    """Everyone active in the course or finished with it, in no order."""
    e, q = EnrolmentRow, LearntRow
    rows = session.execute(
        select(e.student_id, e.began).where(
            e.course == course, e.refunded.is_(None), e.expired.is_(None), e.via != "preview"
        )
    ).all()
    found = {id: Standing(id, began, began) for id, began in rows}
    learnt = select(q.student_id, q.kind, q.key, q.at).where(
        q.key.startswith(course, autoescape=True), q.at.is_not(None)
    )
    for id, kind, key, at in session.execute(learnt):
        if id not in found or at is None:
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
    stand(definitions.courses[course], found.values())
    return list(found.values())
