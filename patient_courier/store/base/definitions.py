"""Loading and saving what the school has decided: school, courses, offers, letters, sequences."""

from __future__ import annotations

import hashlib
import json
import threading
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions, ReadyLetter, ready
from patient_courier.core.engine.plan import Plan
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.courses import Course, Offer, School
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import Layout
from patient_courier.core.school.sequences import Sequence
from patient_courier.store.base.plain import SCHOOL
from patient_courier.store.base.progress import count_anew
from patient_courier.store.base.statements import Statement
from patient_courier.store.base.tables import (
    CourseRow,
    LayoutRow,
    LetterRow,
    LetterVersionRow,
    OfferRow,
    RunRow,
    SchoolRow,
    SecretRow,
    SequenceRow,
    SequenceVersionRow,
    TagRow,
)

_STAMP = Statement(select(SCHOOL.c.stamp))


class Library:
    """The definitions in force, built anew only when their stamp in the database has changed."""

    def __init__(self, site: str) -> None:
        self._site = site
        self._lock = threading.Lock()
        self._held: tuple[int, Definitions] | None = None

    def load(self, session: Session) -> Definitions:
        stamp: int = _STAMP.scalar(session)
        with self._lock:
            if self._held is None or self._held[0] != stamp:
                self._held = (stamp, load_definitions(session, self._site))
            return self._held[1]


def load_definitions(session: Session, site: str) -> Definitions:
    """Build the definitions from the tables, older sequence versions with open runs included."""
    school = School.model_validate(session.scalars(select(SchoolRow.body)).one())
    courses = session.scalars(select(CourseRow.body).order_by(CourseRow.position))
    offers = session.scalars(select(OfferRow.body).order_by(OfferRow.position))
    current = [
        Plan(sequence.model_copy(update={"status": row.status}), row.version, row.position)
        for row, sequence in _sequences(session)
    ]
    return Definitions(
        school,
        [Course.model_validate(body) for body in courses],
        [Offer.model_validate(body) for body in offers],
        list(letters(session)),
        current,
        _older(session),
        site,
        session.scalars(select(TagRow.tag).distinct()),
        layouts(session),
        _seal(session),
    )


def _seal(session: Session) -> str:
    """What certificates are numbered with: it follows from a secret of the school and does not change with its name.

    A school made again from its file has the one it had before.
    """
    kept = session.scalar(select(SecretRow.value).where(SecretRow.name == "seal"))
    if kept:
        return kept
    secret = session.scalar(select(SecretRow.value).where(SecretRow.name == "links")) or ""
    return hashlib.sha256(f"certificates\n{secret}".encode()).hexdigest() if secret else ""


def layouts(session: Session) -> list[Layout]:
    """The frames round letters, in the order in which they were made."""
    return [
        Layout.model_validate(body)
        for body in session.scalars(select(LayoutRow.body).order_by(LayoutRow.position))
    ]


def save_layout(session: Session, layout: Layout) -> None:
    """Save a frame, or add a new one."""
    row = session.get(LayoutRow, layout.key)
    if row is None:
        position = _next_position(session, LayoutRow)
        session.add(LayoutRow(key=layout.key, position=position, body=as_data(layout)))
    else:
        row.body = as_data(layout)
    touch(session)


def remove_layout(session: Session, key: str) -> None:
    session.execute(delete(LayoutRow).where(LayoutRow.key == key))
    touch(session)


def letters(session: Session) -> list[ReadyLetter]:
    """The current version of every letter, in the order of the library."""
    rows = session.execute(
        select(LetterVersionRow.body, LetterVersionRow.version)
        .join(
            LetterRow,
            (LetterRow.key == LetterVersionRow.key) & (LetterRow.version == LetterVersionRow.version),
        )
        .order_by(LetterRow.position)
    )
    return [ready(Letter.model_validate(body), version) for body, version in rows]


def letter_version(session: Session, key: str, version: int) -> Letter:
    """One version of one letter, as it was saved."""
    row = session.get_one(LetterVersionRow, (key, version))
    return Letter.model_validate(row.body)


def _sequences(session: Session) -> list[tuple[SequenceRow, Sequence]]:
    rows = session.execute(
        select(SequenceRow, SequenceVersionRow.body)
        .join(
            SequenceVersionRow,
            (SequenceRow.key == SequenceVersionRow.key) & (SequenceRow.version == SequenceVersionRow.version),
        )
        .order_by(SequenceRow.position)
    )
    return [(row, Sequence.model_validate(body)) for row, body in rows]


def _older(session: Session) -> list[Plan]:
    used = session.execute(select(RunRow.sequence, RunRow.version).distinct().where(RunRow.outcome.is_(None)))
    wanted = {(key, version) for key, version in used}
    current = dict(session.execute(select(SequenceRow.key, SequenceRow.version)).all())
    return [
        Plan(Sequence.model_validate(session.get_one(SequenceVersionRow, (key, version)).body), version)
        for key, version in sorted(wanted)
        if current[key] != version
    ]


def touch(session: Session) -> None:
    """Say that definitions have changed."""
    session.execute(update(SchoolRow).values(stamp=SchoolRow.stamp + 1))


def save_school(session: Session, school: School) -> None:
    session.execute(update(SchoolRow).values(body=as_data(school)))
    touch(session)


def save_letter(session: Session, letter: Letter, now: Instant) -> int:
    """Save a letter as a new version, or as a new letter; returns the version's number."""
    row = session.get(LetterRow, letter.key)
    if row is None:
        row = LetterRow(key=letter.key, position=_next_position(session, LetterRow), version=0)
        session.add(row)
    row.version += 1
    session.flush()
    session.add(LetterVersionRow(key=letter.key, version=row.version, saved=now, body=as_data(letter)))
    touch(session)
    return row.version


def save_sequence(session: Session, sequence: Sequence, now: Instant) -> int:
    """Save a sequence as a new version, or as a new one; open runs stay on the version they are on."""
    row = session.get(SequenceRow, sequence.key)
    if row is None:
        position = _next_position(session, SequenceRow)
        row = SequenceRow(key=sequence.key, position=position, status=sequence.status, version=0)
        session.add(row)
    row.version += 1
    row.unfinished = None
    session.flush()
    session.add(SequenceVersionRow(key=sequence.key, version=row.version, saved=now, body=as_data(sequence)))
    touch(session)
    return row.version


def keep_unfinished(session: Session, key: str, body: dict[str, Any]) -> None:
    """Keep a draft as it is, although it can't be read yet; what can be read of it stays the version it was."""
    session.get_one(SequenceRow, key).unfinished = json.dumps(body, ensure_ascii=False)


def unfinished(session: Session) -> dict[str, dict[str, Any]]:
    """The drafts that can't be read yet, by their keys, as they were saved."""
    query = select(SequenceRow.key, SequenceRow.unfinished).where(SequenceRow.unfinished.is_not(None))
    return {key: json.loads(text) for key, text in session.execute(query).all() if text}


def set_status(session: Session, key: str, status: str) -> None:
    session.execute(update(SequenceRow).where(SequenceRow.key == key).values(status=status))
    touch(session)


def replace_courses(session: Session, courses: list[Course], offers: list[Offer]) -> None:
    """Put courses and offers in the place of those that were there."""
    before: dict[str, dict[str, Any]] = dict(session.execute(select(CourseRow.key, CourseRow.body)).all())
    session.execute(delete(CourseRow))
    session.execute(delete(OfferRow))
    session.add_all(CourseRow(key=x.key, position=n, body=as_data(x)) for n, x in enumerate(courses))
    session.add_all(OfferRow(key=x.key, position=n, body=as_data(x)) for n, x in enumerate(offers))
    for course in courses:
        if before.get(course.key) != as_data(course):
            count_anew(session, course)
    touch(session)


def _next_position(session: Session, table: type[LetterRow] | type[SequenceRow] | type[LayoutRow]) -> int:
    return (session.scalar(select(func.max(table.position))) or 0) + 1
