"""Certificates as they are printed: found by number, listed, named as the student wishes. One that was taken back stays known."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from sqlalchemy import Select, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.school.certificates import Design
from patient_courier.store.base.tables import (
    DesignRow,
    PrintRow,
    StudentRow,
)
from patient_courier.store.students.people import PAGE, Person, person_of, with_words

Standing = Literal["stands", "taken_back"]


@dataclass(frozen=True, slots=True)
class Print:
    """One certificate; ``name`` is how it is printed, empty where nobody's name is known.

    ``design`` is what it was issued in, ``place`` its own in the list of what was taken back, ``changed`` when it last
    became another one.
    """

    code: str
    student: Person
    course: str
    name: str
    own_name: bool
    issued: Instant
    revoked: bool
    place: int
    changed: Instant
    design: Design

    @property
    def state(self) -> Literal["stands", "taken_back"]:
        return "taken_back" if self.revoked else "stands"

    @property
    def printed_name(self) -> str:
        """The name that stands on it; a student's address is nobody's business."""
        return self.name or "A student of the school"


@dataclass(frozen=True, slots=True)
class Chosen:
    """Which certificates: by words in name, address or number, by course, by whether they stand, by when they were issued.

    ``since`` is inclusive, ``before`` is not.
    """

    words: str = ""
    course: str = ""
    state: Standing | Literal[""] = ""
    since: Instant | None = None
    before: Instant | None = None


def by_code(session: Session, code: str) -> Print | None:
    """The certificate with this number, however it is written."""
    plain = "".join(x for x in code.upper() if x.isalnum())
    wanted = f"{plain[:4]}-{plain[4:8]}-{plain[8:]}"
    row = session.execute(_all().where(PrintRow.code == wanted)).first()
    return _print(*row) if row else None


def search(session: Session, chosen: Chosen, page: int) -> tuple[int, list[Print]]:
    """A page of the certificates, the newest first, and how many there are."""
    query = _chosen(chosen)
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(PrintRow.code).subquery())
    )
    rows = session.execute(query.limit(PAGE).offset((page - 1) * PAGE))
    return total or 0, [_print(*row) for row in rows]


def every(session: Session, chosen: Chosen | None = None) -> Iterator[Print]:
    """All of them, in the same order."""
    for row in session.execute(_chosen(chosen or Chosen())):
        yield _print(*row)


def of_student(session: Session, student: int) -> list[Print]:
    rows = session.execute(_all().where(PrintRow.student_id == student).order_by(PrintRow.issued.desc()))
    return [_print(*row) for row in rows]


def rename(session: Session, code: str, name: str | None, now: Instant) -> None:
    """How the name is printed from now on; None: as the student's record has it."""
    session.execute(update(PrintRow).where(PrintRow.code == code).values(name=name, changed=now))


def _all() -> Select[PrintRow, StudentRow, str]:
    return (
        select(PrintRow, StudentRow, DesignRow.body)
        .join(StudentRow, StudentRow.id == PrintRow.student_id)
        .join(DesignRow, DesignRow.key == PrintRow.design)
    )


def _chosen(chosen: Chosen) -> Select[PrintRow, StudentRow, str]:
    query = with_words(_all(), chosen.words, PrintRow.name, PrintRow.code)
    if chosen.course:
        query = query.where(PrintRow.course == chosen.course)
    if chosen.state:
        query = query.where(PrintRow.revoked.is_(chosen.state == "taken_back"))
    if chosen.since:
        query = query.where(PrintRow.issued >= chosen.since)
    if chosen.before:
        query = query.where(PrintRow.issued < chosen.before)
    return query.order_by(PrintRow.issued.desc(), PrintRow.code)


def _print(row: PrintRow, student: StudentRow, design: str) -> Print:
    person = person_of(student)
    return Print(
        row.code,
        person,
        row.course,
        row.name or person.full_name,
        row.name is not None,
        row.issued,
        row.revoked,
        row.place or 0,
        row.changed or row.issued,
        _read_design(design),
    )


@lru_cache(maxsize=200)
def _read_design(body: str) -> Design:
    return Design.model_validate_json(body)
