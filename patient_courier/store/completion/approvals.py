"""Certificates that students have asked for and that wait for the owner."""

from __future__ import annotations

from sqlalchemy import ColumnElement, and_, func, or_, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.plain import CERTIFICATES, ENROLMENTS
from patient_courier.store.base.tables import CertificateRow


def _waits() -> ColumnElement[bool]:
    """Requested, not issued, not put aside since; and the student is still in the course."""
    inside = and_(
        ENROLMENTS.c.student_id == CERTIFICATES.c.student_id,
        ENROLMENTS.c.course == CERTIFICATES.c.course,
        ENROLMENTS.c.via != "preview",
        ENROLMENTS.c.refunded.is_(None),
        ENROLMENTS.c.expired.is_(None),
    )
    return and_(
        CERTIFICATES.c.requested.is_not(None),
        CERTIFICATES.c.issued.is_(None),
        or_(CERTIFICATES.c.declined.is_(None), CERTIFICATES.c.declined < CERTIFICATES.c.requested),
        select(ENROLMENTS.c.student_id).where(inside).exists(),
    )


def count(session: Session) -> int:
    return session.scalar(select(func.count()).select_from(CERTIFICATES).where(_waits())) or 0


def waiting(session: Session, most: int) -> list[tuple[int, str, Instant]]:
    """Who waits for which course's certificate since when: (student's row id, course, requested), the oldest first."""
    rows = session.execute(
        select(CERTIFICATES.c.student_id, CERTIFICATES.c.course, CERTIFICATES.c.requested)
        .where(_waits())
        .order_by(CERTIFICATES.c.requested, CERTIFICATES.c.student_id)
        .limit(most)
    )
    return [(student, course, requested) for student, course, requested in rows]


def ask_again(session: Session, student: int, course: str, now: Instant) -> None:
    """Bring a request forward that was put aside; others stay as they are."""
    mine = (CertificateRow.student_id == student, CertificateRow.course == course)
    put_aside = (CertificateRow.declined.is_not(None), CertificateRow.issued.is_(None))
    session.execute(update(CertificateRow).where(*mine, *put_aside).values(requested=now, declined=None))


def was_declined(session: Session, student: int, course: str) -> bool:
    """Whether the owner has put this student's request aside, and no newer one has come since."""
    mine = (CERTIFICATES.c.student_id == student, CERTIFICATES.c.course == course)
    put_aside = (CERTIFICATES.c.issued.is_(None), CERTIFICATES.c.declined >= CERTIFICATES.c.requested)
    return session.scalar(select(CERTIFICATES.c.course).where(*mine, *put_aside)) is not None


def decline(session: Session, student: int, course: str, now: Instant) -> None:
    """Put a request aside; a new one comes forward again."""
    mine = (CertificateRow.student_id == student, CertificateRow.course == course)
    session.execute(update(CertificateRow).where(*mine).values(declined=now))
