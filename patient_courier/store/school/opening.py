"""Putting a whole school into an empty database."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.file import SchoolFile
from patient_courier.store.base.definitions import (
    replace_courses,
    save_layout,
    save_letter,
    save_school,
    save_sequence,
)
from patient_courier.store.base.tables import (
    ClockRow,
    CourseRow,
    LetterRow,
    OfferRow,
    SchoolRow,
    SecretRow,
    SequenceRow,
    StudentRow,
)
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.completion import feedback, issuing, signing_keys
from patient_courier.store.school.secrets import fresh_secrets
from patient_courier.store.students.adding import add_student
from patient_courier.store.students.consents import Source


class NotEmpty(ValueError):
    """There is a school in this database already."""


def open_school(session: Session, file: SchoolFile, now: Instant, *, practice: bool) -> None:
    """Put the school, its definitions and its students in; events are not played here.

    ``practice``: the school keeps a clock of its own, which begins at ``now``.
    """
    if session.scalar(select(func.count()).select_from(SchoolRow)):
        raise NotEmpty("There is a school in this database already.")
    session.add(SchoolRow(id=1, body=as_data(file.school), practice=practice, stamp=1))
    if practice:
        session.add(ClockRow(id=1, now=now, moving_to=None))
    session.add_all(SecretRow(name=name, value=value) for name, value in fresh_secrets().items())
    session.flush()
    _put_in(session, file, now)


def fill_school(session: Session, file: SchoolFile, now: Instant) -> None:
    """Put what a file holds into a school that is there but empty. Raises NotEmpty when it is not."""
    for table in (CourseRow, OfferRow, LetterRow, SequenceRow, StudentRow):
        if session.scalar(select(func.count()).select_from(table)):
            raise NotEmpty(
                "This school is not empty. Import into a new one: its courses, letters, sequences and students "
                "would mix with yours."
            )
    save_school(session, file.school)
    _put_in(session, file, now)


def _put_in(session: Session, file: SchoolFile, now: Instant) -> None:
    replace_courses(session, file.courses, file.offers)
    for layout in file.layouts:
        save_layout(session, layout)
    for letter in file.letters:
        save_letter(session, letter, now)
    for sequence in file.sequences:
        save_sequence(session, sequence, now)
    source = Source("in the school file it came with", "import")
    ids = {student.key: add_student(session, student, now, source) for student in file.students}
    _put_in_certificates(session, file, ids)
    feedback.put_in(session, file.words, ids)
    for broadcast in file.broadcasts:
        scheduled = broadcast.status == "scheduled"
        due = start_of(broadcast, file.school.timezone) if scheduled else None
        broadcasts.save(session, broadcast, now, due=due)


def _put_in_certificates(session: Session, file: SchoolFile, ids: dict[str, int]) -> None:
    """Certificates under their numbers, and what they are checked with: printed squares still lead to them."""
    if file.seal:
        session.merge(SecretRow(name="seal", value=file.seal))
    signing_keys.replace(session, file.signing_keys)
    issuing.put_in(session, file.certificates, ids)
    issuing.put_void(session, file.void_places)
