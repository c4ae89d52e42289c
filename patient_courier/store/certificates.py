"""Issued certificates, found by the number that is printed on them."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.fields import certificate_code
from patient_courier.store.people import Person, person_of
from patient_courier.store.tables import CertificateRow, StudentRow


@dataclass(frozen=True, slots=True)
class Issued:
    """A certificate that stands."""

    student: Person
    course: str
    issued: Instant
    code: str


def by_code(session: Session, school: str, code: str) -> Issued | None:
    """The certificate with this number, however it is written; None when there is none, or it was taken back."""
    wanted = "".join(x for x in code.upper() if x.isalnum())
    rows = session.execute(
        select(CertificateRow.course, CertificateRow.issued, StudentRow.id, StudentRow.key)
        .join(StudentRow, StudentRow.id == CertificateRow.student_id)
        .where(CertificateRow.issued.is_not(None))
    )
    for course, issued, id, key in rows:
        found = certificate_code(school, key, course)
        if found.replace("-", "") == wanted:
            return Issued(person_of(session.get_one(StudentRow, id)), course, issued, found)
    return None
