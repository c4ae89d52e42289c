"""Courses: the list, the course line, its stops with their students, outlines, and a nudge drafted where many stall."""

from __future__ import annotations

from collections import Counter
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Response
from pydantic import BaseModel, ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core import calendar, figures, words
from patient_courier.core.definitions import Definitions
from patient_courier.core.duration import Duration
from patient_courier.core.line import ANYWHERE, COMPLETED, ENROLLED, Hung, hung, items, stops
from patient_courier.core.reading import as_data, validation_faults
from patient_courier.core.references import Known, sequence_faults
from patient_courier.core.school.courses import Course, Offer
from patient_courier.dispatch.clock import read_clock
from patient_courier.intake.outline import BadOutline, read_outline, write_outline
from patient_courier.store.definitions import replace_courses
from patient_courier.store.standing import Standing, standings
from patient_courier.store.tables import DeliveryRow, RunRow, StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.deliveries import student_name
from patient_courier.web.places.sequences import definitions_changed

router = APIRouter(prefix="/api/courses", tags=["courses"])
CourseBody = Annotated[dict[str, Any], Body()]
# From how many silent students on a stop without a letter is a gap (common practice, no source).
GAP_FROM = 3


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


class LineLetter(BaseModel):
    """A letter hung at a stop; ``when`` in words, ``waiting`` students stand at its step."""

    sequence: str
    sequence_name: str
    status: str
    step: str
    letter: str
    name: str
    when: str
    sent: int
    waiting: int


class StopOut(BaseModel):
    """A stop with the students who stand there, those of them who are silent, and how many have passed it."""

    id: str
    kind: str
    title: str
    detail: str
    module: str | None
    here: int
    silent: int
    passed: int
    letters: list[LineLetter]
    gap: str | None


class RateOut(BaseModel):
    part: int
    whole: int
    percent: int
    low: int
    high: int


class LineOut(BaseModel):
    key: str
    title: str
    active: int
    silent_days: int
    stops: list[StopOut]
    anywhere: list[LineLetter]
    reached_end: RateOut
    worst: str | None


class StopStudent(BaseModel):
    key: str
    name: str
    email: str
    last_seen: str
    silent: bool


class CourseOut(BaseModel):
    """A course in the form of the school file, with the offers that give it."""

    body: dict[str, Any]
    offers: list[dict[str, Any]]


def known_course(definitions: Definitions, key: str) -> Course:
    course = definitions.courses.get(key)
    if course is None:
        raise HTTPException(404, "There is no such course.")
    return course


def is_silent(one: Standing, now: Instant, days: int) -> bool:
    return not one.finished and one.seen.add(hours=24 * days) <= now


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
    course = known_course(definitions, key)
    now = read_clock(session).now
    people = standings(session, definitions, key)
    here, silent = (
        Counter(one.stop for one in people),
        Counter(one.stop for one in people if is_silent(one, now, silent_days)),
    )
    passed = Counter(stop for one in people for stop in one.done)
    passed[ENROLLED] = len(people)
    passed[COMPLETED] = sum(one.finished for one in people)
    letters = _line_letters(session, definitions, key)
    checked_in = {one.stop for one in hung(definitions, key)}
    any_check_in = any(stop.startswith("done:") for stop in checked_in)
    found = []
    for stop in stops(course):
        here_letters = letters.get(stop.id, [])
        gap = None
        if stop.kind in ("lesson", "quiz", "enrolment") and silent[stop.id] >= GAP_FROM and not here_letters:
            gap = f"{silent[stop.id]} students have stalled here, and no letter covers it."
        elif stop.kind == "module_completed" and any_check_in and not here_letters:
            gap = f"No check-in after {stop.title.removesuffix(' completed').lower()}."
        found.append(
            StopOut(
                id=stop.id,
                kind=stop.kind,
                title=stop.title,
                detail=stop.detail,
                module=stop.module,
                here=here[stop.id],
                silent=silent[stop.id],
                passed=passed[stop.id],
                letters=here_letters,
                gap=gap,
            )
        )
    gaps = [stop for stop in found if stop.gap and stop.silent]
    end = figures.rate(passed[COMPLETED], len(people))
    return LineOut(
        key=key,
        title=course.title,
        active=sum(not one.finished for one in people),
        silent_days=silent_days,
        stops=found,
        anywhere=letters.get(ANYWHERE, []),
        reached_end=RateOut(
            part=end.part,
            whole=end.whole,
            percent=round(100 * end.fraction),
            low=round(100 * end.low),
            high=round(100 * end.high),
        ),
        worst=max(gaps, key=lambda stop: stop.silent).id if gaps else None,
    )


def _line_letters(session: Session, definitions: Definitions, course: str) -> dict[str, list[LineLetter]]:
    d, r = DeliveryRow, RunRow
    sent = {
        (sequence, step): number
        for sequence, step, number in session.execute(
            select(d.sequence, d.step, func.count()).where(d.status == "sent").group_by(d.sequence, d.step)
        )
    }
    waiting = {
        (sequence, step): number
        for sequence, step, number in session.execute(
            select(r.sequence, r.step, func.count()).where(r.outcome.is_(None)).group_by(r.sequence, r.step)
        )
    }
    found: dict[str, list[LineLetter]] = {}
    for one in dict.fromkeys(hung(definitions, course)):
        found.setdefault(one.stop, []).append(_line_letter(definitions, one, sent, waiting))
    return found


def _line_letter(
    definitions: Definitions, one: Hung, sent: dict[tuple[str, str], int], waiting: dict[tuple[str, str], int]
) -> LineLetter:
    plan = definitions.sequences[one.sequence]
    # Students wait at the step before the letter, not at the letter itself.
    before = [step for step, place in plan.places.items() if place.after == one.step]
    return LineLetter(
        sequence=one.sequence,
        sequence_name=plan.sequence.name or plan.key,
        status=plan.sequence.status,
        step=one.step,
        letter=one.letter,
        name=definitions.letters[one.letter].letter.name or one.letter,
        when=one.when,
        sent=sent.get((one.sequence, one.step), 0),
        waiting=sum(waiting.get((one.sequence, step), 0) for step in [one.step, *before]),
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
    now, zone = read_clock(session).now, definitions.school.timezone
    there = sorted(
        (one for one in standings(session, definitions, key) if one.stop == stop), key=lambda one: one.seen
    )
    rows = {
        row.id: row
        for row in session.scalars(select(StudentRow).where(StudentRow.id.in_([x.student_id for x in there])))
    }
    return [
        StopStudent(
            key=rows[one.student_id].key,
            name=student_name(rows[one.student_id]),
            email=rows[one.student_id].email,
            last_seen=words.day(calendar.local_date(one.seen, rows[one.student_id].timezone or zone)),
            silent=is_silent(one, now, silent_days),
        )
        for one in there
    ]


@router.get("/{key}")
def get_course(key: str, user: SignedIn, post: ThePost, session: Reading) -> CourseOut:
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    offers = [as_data(offer) for offer in definitions.offers.values() if key in offer.courses]
    return CourseOut(body=as_data(course), offers=offers)


@router.put("/{key}")
def put_course(key: str, body: CourseBody, user: SignedIn, post: ThePost, session: Writing) -> CourseOut:
    """Save a course with its outline, or a new one. What sequences name can't be taken out."""
    course = _read({**body, "key": key})
    definitions = definitions_in(post, session)
    courses = {**definitions.courses, key: course}
    _save(session, post, definitions, list(courses.values()), list(definitions.offers.values()))
    return get_course(key, user, post, session)


class OfferBody(BaseModel):
    body: dict[str, Any]


@router.put("/{key}/offer")
def put_offer(key: str, body: OfferBody, user: SignedIn, post: ThePost, session: Writing) -> CourseOut:
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
    return get_course(key, user, post, session)


def _save(
    session: Session, post: ThePost, definitions: Definitions, courses: list[Course], offers: list[Offer]
) -> None:
    known = Known(courses, (x.key for x in offers), definitions.letters, definitions.sequences)
    for plan in definitions.sequences.values():
        if plan.sequence.status == "closed":
            continue
        for fault in sequence_faults("", plan.sequence, known):
            name = plan.sequence.name or plan.key
            raise HTTPException(
                409, f"The sequence “{name}” still needs what you took out: {fault.sentence}."
            )
    replace_courses(session, courses, offers)
    definitions_changed(session, post, read_clock(session).now)


def _read(body: dict[str, Any]) -> Course:
    try:
        course = Course.model_validate(body)
    except ValidationError as error:
        raise HTTPException(422, _first(error, body)) from error
    for name in ("lessons", "quizzes"):
        keys = Counter(item.key for module in course.modules for item in getattr(module, name))
        doubled = [key for key, number in keys.items() if number > 1]
        if doubled:
            raise HTTPException(
                422, f"The key “{doubled[0]}” is used twice; each lesson and quiz needs its own."
            )
    doubled = [key for key, number in Counter(module.key for module in course.modules).items() if number > 1]
    if doubled:
        raise HTTPException(422, f"The key “{doubled[0]}” is used by two modules; each needs its own.")
    return course


def _first(error: ValidationError, body: dict[str, Any]) -> str:
    fault = validation_faults(error, body)[0]
    place = fault.pointer.strip("/").replace("/", " ")
    return f"{place}: {fault.sentence}" if place else fault.sentence


@router.get("/{key}/outline.csv")
def outline_csv(key: str, user: SignedIn, post: ThePost, session: Reading) -> Response:
    course = known_course(definitions_in(post, session), key)
    headers = {"Content-Disposition": f'attachment; filename="{key}-outline.csv"'}
    return Response(write_outline(course), media_type="text/csv; charset=utf-8", headers=headers)


class OutlineText(BaseModel):
    text: str


@router.post("/{key}/outline")
def read_csv(key: str, body: OutlineText, user: SignedIn, post: ThePost, session: Reading) -> CourseOut:
    """The course as it would be with the outline of a CSV text. Saves nothing."""
    course = known_course(definitions_in(post, session), key)
    try:
        found = read_outline(body.text, course)
    except BadOutline as error:
        raise HTTPException(422, " ".join(error.faults[:5])) from error
    return CourseOut(body=as_data(found), offers=[])


def step_times(people: list[Standing], course: Course) -> list[tuple[str, Duration]]:
    """The median path: for each lesson and quiz, the median of the days after enrolling at which it was finished.

    Never earlier than what comes before it. What nobody has finished follows a day later.
    """
    found: list[tuple[str, Duration]] = []
    last = 0.0
    for stop in items(course):
        days = [(one.done[stop] - one.began).total("hours") / 24 for one in people if stop in one.done]
        middle = figures.median(days)
        last = max(last + 0.02, middle if middle is not None else last + 1)
        found.append((stop, Duration(nanoseconds=int(last * 86_400) * 1_000_000_000)))
    return found
