"""Telling destinations that a letter went out, in the transaction that notes it."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Connection, and_, select
from whenever import Instant

from patient_courier.core.destinations.told import News
from patient_courier.store.base.tables import CourseRow, DeliveryRow, LetterVersionRow, RunRow
from patient_courier.store.destinations.hearing import hearing, tell


def tell_posted(connection: Connection, id: int, posted: Instant) -> None:
    """Write down for whoever hears of letters that this delivery was posted. Letters to the owner are no news."""
    who = [one for one in hearing(connection) if "letter_posted" in one.kinds]
    if not who:
        return
    row: Any = connection.execute(
        select(
            DeliveryRow.student_id,
            DeliveryRow.letter,
            DeliveryRow.subject,
            DeliveryRow.course,
            DeliveryRow.recipients,
            RunRow.subject.label("about"),
            LetterVersionRow.body,
        )
        .outerjoin(RunRow, RunRow.number == DeliveryRow.run)
        .outerjoin(
            LetterVersionRow,
            and_(
                LetterVersionRow.key == DeliveryRow.letter,
                LetterVersionRow.version == DeliveryRow.letter_version,
            ),
        )
        .where(DeliveryRow.id == id)
    ).one()
    if row.recipients is not None:
        return
    course = row.course or dict(row.about["objects"] if row.about else ()).get("course")
    about: dict[str, Any] = {
        "letter": {
            "key": row.letter,
            "title": (row.body or {}).get("name") or row.letter,
            "subject": row.subject,
        }
    }
    if course:
        body = connection.execute(select(CourseRow.body).where(CourseRow.key == course)).scalar()
        about["course"] = {"key": course, "title": (body or {}).get("title") or course}
    courses = frozenset({course} if course else ())
    tell(connection, who, [(row.student_id, News("letter_posted", posted, courses, about))])
