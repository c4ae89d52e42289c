"""Certificates: all of them with search, the name that is printed, taking back, as CSV, and a course's PDFs as one archive."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Path, Query, Response
from pydantic import BaseModel, Field
from whenever import Date, Instant

from patient_courier.certificates.drawing import draw
from patient_courier.certificates.scripts import missing
from patient_courier.core.calendar import calendar
from patient_courier.core.completion.certificates import FIELDS, design_of, difficult
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import CourseEvent
from patient_courier.core.school.text import Line
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.dispatch.taking import take_events
from patient_courier.store.completion import certificates, issuing
from patient_courier.store.completion.certificates import Print
from patient_courier.store.students import people
from patient_courier.web.context import (
    PageNumber,
    Reading,
    Search,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)
from patient_courier.web.places.courses.courses import known_course, read_course
from patient_courier.web.printed_certificate import certificate_of, example
from patient_courier.web.refusals import csv_file

router = APIRouter(prefix="/api/certificates", tags=["certificates"])
Day = Annotated[str | None, Query(max_length=10)]
CodePath = Annotated[str, Path(max_length=40)]


class CertificateOut(BaseModel):
    """A certificate: ``name`` as printed, ``own_name`` when it differs from the student's record by wish.

    ``older_design``: it looks as it was issued, and today's design is another; ``unprintable``: signs no font here has.
    """

    code: str
    student: str
    student_name: str
    name: str
    own_name: bool
    course: str
    course_title: str
    issued: str
    state: Literal["stands", "taken_back"]
    older_design: bool
    unprintable: str


class CertificatesPage(BaseModel):
    """``older``: of the chosen course, how many stand in another design than today's."""

    total: int
    older: int
    items: list[CertificateOut]


class Chosen(BaseModel):
    """Which certificates: by words in name, address or number, by course, by whether they stand, by the day of issue.

    ``since`` and ``until`` are days of the school's calendar, both inclusive.
    """

    q: Search = ""
    course: str = Field("", max_length=200)
    state: Literal["", "stands", "taken_back"] = ""
    since: Day = None
    until: Day = None

    def of(self, zone: str) -> certificates.Chosen:
        """As the tables are asked. 422 for a day that does not exist."""
        return certificates.Chosen(
            self.q, self.course, self.state, _midnight(self.since, zone, 0), _midnight(self.until, zone, 1)
        )


def _midnight(day: str | None, zone: str, later: int) -> Instant | None:
    if not day:
        return None
    try:
        date = Date.parse_iso(day)
        if not 1900 <= date.year < 2150:
            raise ValueError
    except ValueError as error:
        raise HTTPException(422, "Write days as 2026-03-31.") from error
    return calendar.resolve(date.add(days=later).at(calendar.MIDNIGHT), zone)


class NameIn(BaseModel):
    """How the name is printed; empty: as the student's record has it."""

    name: Line = Field(max_length=300)


class DesignIn(BaseModel):
    """A course in the form of the school file, and the name to print."""

    course: dict[str, Any]
    name: Line = Field("", max_length=300)


class DesignNames(BaseModel):
    """Names to see a design with, and the merge fields that its lines can have."""

    names: list[str]
    fields: list[str]


class AgainIn(BaseModel):
    """A course, and the number of one of its certificates; without it all of them."""

    course: str = Field(max_length=200)
    code: str = Field("", max_length=40)


class DrawnAnew(BaseModel):
    changed: int


@router.get("")
def list_certificates(
    chosen: Annotated[Chosen, Query()], user: SignedIn, post: ThePost, session: Reading, page: PageNumber = 1
) -> CertificatesPage:
    """A page of fifty, the newest first."""
    definitions = definitions_in(post, session)
    total, found = certificates.search(session, chosen.of(definitions.school.timezone), page)
    older = issuing.older(session, definitions, chosen.course) if chosen.course else 0
    return CertificatesPage(
        total=total, older=older, items=[certificate_out(definitions, one) for one in found]
    )


def certificate_out(definitions: Definitions, one: Print) -> CertificateOut:
    course = definitions.courses.get(one.course)
    return CertificateOut(
        code=one.code,
        student=one.student.key,
        student_name=one.student.name,
        name=one.name,
        own_name=one.own_name,
        course=one.course,
        course_title=course.title if course else one.course,
        issued=words.moment(one.issued, definitions.school.timezone),
        state=one.state,
        older_design=course is not None and not one.revoked and one.design != design_of(definitions, course),
        unprintable=missing(one.printed_name),
    )


@router.get("/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def as_csv(chosen: Annotated[Chosen, Query()], user: SignedIn, post: ThePost, session: Reading) -> Response:
    """The same as CSV (RFC 4180), safe to open in a spreadsheet."""
    definitions = definitions_in(post, session)
    lines = (
        [
            one.code,
            one.name,
            one.student.email,
            one.design.title,
            moment_text(one.issued),
            one.state,
        ]
        for one in certificates.every(session, chosen.of(definitions.school.timezone))
    )
    return csv_file("certificates.csv", ["number", "name", "address", "course", "issued", "state"], lines)


@router.get("/names")
def names(user: SignedIn, session: Reading) -> DesignNames:
    """Names of this school that show what a design can bear: the longest, and one of each script."""
    return DesignNames(names=difficult(people.names_beyond(session)), fields=sorted(FIELDS))


@router.post("/preview", response_class=Response, responses={200: {"content": {"image/png": {}}}})
def preview(body: DesignIn, user: SignedIn, post: ThePost, session: Reading) -> Response:
    """A course's certificate as it would look for this name, saved or not. Saves nothing."""
    definitions = definitions_in(post, session)
    design = design_of(definitions, read_course(body.course))
    unknown = missing(body.name)
    if unknown:
        raise HTTPException(
            422,
            f"No font here has these signs: {unknown} For Chinese, Japanese and Korean install the extra “cjk”; "
            "else have the name written in other signs.",
        )
    drawn = certificate_of(session, definitions, design, example(design, body.name, now_in(session)))
    try:
        return Response(draw(drawn, "png"), media_type="image/png")
    except RuntimeError as error:
        raise HTTPException(422, "This certificate can't be drawn. Choose other pictures.") from error


@router.put("/{code}")
def rename(code: CodePath, body: NameIn, user: SignedIn, post: ThePost, session: Writing) -> CertificateOut:
    """Say how the name is printed; the certificate keeps its number."""
    found = _known(session, code)
    certificates.rename(session, found.code, body.name.strip() or None, now_in(session))
    session.expire_all()
    return certificate_out(definitions_in(post, session), _known(session, code))


@router.post("/{code}/take-back")
def take_back(code: CodePath, user: SignedIn, post: ThePost, session: Writing) -> CertificateOut:
    """Take a certificate back: its page says so from now on, and what was requested before is void."""
    found = _known(session, code)
    if found.revoked:
        raise HTTPException(409, "This certificate has been taken back already.")
    definitions, now = definitions_in(post, session), now_in(session)
    body = {"type": "certificate_revoked", "student": found.student.key, "at": now, "course": found.course}
    take_events(session, definitions, [CourseEvent.model_validate(body)], now)
    session.expire_all()
    return certificate_out(definitions, _known(session, code))


@router.post("/again")
def issue_again(body: AgainIn, user: SignedIn, post: ThePost, session: Writing) -> DrawnAnew:
    """Issue certificates of a course that stand in today's design, under the same numbers; or one of them."""
    definitions = definitions_in(post, session)
    known_course(definitions, body.course)
    return DrawnAnew(
        changed=issuing.issue_again(session, definitions, body.course, now_in(session), body.code)
    )


def _known(session: Session, code: str) -> Print:
    found = certificates.by_code(session, code)
    if found is None:
        raise HTTPException(404, "There is no such certificate.")
    return found
