"""Certificates as they are printed: found by number, listed, named as the student wishes. One that was taken back stays known."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

from sqlalchemy import Select, and_, func, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.completion.certificates import design_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import certificate_code
from patient_courier.core.school.certificates import Design, IssuedCertificate
from patient_courier.core.school.courses import Course
from patient_courier.store.base.tables import (
    CertificateRow,
    DesignRow,
    EnrolmentRow,
    PrintRow,
    StudentRow,
    VoidPlaceRow,
)
from patient_courier.store.students.people import PAGE, Person, person_of, with_words

Standing = Literal["stands", "taken_back"]
# Places come from lists of this many, and a new list is begun when one is half full: a place tells nobody how many
# certificates there are (“Bitstring Status List v1.0”, section 6.1).
LIST = 131_072


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
            put.on_conflict_do_update(index_elements=["code"], set_=again, where=PrintRow.revoked)
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
    return session.execute(query.values(design=key, changed=now)).rowcount  # type: ignore[attr-defined, no-any-return]


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


def _all() -> Select[Any]:
    return (
        select(PrintRow, StudentRow, DesignRow.body)
        .join(StudentRow, StudentRow.id == PrintRow.student_id)
        .join(DesignRow, DesignRow.key == PrintRow.design)
    )


def _chosen(chosen: Chosen) -> Select[Any]:
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
