"""Drafts made for the owner: a nudge for a stop, a sequence for another course, a starter, and the median path's post."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core import calendar, words
from patient_courier.core.definitions import Definitions
from patient_courier.core.line import items, stops
from patient_courier.core.reading import as_data, read_school
from patient_courier.core.refit import Part, guess, parts, refit
from patient_courier.core.rehearsal import rehearse_moves
from patient_courier.core.school.courses import Course, Offer
from patient_courier.core.school.file import SchoolFile, Student
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.state import new_state
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.definitions import save_letter, save_sequence
from patient_courier.store.standing import standings
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.courses import known_course, step_times
from patient_courier.web.places.rehearsals import read_event

router = APIRouter(prefix="/api", tags=["drafting"])
EXAMPLES = Path(__file__).parents[3] / "examples"


class Made(BaseModel):
    """The sequence that was drafted; open it to read and change it."""

    key: str


class NudgeIn(BaseModel):
    stop: str


@router.post("/courses/{key}/nudge", status_code=201)
def draft_nudge(key: str, body: NudgeIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """A sequence in draft, and its letter, for those who come to a stop and do nothing: whoever moves on never sees it."""
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    stop = next((stop for stop in stops(course) if stop.id == body.stop), None)
    if stop is None:
        raise HTTPException(404, "There is no such stop in this course.")
    now = read_clock(session).now
    sequence_key = _free(f"nudge-{stop.id.rpartition('/')[2]}", definitions.sequences)
    letter_key = _free(sequence_key, definitions.letters)
    title = stop.title.removeprefix("Quiz: ")
    if stop.kind == "module_completed":
        letter, sequence = _check_in(course, stop.id.removeprefix("done:"), letter_key, sequence_key)
    else:
        letter = _letter(letter_key, f"Nudge: {title}", f"{title}: shall we go on?", _NUDGE)
        sequence = _nudge(
            definitions, course, body.stop, letter_key, sequence_key, f"{_short(course)} · nudge at “{title}”"
        )
    save_letter(session, Letter.model_validate(letter), now)
    save_sequence(session, Sequence.model_validate(sequence), now)
    return Made(key=sequence_key)


_HELLO = "<p>Hello {{ student.first_name | default('there') }},</p>"
_NUDGE = _HELLO + (
    "<p>the next lesson waiting for you is {{ next_lesson.title | default('a short one') }}. Most people who stop here "
    "stop because of one small thing. Which one is it for you? Reply with a line, or sit down for ten minutes and begin.</p>"
)
_ASK = _HELLO + (
    "<p>you have finished {{ module.title }}, and you are {{ course.progress }}% through {{ course.title }}. "
    "How is it going? One line is enough, I read every letter.</p>"
)


def _letter(key: str, name: str, subject: str, html: str) -> dict[str, Any]:
    blocks = [{"kind": "text", "html": html}]
    return {"key": key, "name": name, "purpose": "course_help", "subject": subject, "blocks": blocks}


def _refunds(definitions: Definitions, course: str) -> list[dict[str, str]]:
    return [
        {"on": "refunded", "offer": offer.key}
        for offer in definitions.offers.values()
        if offer.courses == [course]
    ]


def _nudge(
    definitions: Definitions, course: Course, stop: str, letter: str, key: str, name: str
) -> dict[str, Any]:
    order = items(course)
    at = order.index(stop) if stop in order else -1
    before = order[at - 1] if at > 0 else None
    start: dict[str, Any] = {"on": "enrolled", "course": course.key}
    if before is not None:
        start = _finished(before)
    reached = _begun(stop) if at >= 0 else {"on": "lesson_started", "course": course.key}
    return {
        "key": key,
        "name": name,
        "status": "draft",
        "starts": [start],
        "again": "once_per_subject",
        "leaves": _refunds(definitions, course.key),
        "steps": [
            {"id": "wait", "do": "wait", "for": "P3D", "at": "10:00"},
            {"id": "nudge", "do": "send", "letter": letter},
            {"id": "moving", "do": "waypoint", "reach": reached},
        ],
    }


def _short(course: Course) -> str:
    """The title up to its colon."""
    return course.title.partition(":")[0]


def _finished(stop: str) -> dict[str, Any]:
    if stop.startswith("quiz:"):
        return {"on": "quiz_passed", "quiz": stop.removeprefix("quiz:")}
    return {"on": "lesson_completed", "lesson": stop}


def _begun(stop: str) -> dict[str, Any]:
    if stop.startswith("quiz:"):
        return {"on": "quiz_taken", "quiz": stop.removeprefix("quiz:")}
    return {"on": "lesson_started", "lesson": stop}


def _check_in(course: Course, module: str, letter: str, key: str) -> tuple[dict[str, Any], dict[str, Any]]:
    title = next(m.title for m in course.modules if f"{course.key}/{m.key}" == module)
    sequence = {
        "key": key,
        "name": f"{_short(course)} · after “{title}”",
        "status": "draft",
        "starts": [{"on": "module_completed", "module": module}],
        "again": "once_per_subject",
        "steps": [
            {"id": "wait", "do": "wait", "for": "PT30M"},
            {"id": "ask", "do": "send", "letter": letter},
        ],
    }
    return _letter(letter, f"After “{title}”", "{{ module.title }}: done. How is it going?", _ASK), sequence


def _free(wish: str, taken: Any) -> str:
    plain = re.sub(r"[^a-z0-9]+", "-", wish.lower()).strip("-")[:60] or "new"
    return next(key for n in range(1, 100_000) if (key := plain if n == 1 else f"{plain}-{n}") not in taken)


class PartOut(BaseModel):
    """Something of the course that the sequence names, and what would most likely take its place."""

    kind: str
    key: str
    title: str
    guess: str | None


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


@cache
def _starters() -> dict[str, SchoolFile]:
    """The worked examples, read once; they ship with the application."""
    found = {}
    for path in sorted(EXAMPLES.glob("*.json")):
        if not path.name.endswith(".expected.json"):
            found[path.stem] = read_school(path.read_bytes())
    return found


@router.get("/starters")
def list_starters(user: SignedIn) -> list[StarterOut]:
    """Ready-made sequences with their letters, to be fitted to a course."""
    return [
        StarterOut(
            key=key,
            name=key.replace("-", " ").capitalize(),
            about=file.about or "",
            letters=[letter.name for letter in file.letters],
            sequences=len(file.sequences),
        )
        for key, file in _starters().items()
    ]


@router.post("/starters/{key}", status_code=201)
def take_starter(key: str, body: FitIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """Take a starter: its sequences come in as drafts, its letters with them, fitted to the course."""
    file = _starters().get(key)
    if file is None:
        raise HTTPException(404, "There is no such starter.")
    definitions = definitions_in(post, session)
    course = known_course(definitions, body.course)
    old = {x.key: x for x in file.courses}
    bodies = [as_data(sequence) for sequence in file.sequences]
    offers = {x.key: x for x in file.offers}
    return _take(session, definitions, bodies, list(file.letters), old, offers, course, body.places)


@router.get("/sequences/{key}/parts")
def sequence_parts(key: str, course: str, user: SignedIn, post: ThePost, session: Reading) -> list[PartOut]:
    """The parts of its course that a sequence names, with a guess for another course."""
    definitions = definitions_in(post, session)
    plan = definitions.sequences.get(key)
    if plan is None:
        raise HTTPException(404, "There is no such sequence.")
    new = known_course(definitions, course)
    return [
        PartOut(
            kind=part.kind,
            key=part.key,
            title=words.title(definitions, part.kind, part.key),
            guess=guess(part, _course_of(definitions.courses, part), new, list(definitions.offers.values())),
        )
        for part in parts(as_data(plan.sequence))
    ]


@router.post("/sequences/{key}/duplicate", status_code=201)
def duplicate(key: str, body: FitIn, user: SignedIn, post: ThePost, session: Writing) -> Made:
    """The same sequence for another course, as a draft, with letters of its own."""
    definitions = definitions_in(post, session)
    plan = definitions.sequences.get(key)
    if plan is None:
        raise HTTPException(404, "There is no such sequence.")
    course = known_course(definitions, body.course)
    used = {letter for place in plan.places.values() if (letter := getattr(place.step, "letter", None))}
    letters = [ready.letter for name, ready in definitions.letters.items() if name in used]
    return _take(
        session,
        definitions,
        [as_data(plan.sequence)],
        letters,
        definitions.courses,
        definitions.offers,
        course,
        body.places,
    )


def _course_of(courses: Mapping[str, Course], part: Part) -> Course | None:
    return courses.get(part.key.partition("/")[0])


def _take(
    session: Session,
    definitions: Definitions,
    bodies: list[dict[str, Any]],
    letters: list[Letter],
    old: Mapping[str, Course],
    offers: Mapping[str, Offer],
    course: Course,
    chosen: dict[str, str],
) -> Made:
    places: dict[Part, str] = {}
    main = next(
        (
            part.key.partition("/")[0]
            for part in parts([body["starts"] for body in bodies])
            if part.kind != "offer"
        ),
        None,
    )
    for part in parts(bodies):
        if f"{part.kind}:{part.key}" not in chosen and _stays(definitions, part, main, offers):
            continue
        place = chosen.get(f"{part.kind}:{part.key}") or guess(
            part, _course_of(old, part), course, list(definitions.offers.values())
        )
        if place is not None:
            places[part] = place
    now = read_clock(session).now
    letter_keys: dict[str, str] = {}
    taken_letters, taken_sequences = set(definitions.letters), set(definitions.sequences)
    for letter in letters:
        letter_keys[letter.key] = _free(f"{course.key}-{letter.key}", taken_letters)
        taken_letters.add(letter_keys[letter.key])
    sequence_keys = {}
    for body in bodies:
        sequence_keys[body["key"]] = _free(f"{course.key}-{body['key']}", taken_sequences)
        taken_sequences.add(sequence_keys[body["key"]])
    for letter in letters:
        save_letter(session, letter.model_copy(update={"key": letter_keys[letter.key]}), now)
    for body in bodies:
        fitted = _renamed(refit(body, places), letter_keys, sequence_keys)
        old_titles = [x.title for x in old.values()]
        name = str(body["name"])
        for title in sorted(old_titles, key=len, reverse=True):
            name = name.replace(title.partition(":")[0], course.title.partition(":")[0])
        fitted |= {"name": name, "status": "draft", "key": sequence_keys[body["key"]]}
        # Leaving on a refund of an offer that this course has not makes no sense.
        fitted["leaves"] = [
            x for x in fitted["leaves"] if x.get("offer") is None or x["offer"] in definitions.offers
        ]
        save_sequence(session, Sequence.model_validate(fitted), now)
    return Made(key=sequence_keys[bodies[0]["key"]])


def _stays(definitions: Definitions, part: Part, main: str | None, offers: Mapping[str, Offer]) -> bool:
    """Whether a part is about another course than the sequence itself, and this school has it too."""
    if part.kind == "offer":
        found = offers.get(part.key)
        return found is not None and main not in found.courses and part.key in definitions.offers
    return part.key.partition("/")[0] != main and part.key.partition("/")[0] in definitions.courses


def _renamed(body: Any, letters: dict[str, str], sequences: dict[str, str]) -> Any:
    """The data with new keys of letters and sequences."""
    if isinstance(body, list):
        return [_renamed(item, letters, sequences) for item in body]
    if not isinstance(body, dict):
        return body
    names = {"letter": letters, "sequence": sequences}
    return {
        name: names[name].get(value, value)
        if name in names and isinstance(value, str)
        else _renamed(value, letters, sequences)
        for name, value in body.items()
    }


class PostedDay(BaseModel):
    day: int
    letters: list[str]
    crowded: bool


class MedianPost(BaseModel):
    """One student's post from start to finish on the median path, over all running sequences."""

    days: list[PostedDay]
    length: int
    letters: int


@router.get("/courses/{key}/post")
def median_post(key: str, user: SignedIn, post: ThePost, session: Reading) -> MedianPost:
    """Play the median student of a course through all running sequences."""
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    zone = definitions.school.timezone
    first = calendar.local_date(read_clock(session).now, zone)
    start = calendar.resolve(first.at(calendar.clock(12, 0)), zone)
    student = Student.model_validate(
        {"key": "median", "email": "median@example.org", "first_name": "Robin", "news": True}
    )
    state = new_state(student, zone, 0)
    state.clock_done = start.subtract(nanoseconds=1)
    offer = next((o.key for o in definitions.offers.values() if o.courses == [key]), None)
    begin = (
        {"type": "purchased", "offer": offer}
        if offer
        else {"type": "enrolled", "course": key, "via": "manual"}
    )
    bodies: list[tuple[Instant, dict[str, Any]]] = [(start, begin)]
    for stop, length in step_times(standings(session, definitions, key), course):
        at = calendar.add(start, length, zone)
        if stop.startswith("quiz:"):
            bodies.append((at, {"type": "quiz_taken", "quiz": stop.removeprefix("quiz:"), "score": 100}))
        else:
            bodies.append((at.subtract(minutes=10), {"type": "lesson_started", "lesson": stop}))
            bodies.append((at, {"type": "lesson_completed", "lesson": stop}))
    events = [read_event({**body, "student": "median", "at": at}) for at, body in bodies]
    last = max(at for at, _ in bodies)
    outcome = rehearse_moves(definitions, state, events, last.add(hours=24 * 21))
    days: dict[int, list[str]] = {}
    for letter in outcome.letters:
        if letter.status == "sent" and letter.to is None:
            day = calendar.days_between(first, calendar.local_date(letter.at, zone))
            days.setdefault(day, []).append(definitions.letters[letter.letter].letter.name or letter.letter)
    most = definitions.school.daily_limit or 2
    return MedianPost(
        days=[
            PostedDay(day=day, letters=found, crowded=len(found) > most or len(found) > 2)
            for day, found in sorted(days.items())
        ],
        length=calendar.days_between(first, calendar.local_date(last, zone)),
        letters=sum(map(len, days.values())),
    )
