"""Courses: the list, the course line, its stops with their students, outlines, and a nudge drafted where many stall."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Response
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.calendar import calendar
from patient_courier.core.courses.course_line import hung
from patient_courier.core.courses.standing import is_silent
from patient_courier.core.drafting.course_line_view import LineOut, covered_line
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import certificate_faults, doubled_outline_key, sequence_faults
from patient_courier.core.reading.school_file import as_data, validation_faults
from patient_courier.core.school.courses import Course, Offer
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.taking import definitions_changed
from patient_courier.intake.outline import BadOutline, read_outline, write_outline
from patient_courier.store.base.definitions import replace_courses
from patient_courier.store.sequences.counts import sent_by_step, told_by_step, waiting_by_step
from patient_courier.store.students.people import by_ids
from patient_courier.store.students.standing import standings
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.refusals import attachment

router = APIRouter(prefix="/api/courses", tags=["courses"])
CourseBody = Annotated[dict[str, Any], Body()]


class CourseSummary(BaseModel):
    key: str
    title: str
    summary: str
    modules: int
    lessons: int
    quizzes: int
    active: int
    finished: int
    silent: int
    letters: int


class StopStudent(BaseModel):
    key: str
    name: str
    email: str
    last_seen: str
    silent: bool


class CourseOut(BaseModel):
    """A course in the form of the school file, with the offers that give it."""

    body: dict[str, Any]
    edition: str
    offers: list[dict[str, Any]]


def known_course(definitions: Definitions, key: str) -> Course:
    course = definitions.courses.get(key)
    if course is None:
        raise HTTPException(404, "There is no such course.")
    return course


@router.get("")
def list_courses(
    user: SignedIn, post: ThePost, session: Reading, silent_days: int = Query(7, ge=1, le=365)
) -> list[CourseSummary]:
    definitions = definitions_in(post, session)
    now = read_clock(session).now
    found = []
    for key, course in definitions.courses.items():
        people = standings(session, definitions, key)
        found.append(
            CourseSummary(
                key=key,
                title=course.title,
                summary=course.summary,
                modules=len(course.modules),
                lessons=sum(len(module.lessons) for module in course.modules),
                quizzes=sum(len(module.quizzes) for module in course.modules),
                active=sum(not one.finished for one in people),
                finished=sum(one.finished for one in people),
                silent=sum(is_silent(one, now, silent_days) for one in people),
                letters=len({(one.sequence, one.step) for one in hung(definitions, key)}),
            )
        )
    return found


@router.get("/{key}/line")
def course_line(
    key: str, user: SignedIn, post: ThePost, session: Reading, silent_days: int = Query(7, ge=1, le=365)
) -> LineOut:
    definitions = definitions_in(post, session)
    known_course(definitions, key)
    return covered_line(
        definitions,
        key,
        standings(session, definitions, key),
        read_clock(session).now,
        silent_days,
        sent_by_step(session),
        waiting_by_step(session),
        told_by_step(session, definitions, key),
    )


@router.get("/{key}/students")
def students_at(
    key: str,
    stop: str,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    silent_days: int = Query(7, ge=1, le=365),
) -> list[StopStudent]:
    """Who stands at a stop now, those who have been silent longest first."""
    definitions = definitions_in(post, session)
    known_course(definitions, key)
    now, school = read_clock(session).now, definitions.school
    there = sorted(
        (one for one in standings(session, definitions, key) if one.stop == stop), key=lambda one: one.seen
    )
    people = by_ids(session, (one.student_id for one in there))
    return [
        StopStudent(
            key=person.key,
            name=person.name,
            email=person.email,
            last_seen=words.day(calendar.local_date(one.seen, school.zone_of(person.timezone))),
            silent=is_silent(one, now, silent_days),
        )
        for one in there
        if (person := people[one.student_id])
    ]


@router.get("/{key}")
def get_course(key: str, user: SignedIn, post: ThePost, session: Reading, response: Response) -> CourseOut:
    return _out(session, post, key, response)


def _out(session: Session, post: ThePost, key: str, response: Response) -> CourseOut:
    definitions = definitions_in(post, session)
    body = as_data(known_course(definitions, key))
    offers = [as_data(offer) for offer in definitions.offers.values() if key in offer.courses]
    return CourseOut(body=body, edition=say(response, edition_of(body)), offers=offers)


@router.put("/{key}")
def put_course(
    key: str,
    body: CourseBody,
    user: SignedIn,
    post: ThePost,
    session: Writing,
    begun: BegunFrom,
    response: Response,
) -> CourseOut:
    """Save a course with its outline, or a new one. What sequences name can't be taken out."""
    definitions = definitions_in(post, session)
    there = definitions.courses.get(key)
    begun.check(edition_of(as_data(there)) if there else None)
    course = read_course({**body, "key": key})
    courses = {**definitions.courses, key: course}
    _save(session, post, definitions, list(courses.values()), list(definitions.offers.values()))
    return _out(session, post, key, response)


class OfferBody(BaseModel):
    body: dict[str, Any]


@router.put("/{key}/offer")
def put_offer(
    key: str, body: OfferBody, user: SignedIn, post: ThePost, session: Writing, response: Response
) -> CourseOut:
    """Save an offer that gives this course."""
    definitions = definitions_in(post, session)
    known_course(definitions, key)
    try:
        offer = Offer.model_validate(body.body)
    except ValidationError as error:
        raise HTTPException(422, _first(error, body.body)) from error
    missing = [course for course in offer.courses if course not in definitions.courses]
    if missing:
        raise HTTPException(422, f"There is no course “{missing[0]}”.")
    offers = {**definitions.offers, offer.key: offer}
    _save(session, post, definitions, list(definitions.courses.values()), list(offers.values()))
    return _out(session, post, key, response)


def _save(
    session: Session, post: ThePost, definitions: Definitions, courses: list[Course], offers: list[Offer]
) -> None:
    known = Known(courses, (x.key for x in offers), definitions.letters, definitions.sequences)
    for plan in definitions.sequences.values():
        if plan.sequence.status == "closed":
            continue
        for fault in sequence_faults("", plan.sequence, known):
            name = plan.sequence.called
            raise HTTPException(
                409, f"The sequence “{name}” still needs what you took out: {fault.sentence}."
            )
    replace_courses(session, courses, offers)
    definitions_changed(session, post.library.load, read_clock(session).now)


def read_course(body: dict[str, Any]) -> Course:
    """A course as it came in. 422 with the first thing that is wrong."""
    try:
        course = Course.model_validate(body)
    except ValidationError as error:
        raise HTTPException(422, _first(error, body)) from error
    doubled = doubled_outline_key(course)
    if doubled:
        raise HTTPException(422, doubled)
    for fault in certificate_faults("certificate", course):
        raise HTTPException(422, f"{fault.pointer.replace('/', ' ')}: {fault.sentence}")
    return course


def _first(error: ValidationError, body: dict[str, Any]) -> str:
    fault = validation_faults(error, body)[0]
    place = fault.pointer.strip("/").replace("/", " ")
    return f"{place}: {fault.sentence}" if place else fault.sentence


@router.get("/{key}/outline.csv")
def outline_csv(key: str, user: SignedIn, post: ThePost, session: Reading) -> Response:
    course = known_course(definitions_in(post, session), key)
    headers = {"Content-Disposition": attachment(f"{key}-outline.csv")}
    return Response(write_outline(course), media_type="text/csv; charset=utf-8", headers=headers)


class OutlineText(BaseModel):
    text: str = Field(max_length=1_000_000)


@router.post("/{key}/outline")
def read_csv(key: str, body: OutlineText, user: SignedIn, post: ThePost, session: Reading) -> CourseOut:
    """The course as it would be with the outline of a CSV text. Saves nothing."""
    course = known_course(definitions_in(post, session), key)
    try:
        found = read_outline(body.text, course)
    except BadOutline as error:
        raise HTTPException(422, " ".join(error.faults[:5])) from error
    return CourseOut(body=as_data(found), edition=edition_of(as_data(course)), offers=[])
