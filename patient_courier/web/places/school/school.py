"""School: who it is, where it is, how it signs its letters, when it posts, and the intake key."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, ValidationError
from starlette.concurrency import run_in_threadpool

from patient_courier.core.reading.school_file import (
    Unreadable,
    as_data,
    read_school,
    validation_faults,
    write_school,
)
from patient_courier.core.school.courses import Course, School
from patient_courier.core.school.events import OnSignedUp
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.values import zone_names
from patient_courier.core.writing.editing import likely_starts
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.credentials import check_keys, ensure_key
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.history import play_history
from patient_courier.dispatch.pictures import keep_pictures, read_pictures
from patient_courier.dispatch.taking import plan_clocks_anew
from patient_courier.intake.pictures import Made, NoPicture
from patient_courier.store.base.definitions import save_school
from patient_courier.store.completion.issuing import restore_facts
from patient_courier.store.school.exporting import export_school
from patient_courier.store.school.opening import NotEmpty, fill_school
from patient_courier.store.students import sign_ups
from patient_courier.store.students.people import fields_seen, forms_seen
from patient_courier.web.bounds import MOST_FILE_BYTES
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.written import note

router = APIRouter(prefix="/api/school", tags=["school"])


class SchoolOut(BaseModel):
    """The school in the form of the school file, what its calls are signed with, and how letters leave."""

    body: dict[str, Any]
    edition: str
    calls_key: str
    carrier: str


class SchoolIn(BaseModel):
    body: dict[str, Any]


class InnerShort(BaseModel):
    """A module, lesson or quiz to pick; ``key`` is its full reference."""

    key: str
    title: str
    module: str


class CourseShort(BaseModel):
    """A course, enough to pick it or one of its parts."""

    key: str
    title: str
    short: str
    modules: list[InnerShort]
    lessons: list[InnerShort]
    quizzes: list[InnerShort]


class KeyTitle(BaseModel):
    key: str
    title: str


class OfferShort(KeyTitle):
    """``course`` is the one it gives, when it gives one."""

    course: str | None


class ThingsOut(BaseModel):
    """Everything of the school that a sequence or a condition can name; ``likely_starts`` are events, the likeliest first."""

    courses: list[CourseShort]
    offers: list[OfferShort]
    letters: list[KeyTitle]
    sequences: list[KeyTitle]
    tags: list[str]
    likely_starts: list[str]
    forms: list[str]
    answers: list[KeyTitle]
    fields: list[str]


class Imported(BaseModel):
    students: int
    events: int
    sequences: int


class ZonesOut(BaseModel):
    zones: list[str]


@router.get("")
def get_school(user: SignedIn, post: ThePost, session: Reading, response: Response) -> SchoolOut:
    return _out(session, post, response)


def _out(session: Session, post: Post, response: Response) -> SchoolOut:
    body, server = as_data(definitions_in(post, session).school), post.servers.own
    return SchoolOut(
        body=body,
        edition=say(response, edition_of(body)),
        calls_key=post.secrets["calls"],
        carrier=f"{server.host}:{server.port}"
        if server is not None
        else "the built-in mailroom: nothing leaves this machine",
    )


@router.put("")
def put_school(
    body: SchoolIn, user: SignedIn, post: ThePost, session: Writing, begun: BegunFrom, response: Response
) -> SchoolOut:
    begun.check(edition_of(as_data(definitions_in(post, session).school)))
    try:
        school = School.model_validate(body.body)
    except ValidationError as error:
        fault = validation_faults(error, body.body)[0]
        raise HTTPException(422, f"{fault.pointer.strip('/') or 'School'}: {fault.sentence}") from error
    save_school(session, school)
    session.flush()
    plan_clocks_anew(session, definitions_in(post, session), read_clock(session).now)
    return _out(session, post, response)


@router.get("/things")
def things(user: SignedIn, post: ThePost, session: Reading) -> ThingsOut:
    definitions = definitions_in(post, session)
    wanted = {
        m.form
        for plan in definitions.sequences.values()
        for m in plan.matchers
        if isinstance(m, OnSignedUp) and m.form
    }
    return ThingsOut(
        courses=[
            _short(course, definitions.short_titles[course.key]) for course in definitions.courses.values()
        ],
        offers=[
            OfferShort(key=x.key, title=x.title, course=x.courses[0] if len(x.courses) == 1 else None)
            for x in definitions.offers.values()
        ],
        letters=[KeyTitle(key=key, title=x.letter.called) for key, x in definitions.letters.items()],
        sequences=[KeyTitle(key=x.key, title=x.sequence.called) for x in definitions.sequences.values()],
        tags=sorted(definitions.known_tags),
        likely_starts=likely_starts(definitions),
        forms=sorted(forms_seen(session) | wanted | {one.form.key for one in sign_ups.forms(session)}),
        answers=[
            KeyTitle(key=choice.key, title=choice.label)
            for x in definitions.letters.values()
            for _, choice in x.letter.answers()
        ],
        fields=sorted(fields_seen(session)),
    )


def _short(course: Course, short: str) -> CourseShort:
    def inner(name: str) -> list[InnerShort]:
        return [
            InnerShort(key=f"{course.key}/{item.key}", title=item.title, module=module.title)
            for module in course.modules
            for item in getattr(module, name)
        ]

    modules = [InnerShort(key=f"{course.key}/{m.key}", title=m.title, module=m.title) for m in course.modules]
    return CourseShort(
        key=course.key,
        title=course.title,
        short=short,
        modules=modules,
        lessons=inner("lessons"),
        quizzes=inner("quizzes"),
    )


@router.get("/file")
def export_file(user: SignedIn, post: ThePost, session: Reading, keys: bool = False) -> Response:
    """The whole school as a school file; ``keys``: with the secret halves of the keys that certificates are signed with."""
    text = write_school(export_school(session, definitions_in(post, session), private_keys=keys))
    headers = {"Content-Disposition": 'attachment; filename="school.json"'}
    return Response(text, media_type="application/json", headers=headers)


@router.post(
    "/file",
    openapi_extra={
        "requestBody": {"required": True, "content": {"application/json": {"schema": {"type": "object"}}}}
    },
)
async def import_file(request: Request, user: SignedIn, post: ThePost) -> Imported:
    """Put a school file, the body as it is, into this school, which must be empty.

    Its events count as the past; nothing is posted for them.
    """
    text = bytearray()
    async for piece in request.stream():
        text += piece
        if len(text) > MOST_FILE_BYTES:
            raise HTTPException(413, "This file is too large.")
    return await run_in_threadpool(_import, post, bytes(text), user.name)


def _import(post: Post, text: bytes, who: str) -> Imported:
    try:
        file = read_school(text)
    except Unreadable as error:
        lines = [f"{fault.pointer or '/'}: {fault.sentence}" for fault in error.faults]
        raise HTTPException(422, "\n".join(lines[:20])) from error
    try:
        read = read_pictures(post.files, file)
    except NoPicture as error:
        raise HTTPException(409, str(error)) from error
    with post.database.writing() as session:
        filled = _fill(session, post, file, read)
    note(post, who, "A school file taken in")
    return filled


def _fill(session: Session, post: Post, file: SchoolFile, read: list[tuple[str, Made]]) -> Imported:
    now = read_clock(session).now
    try:
        check_keys(file.signing_keys)
        fill_school(session, file, now)
        ensure_key(session, now)
        keep_pictures(session, read, now)
        session.flush()
        play_history(session, definitions_in(post, session), file.events, now)
        restore_facts(session)
    except (NotEmpty, ValueError) as error:
        raise HTTPException(409, str(error)) from error
    plan_clocks_anew(session, definitions_in(post, session), now)
    return Imported(students=len(file.students), events=len(file.events), sequences=len(file.sequences))


@router.get("/zones")
def zones(user: SignedIn) -> ZonesOut:
    """Every time zone by name."""
    return ZonesOut(zones=zone_names())
