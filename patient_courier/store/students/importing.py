"""Students from a file in the tables: who is there already, putting them in, and taking a whole import back."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.people.importing import Known, Row
from patient_courier.store.base.plain import STUDENTS
from patient_courier.store.base.tables import (
    ConsentRow,
    DeliveryRow,
    EnrolmentRow,
    EventRow,
    ImportedRow,
    ImportRow,
    RunRow,
    StudentRow,
    TagRow,
)


@dataclass(frozen=True, slots=True)
class Import:
    """A file that was taken in."""

    id: int
    at: Instant
    file: str
    new: int
    changed: int
    refused: int
    undone: Instant | None


def known_students(session: Session) -> dict[str, Known]:
    """All students as an import looks at them, by address in small letters."""
    tags: defaultdict[int, set[str]] = defaultdict(set)
    for id, tag in session.execute(select(TagRow.student_id, TagRow.tag)):
        tags[id].add(tag)
    courses: defaultdict[int, set[str]] = defaultdict(set)
    valid = (EnrolmentRow.refunded.is_(None), EnrolmentRow.expired.is_(None), EnrolmentRow.via != "preview")
    for id, course in session.execute(select(EnrolmentRow.student_id, EnrolmentRow.course).where(*valid)):
        courses[id].add(course)
    stopped = set(
        session.scalars(
            select(EventRow.student_id).where(EventRow.type.in_(("news_stopped", "complained"))).distinct()
        )
    )
    return {
        row.email.lower(): Known(
            key=row.key,
            first_name=row.first_name,
            last_name=row.last_name,
            timezone=row.timezone,
            news=row.news,
            ever_stopped=row.id in stopped,
            fields=row.fields,
            tags=frozenset(tags.get(row.id, ())),
            courses=frozenset(courses.get(row.id, ())),
        )
        for row in session.execute(select(STUDENTS))
    }


def every_key(session: Session) -> set[str]:
    return set(session.scalars(select(StudentRow.key)))


def begin(session: Session, file: str, now: Instant, refused: int) -> int:
    """Note that a file is being taken in; returns its number."""
    row = ImportRow(at=now, file=file, new=0, changed=0, refused=refused)
    session.add(row)
    session.flush()
    return row.id


def every(session: Session) -> list[Import]:
    """The files that were taken in, the newest first."""
    rows = session.scalars(select(ImportRow).order_by(ImportRow.id.desc()).limit(50))
    return [_import(row) for row in rows]


def find(session: Session, id: int) -> Import | None:
    row = session.get(ImportRow, id)
    return _import(row) if row else None


def _import(row: ImportRow) -> Import:
    return Import(row.id, row.at, row.file, row.new, row.changed, row.refused, row.undone)


def put_new(session: Session, rows: Mapping[str, Row]) -> dict[str, int]:
    """Add students by the keys they are to have; returns their row ids."""
    values = [
        {
            "key": key,
            "email": row.email,
            "first_name": row.values.get("first_name") or None,
            "last_name": row.values.get("last_name") or None,
            "timezone": row.values.get("timezone"),
            "fields": row.fields,
            "news": bool(row.news),
            "news_at_first": bool(row.news),
            "bounced": False,
            "complained": False,
            "begun": 0,
        }
        for key, row in rows.items()
    ]
    if not values:
        return {}
    session.connection().execute(insert(StudentRow), values)
    found = session.execute(select(StudentRow.key, StudentRow.id).where(StudentRow.key.in_(list(rows))))
    return dict(found.all())


def change(session: Session, id: int, row: Row) -> dict[str, Any]:
    """Change a student's record; returns what was there before."""
    student = session.get_one(StudentRow, id)
    before: dict[str, Any] = {name: getattr(student, name) for name in row.values}
    for name, value in row.values.items():
        setattr(student, name, value)
    if row.fields:
        before["fields"] = dict(student.fields)
        student.fields = {**student.fields, **row.fields}
    if row.news:
        before["news"], before["news_at_first"] = student.news, student.news_at_first
        student.news = student.news_at_first = True
    return before


def note(
    session: Session,
    id: int,
    students: Iterable[tuple[int, bool, dict[str, Any]]],
) -> None:
    """Put down what an import has changed, as (row id, fresh, what was there before)."""
    many = list(students)
    rows = [
        {"import_id": id, "student_id": student, "fresh": fresh, "before": before}
        for student, fresh, before in many
    ]
    if rows:
        session.connection().execute(insert(ImportedRow), rows)
    new = sum(fresh for _, fresh, _ in many)
    counted = {"new": ImportRow.new + new, "changed": ImportRow.changed + len(rows) - new}
    session.execute(update(ImportRow).where(ImportRow.id == id).values(counted))


def count_refused(session: Session, id: int) -> None:
    session.execute(update(ImportRow).where(ImportRow.id == id).values(refused=ImportRow.refused + 1))


def last_event(session: Session) -> int:
    return session.scalar(select(func.max(EventRow.number))) or 0


def changed_by(session: Session, id: int) -> list[int]:
    """The row ids of the students whom an import has added or changed."""
    query = select(ImportedRow.student_id).where(ImportedRow.import_id == id)
    return list(session.scalars(query.order_by(ImportedRow.student_id)))


def take_back(session: Session, id: int, students: Collection[int]) -> tuple[int, int]:
    """Undo what an import did to these students, in one part; returns how many went, and how many new ones stay.

    A new student who has been written to since, or has done something, stays; what the import said of them does too.
    """
    rows = session.scalars(
        select(ImportedRow).where(ImportedRow.import_id == id, ImportedRow.student_id.in_(students))
    ).all()
    fresh = [row.student_id for row in rows if row.fresh]
    spans = {row.student_id: row.before["events"] for row in rows}
    busy = _busy(session, fresh, spans)
    session.execute(delete(StudentRow).where(StudentRow.id.in_([x for x in fresh if x not in busy])))
    for row in rows:
        if not row.fresh:
            _restore(session, row)
    return len(rows) - len(busy), len(busy)


def _busy(session: Session, ids: list[int], spans: Mapping[int, list[int]]) -> set[int]:
    """Those who have had a letter, or of whom something was reported after the import."""
    found = set(
        session.scalars(
            select(DeliveryRow.student_id).where(
                DeliveryRow.student_id.in_(ids), DeliveryRow.status.not_in(("skipped", "held", "dropped"))
            )
        )
    )
    for id, number in session.execute(
        select(EventRow.student_id, EventRow.number).where(EventRow.student_id.in_(ids), EventRow.reported)
    ):
        if number > spans[id][1]:
            found.add(id)
    return found


def _restore(session: Session, row: ImportedRow) -> None:
    before = dict(row.before)
    first, last = before.pop("events")
    tags, course = before.pop("tags", []), before.pop("course", None)
    if before:
        session.execute(update(StudentRow).where(StudentRow.id == row.student_id).values(before))
    mine = TagRow.student_id == row.student_id
    session.execute(delete(TagRow).where(mine, TagRow.tag.in_(tags)))
    if course is not None:
        session.execute(
            delete(EnrolmentRow).where(
                EnrolmentRow.student_id == row.student_id,
                EnrolmentRow.course == course,
                EnrolmentRow.via == "import",
            )
        )
    here = (EventRow.student_id == row.student_id, EventRow.number > first, EventRow.number <= last)
    session.execute(delete(EventRow).where(*here, EventRow.type.in_(("enrolled", "tag_added"))))
    session.execute(
        delete(RunRow).where(RunRow.student_id == row.student_id, RunRow.cause > first, RunRow.cause <= last)
    )
    session.execute(
        delete(ConsentRow).where(ConsentRow.student_id == row.student_id, ConsentRow.how.startswith("import"))
    )


def undone(session: Session, id: int, now: Instant) -> None:
    session.execute(update(ImportRow).where(ImportRow.id == id).values(undone=now))
