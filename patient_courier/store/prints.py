"""Certificates as they are printed: found by number, listed, named as the student wishes. One that was taken back stays known."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import Select, and_, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.fields import certificate_code
from patient_courier.store.people import PAGE, Person, person_of, with_words
from patient_courier.store.tables import CertificateRow, PrintRow, StudentRow

Standing = Literal["stands", "taken_back"]


@dataclass(frozen=True, slots=True)
class Print:
    """One certificate; ``name`` is how it is printed, empty where nobody's name is known."""

    code: str
    student: Person
    course: str
    name: str
    own_name: bool
    issued: Instant
    revoked: bool


@dataclass(frozen=True, slots=True)
class Changed:
    """What has become of one student's certificate: ``issued`` None when it was taken back."""

    student_id: int
    student: str
    course: str
    issued: Instant | None


def follow(session: Session, seal: str, changes: Iterable[Changed]) -> None:
    """Keep what was issued, under its number; what was taken back stays known as such."""
    for one in changes:
        code = certificate_code(seal, one.student, one.course)
        if one.issued is None:
            session.execute(update(PrintRow).where(PrintRow.code == code).values(revoked=True))
            continue
        put = insert(PrintRow).values(
            code=code, student_id=one.student_id, course=one.course, issued=one.issued, revoked=False
        )
        again = {"issued": put.excluded.issued, "revoked": False}
        session.execute(put.on_conflict_do_update(index_elements=["code"], set_=again))


def fill(session: Session, seal: str) -> None:
    """Keep what was issued before certificates were kept by their numbers."""
    missing = (
        select(CertificateRow.student_id, StudentRow.key, CertificateRow.course, CertificateRow.issued)
        .join(StudentRow, StudentRow.id == CertificateRow.student_id)
        .outerjoin(
            PrintRow,
            and_(PrintRow.student_id == CertificateRow.student_id, PrintRow.course == CertificateRow.course),
        )
        .where(CertificateRow.issued.is_not(None), PrintRow.code.is_(None))
    )
    follow(session, seal, [Changed(*row) for row in session.execute(missing).all()])


def by_code(session: Session, code: str) -> Print | None:
    """The certificate with this number, however it is written."""
    plain = "".join(x for x in code.upper() if x.isalnum())
    wanted = f"{plain[:4]}-{plain[4:8]}-{plain[8:]}"
    row = session.execute(_all().where(PrintRow.code == wanted)).first()
    return _print(*row) if row else None


def search(
    session: Session, *, words: str, course: str, state: Standing | Literal[""], page: int
) -> tuple[int, list[Print]]:
    """A page of the certificates, the newest first, and how many there are."""
    query = _chosen(words, course, state)
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(PrintRow.code).subquery())
    )
    rows = session.execute(query.limit(PAGE).offset((page - 1) * PAGE))
    return total or 0, [_print(*row) for row in rows]


def every(session: Session, *, words: str = "", course: str = "", state: str = "") -> Iterator[Print]:
    """All of them, in the same order."""
    for row in session.execute(_chosen(words, course, state)):
        yield _print(*row)


def of_student(session: Session, student: int) -> list[Print]:
    rows = session.execute(_all().where(PrintRow.student_id == student).order_by(PrintRow.issued.desc()))
    return [_print(*row) for row in rows]


def rename(session: Session, code: str, name: str | None) -> None:
    """How the name is printed from now on; None: as the student's record has it."""
    session.execute(update(PrintRow).where(PrintRow.code == code).values(name=name))


def _all() -> Select[Any]:
    return select(PrintRow, StudentRow).join(StudentRow, StudentRow.id == PrintRow.student_id)


def _chosen(words: str, course: str, state: str) -> Select[Any]:
    query = with_words(_all(), words, PrintRow.name, PrintRow.code)
    if course:
        query = query.where(PrintRow.course == course)
    if state:
        query = query.where(PrintRow.revoked.is_(state == "taken_back"))
    return query.order_by(PrintRow.issued.desc(), PrintRow.code)


def _print(row: PrintRow, student: StudentRow) -> Print:
    person = person_of(student)
    return Print(
        row.code,
        person,
        row.course,
        row.name or person.full_name,
        row.name is not None,
        row.issued,
        row.revoked,
    )
