"""Drafts made for the owner: a nudge for a stop, a sequence for another course, a starter, and the median path's post."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.calendar import calendar
from patient_courier.core.courses.course_line import stops
from patient_courier.core.drafting import ending, median, nudge
from patient_courier.core.drafting.fitting import Fitted, PartOut, fit, named_parts, of_sequence
from patient_courier.core.drafting.median import MedianPost
from patient_courier.core.drafting.neutral import filled
from patient_courier.core.engine.definitions import Definitions
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.base.definitions import save_sequence
from patient_courier.store.letters.starters import abouts, starter_pattern, starters
from patient_courier.store.students.standing import standings
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.places.sequences.sequences import found_plan
from patient_courier.web.saved_letters import keep_letter

router = APIRouter(prefix="/api", tags=["drafting"])


class Made(BaseModel):
    """The sequence that was drafted; open it to read and change it."""

    key: str


class NudgeIn(BaseModel):
    stop: str


class EndingIn(BaseModel):
    """The offer of the course that comes next; empty: none."""

    next: str = Field("", max_length=200)


class StarterOut(BaseModel):
    key: str
    name: str
    about: str
    letters: list[str]
    sequences: int


class FitIn(BaseModel):
    """For which course, and what takes the place of each part (``kind:key`` → key); what is left out is guessed."""

    course: str
    places: dict[str, str] = {}


def _save(session: Session, definitions: Definitions, fitted: Fitted) -> Made:
    now = read_clock(session).now
    for letter in fitted.letters:
        keep_letter(session, definitions, letter, now)
    for sequence in fitted.sequences:
        save_sequence(session, sequence, now)
    return Made(key=fitted.sequences[0].key)


@router.post("/courses/{key}/nudge", status_code=201)
def draft_nudge(key: str, body: NudgeIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """A sequence in draft, and its letter, for those who come to a stop and do nothing: whoever moves on never sees it."""
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    stop = next((stop for stop in stops(course) if stop.id == body.stop), None)
    if stop is None:
        raise HTTPException(404, "There is no such stop in this course.")
    letter, sequence = nudge.draft_nudge(definitions, course, stop)
    return _save(session, definitions, Fitted([letter], [sequence]))


@router.post("/courses/{key}/ending", status_code=201)
def draft_the_end(key: str, body: EndingIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """What comes with and after the certificate, in draft: the certificate, feedback, the next course."""
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    if course.certificate is None:
        raise HTTPException(409, "This course has no certificate. Give it one in its outline first.")
    after = definitions.offers.get(body.next)
    if body.next and after is None:
        raise HTTPException(404, "There is no such offer.")
    return _save(session, definitions, ending.draft_ending(definitions, course, after))


@router.post("/courses/{key}/reminder", status_code=201)
def draft_a_reminder(key: str, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """A letter to those who are nearly through and go silent, in draft."""
    definitions = definitions_in(post, session)
    return _save(session, definitions, ending.draft_reminder(definitions, known_course(definitions, key)))


@router.get("/starters")
def list_starters(user: SignedIn) -> list[StarterOut]:
    """Ready-made sequences with their letters, to be fitted to a course."""
    return [
        StarterOut(
            key=key,
            name=key.replace("-", " ").capitalize(),
            about=abouts().get(key) or file.about or "",
            letters=[letter.name for letter in file.letters],
            sequences=len(file.sequences),
        )
        for key, file in starters().items()
    ]


@router.post("/starters/{key}", status_code=201)
def take_starter(key: str, body: FitIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """Take a starter: its sequences come in as drafts, its letters with them, fitted to the course."""
    if key not in starters():
        raise HTTPException(404, "There is no such starter.")
    definitions = definitions_in(post, session)
    course = known_course(definitions, body.course)
    today = calendar.local_date(read_clock(session).now, definitions.school.timezone)
    fitted = fit(definitions, starter_pattern(key, today), course, body.places)
    letters = [filled(letter, definitions.school, course) for letter in fitted.letters]
    return _save(session, definitions, Fitted(letters, fitted.sequences))


@router.get("/sequences/{key}/parts")
def sequence_parts(key: str, course: str, user: SignedIn, post: ThePost, session: Reading) -> list[PartOut]:
    """The parts of its course that a sequence names, with a guess for another course."""
    definitions = definitions_in(post, session)
    return named_parts(definitions, found_plan(definitions, key), known_course(definitions, course))


@router.post("/sequences/{key}/duplicate", status_code=201)
def duplicate(key: str, body: FitIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """The same sequence for another course, as a draft, with letters of its own."""
    definitions = definitions_in(post, session)
    pattern = of_sequence(definitions, found_plan(definitions, key))
    return _save(
        session, definitions, fit(definitions, pattern, known_course(definitions, body.course), body.places)
    )


@router.get("/courses/{key}/post")
def median_post(key: str, user: SignedIn, post: ThePost, session: Reading) -> MedianPost:
    """Play the median student of a course through all running sequences."""
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    first = calendar.local_date(read_clock(session).now, definitions.school.timezone)
    return median.median_post(definitions, course, standings(session, definitions, key), first)
