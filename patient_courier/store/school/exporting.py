"""A whole school as a school file: what was decided, who learns, and what was reported, in the order it came."""

from __future__ import annotations

from base64 import b64encode
from collections import defaultdict
from collections.abc import Iterator

from pydantic import TypeAdapter
from sqlalchemy import select, true
from sqlalchemy.orm import Session

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.events import Event
from patient_courier.core.school.file import Picture, SchoolFile, Student
from patient_courier.store.base.tables import DeliveryRow, EventRow, PictureRow, StudentRow, TagRow
from patient_courier.store.broadcasts import broadcasts, postings
from patient_courier.store.broadcasts.broadcasts import Kept
from patient_courier.store.completion import feedback, issuing, signing_keys

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
# What an event carries beside its own fields: the objects around it.
_AROUND = {"module", "course", "percent_before", "by_offer"}
_OWN_COURSE = ("enrolled", "course_help_stopped", "certificate_approved", "certificate_revoked")


def export_school(session: Session, definitions: Definitions, *, private_keys: bool = False) -> SchoolFile:
    """The school file that makes the same school again.

    ``private_keys``: with the private halves of the keys that credentials are signed with.
    """
    keys = dict(session.execute(select(StudentRow.id, StudentRow.key)).all())
    events = [
        _event(row, keys[row.student_id])
        for row in session.scalars(select(EventRow).where(EventRow.reported).order_by(EventRow.number))
    ]
    return SchoolFile(
        format="patient-courier.school",
        version=1,
        school=definitions.school,
        courses=list(definitions.courses.values()),
        offers=list(definitions.offers.values()),
        letters=[ready.letter for ready in definitions.letters.values()],
        sequences=[plan.sequence for plan in definitions.sequences.values()],
        broadcasts=[_broadcast(session, kept) for kept in broadcasts.every(session)],
        students=_students(session),
        events=events,
        layouts=list(definitions.layouts.values()),
        pictures=_pictures(session),
        certificates=issuing.exported(session),
        void_places=issuing.void_places(session),
        seal=definitions.seal if issuing.any_at_all(session) else None,
        signing_keys=signing_keys.exported(session, private=private_keys),
        words=feedback.exported(session),
    )


def _pictures(session: Session) -> list[Picture]:
    rows = session.execute(select(PictureRow.key, PictureRow.name, PictureRow.body).order_by(PictureRow.key))
    return [Picture(key=key, name=name, data=b64encode(body).decode()) for key, name, body in rows]


def _broadcast(session: Session, kept: Kept) -> Broadcast:
    """A broadcast as the file has it; of one that was stopped, those it did not reach are taken out."""
    if kept.status != "stopped":
        return kept.broadcast
    unreached = session.scalars(
        select(StudentRow.key)
        .join(DeliveryRow, DeliveryRow.student_id == StudentRow.id)
        .where(DeliveryRow.broadcast == kept.key, DeliveryRow.reason == postings.STOPPED)
        .order_by(StudentRow.id)
    )
    without = dict.fromkeys([*kept.broadcast.without, *unreached])
    return kept.broadcast.model_copy(update={"without": list(without)})


def _event(row: EventRow, student: str) -> Event:
    own = {
        name: value
        for name, value in row.names.items()
        if name not in _AROUND or (name == "course" and row.type in _OWN_COURSE)
    }
    given = {"id": row.reported_id} if row.reported_id else {}
    return _EVENT.validate_python({**own, **given, "type": row.type, "at": row.at, "student": student})


def students_with_events(session: Session, ids: list[int]) -> Iterator[tuple[int, Student, list[Event]]]:
    """Some students as they first were, with what was reported of them, and the tags that sequences gave or took."""
    events: defaultdict[int, list[Event]] = defaultdict(list)
    rows = select(EventRow).where(
        EventRow.student_id.in_(ids),
        EventRow.reported | EventRow.type.in_(("tag_added", "tag_removed")),
    )
    keys = dict(session.execute(select(StudentRow.id, StudentRow.key).where(StudentRow.id.in_(ids))).all())
    for row in session.scalars(rows.order_by(EventRow.number)):
        events[row.student_id].append(_event(row, keys[row.student_id]))
    tags = _first_tags(session, ids)
    people = select(StudentRow).where(StudentRow.id.in_(ids)).order_by(StudentRow.id)
    for person in session.scalars(people):
        yield person.id, _student(person, tags[person.id]), events[person.id]


def _students(session: Session) -> list[Student]:
    tags = _first_tags(session)
    return [
        _student(row, tags[row.id]) for row in session.scalars(select(StudentRow).order_by(StudentRow.id))
    ]


def _student(row: StudentRow, tags: set[str]) -> Student:
    return Student(
        key=row.key,
        email=row.email,
        first_name=row.first_name,
        last_name=row.last_name,
        timezone=row.timezone,
        news=row.news_at_first,
        tags=sorted(tags),
        fields=row.fields,
    )


def _first_tags(session: Session, ids: list[int] | None = None) -> defaultdict[int, set[str]]:
    """The tags students had before any event: today's, with every change taken back, the last first."""
    tags: defaultdict[int, set[str]] = defaultdict(set)
    only = (lambda column: column.in_(ids)) if ids is not None else (lambda column: true())
    for student, tag in session.execute(select(TagRow.student_id, TagRow.tag).where(only(TagRow.student_id))):
        tags[student].add(tag)
    changes = (
        select(EventRow.student_id, EventRow.type, EventRow.names)
        .where(EventRow.type.in_(("tag_added", "tag_removed")), only(EventRow.student_id))
        .order_by(EventRow.number.desc())
    )
    for student, kind, names in session.execute(changes):
        (tags[student].discard if kind == "tag_added" else tags[student].add)(names["tag"])
    return tags
