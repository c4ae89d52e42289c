"""Certificates as they are made and kept: their number and design, anew, void, brought in and taken out."""

from __future__ import annotations

import secrets
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from sqlalchemy import and_, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.completion.certificates import design_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import certificate_code
from patient_courier.core.school.certificates import Design, IssuedCertificate
from patient_courier.core.school.courses import Course
from patient_courier.store.base.changed import changed_by
from patient_courier.store.base.tables import (
    CertificateRow,
    DesignRow,
    EnrolmentRow,
    PrintRow,
    StudentRow,
    VoidPlaceRow,
)
from patient_courier.store.completion.certificates import every

# Places come from lists of this many, and a new list is begun when one is half full: a place tells nobody how many
# certificates there are (“Bitstring Status List v1.0”, section 6.1).
LIST = 131_072


@dataclass(frozen=True, slots=True)
class Changed:
    """What has become of one student's certificate: ``issued`` None when it was taken back."""

    student_id: int
    student: str
    course: str
    issued: Instant | None


def is_announced(session: Session, course: str) -> bool:
    """Whether anybody knows of a course: somebody is or was in it, or has its certificate."""
    within = select(EnrolmentRow.student_id).where(EnrolmentRow.course == course)
    issued = select(PrintRow.code).where(PrintRow.course == course)
    return any(session.scalar(query.limit(1)) is not None for query in (within, issued))


def follow(session: Session, definitions: Definitions, changes: Iterable[Changed]) -> None:
    """Keep what was issued, under its number and in today's design; what was taken back stays known as such."""
    designs: dict[str, str] = {}
    for one in changes:
        code = certificate_code(definitions.seal, one.student, one.course)
        if one.issued is None:
            session.execute(update(PrintRow).where(PrintRow.code == code).values(revoked=True))
            continue
        if one.course not in designs:
            designs[one.course] = _keep_design(session, _design(definitions, one.course))
        put = insert(PrintRow).values(
            code=code,
            student_id=one.student_id,
            course=one.course,
            issued=one.issued,
            changed=one.issued,
            revoked=False,
            design=designs[one.course],
            place=_free_place(session),
        )
        # Issued anew after it was taken back: under the same number and at the same place.
        again = {"issued": put.excluded.issued, "changed": put.excluded.changed, "revoked": False, "design": put.excluded.design}  # fmt: skip
        session.execute(
            put.on_conflict_do_update(index_elements=["code"], set_=again, where=PrintRow.revoked.is_(True))
        )


def fill(session: Session, definitions: Definitions) -> None:
    """Keep what was issued before certificates were kept by their numbers, or before they kept their design."""
    missing = (
        select(CertificateRow.student_id, StudentRow.key, CertificateRow.course, CertificateRow.issued)
        .join(StudentRow, StudentRow.id == CertificateRow.student_id)
        .outerjoin(
            PrintRow,
            and_(PrintRow.student_id == CertificateRow.student_id, PrintRow.course == CertificateRow.course),
        )
        .where(CertificateRow.issued.is_not(None), PrintRow.code.is_(None))
    )
    follow(session, definitions, [Changed(*row) for row in session.execute(missing).all()])
    for course in session.scalars(select(PrintRow.course).where(PrintRow.design.is_(None)).distinct()).all():
        design = _keep_design(session, _design(definitions, course))
        plain = update(PrintRow).where(PrintRow.design.is_(None), PrintRow.course == course)
        session.execute(plain.values(design=design, changed=PrintRow.issued))


def issue_again(session: Session, definitions: Definitions, course: str, now: Instant, code: str = "") -> int:
    """Give the certificates of a course that stand today's design, or one of them; returns how many that changed."""
    key = _keep_design(session, _design(definitions, course))
    query = update(PrintRow).where(
        PrintRow.course == course, PrintRow.design != key, PrintRow.revoked.is_(False)
    )
    if code:
        query = query.where(PrintRow.code == code)
    return changed_by(session, query.values(design=key, changed=now))


def older(session: Session, definitions: Definitions, course: str) -> int:
    """How many certificates of a course stand in another design than today's."""
    if course not in definitions.courses:
        return 0
    key = _design(definitions, course).key
    query = select(func.count()).where(
        PrintRow.course == course, PrintRow.design != key, PrintRow.revoked.is_(False)
    )
    return session.scalar(query) or 0


def _design(definitions: Definitions, course: str) -> Design:
    """Today's design of a course; of one that is gone, a plain one with its key."""
    return design_of(definitions, definitions.courses.get(course) or Course(key=course, title=course))


def _keep_design(session: Session, design: Design) -> str:
    put = insert(DesignRow).values(key=design.key, body=design.model_dump_json())
    session.execute(put.on_conflict_do_nothing())
    return design.key


def _free_place(session: Session) -> int:
    number = (session.scalar(select(func.count()).select_from(PrintRow)) or 0) // (LIST // 2)
    while True:
        place = number * LIST + secrets.randbelow(LIST)
        taken = session.scalar(select(PrintRow.code).where(PrintRow.place == place))
        if taken is None and session.get(VoidPlaceRow, place) is None:
            return place


def keep_void(session: Session, student: int) -> None:
    """Before a student is erased: the credentials of what was taken back from them stay void."""
    places = select(PrintRow.place).where(PrintRow.student_id == student, PrintRow.revoked)
    put_void(session, [place for place in session.scalars(places) if place is not None])


def put_void(session: Session, places: Iterable[int]) -> None:
    """Keep places as void."""
    for place in places:
        session.execute(insert(VoidPlaceRow).values(place=place).on_conflict_do_nothing())


def void_places(session: Session) -> list[int]:
    """All of them, of certificates whose students were erased."""
    return list(session.scalars(select(VoidPlaceRow.place).order_by(VoidPlaceRow.place)))


def taken_back(session: Session, number: int) -> tuple[list[int], Instant | None]:
    """The places of a list whose certificates were taken back, and when its first was issued; None: there is no such list."""
    first, last = number * LIST, (number + 1) * LIST - 1
    of_list = PrintRow.place.between(first, last)
    since = session.scalar(select(func.min(PrintRow.issued)).where(of_list))
    places: list[Any] = [*session.scalars(select(PrintRow.place).where(of_list, PrintRow.revoked))]
    places += session.scalars(select(VoidPlaceRow.place).where(VoidPlaceRow.place.between(first, last)))
    return places, since


def any_at_all(session: Session) -> bool:
    return session.scalar(select(PrintRow.code).limit(1)) is not None


def exported(session: Session) -> list[IssuedCertificate]:
    """All of them as the school file has them."""
    return [
        IssuedCertificate(
            code=one.code,
            student=one.student.key,
            course=one.course,
            name=one.name if one.own_name else None,
            issued=one.issued,
            taken_back=one.revoked,
            place=one.place,
            design=one.design,
        )
        for one in every(session)
    ]


def put_in(session: Session, certificates: Iterable[IssuedCertificate], ids: dict[str, int]) -> None:
    """Keep certificates of a school file; ``ids`` are the rows of its students by their keys."""
    for one in certificates:
        if one.student in ids:
            values = {
                "code": one.code,
                "student_id": ids[one.student],
                "course": one.course,
                "name": one.name,
            }
            standing = {"issued": one.issued, "changed": one.issued, "revoked": one.taken_back}
            design = _keep_design(session, one.design)
            session.execute(insert(PrintRow).values(**values, **standing, design=design, place=one.place))


def restore_facts(session: Session) -> None:
    """After a school file's past was played: certificates of it that stand and that no event brought (asked for, or issued by
    a step that is no longer there) are facts too."""
    standing = select(PrintRow.student_id, PrintRow.course, PrintRow.issued).where(
        PrintRow.revoked.is_(False)
    )
    for student, course, issued in session.execute(standing).all():
        put = insert(CertificateRow).values(student_id=student, course=course, issued=issued)
        fact = put.on_conflict_do_update(
            index_elements=["student_id", "course"],
            set_={"issued": issued},
            where=CertificateRow.issued.is_(None),
        )
        session.execute(fact)
