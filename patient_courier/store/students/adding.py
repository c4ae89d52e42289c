"""Adding a student to whom nothing has happened yet."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.file import Student
from patient_courier.store.base.tables import StudentRow, TagRow
from patient_courier.store.students import consents
from patient_courier.store.students.consents import AT_FIRST, Source


def add_student(
    session: Session, student: Student, now: Instant | None = None, source: Source = AT_FIRST
) -> int:
    """Add a student to whom nothing has happened yet; returns the row's id.

    With ``now``, that they want news is put in their consent log, with its ``source``.
    """
    row = StudentRow(
        key=student.key,
        email=student.email,
        first_name=student.first_name,
        last_name=student.last_name,
        timezone=student.timezone,
        fields=dict(student.fields),
        news=student.news,
        news_at_first=student.news,
        bounced=False,
        complained=False,
    )
    session.add(row)
    session.flush()
    session.add_all(TagRow(student_id=row.id, tag=tag) for tag in dict.fromkeys(student.tags))
    if now is not None and student.news:
        consents.note(session, [row.id], "news_on", now, source)
    return row.id
