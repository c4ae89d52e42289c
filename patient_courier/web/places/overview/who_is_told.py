"""Who is told what when something happens, in the school or a course; and what one student would be told, by the engine."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.overview import who_is_told as core
from patient_courier.core.overview.happenings import BY_KIND, DAY
from patient_courier.core.overview.who_is_told import Around, Cast, Column, Listener, Person, Row
from patient_courier.core.rehearsing.what_if import still_open, what_if
from patient_courier.core.school.events import Event
from patient_courier.core.school.text import Line
from patient_courier.core.telling import words
from patient_courier.dispatch.receiving import check
from patient_courier.practice.classroom import ActionRefused, event_for
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.destinations import destinations
from patient_courier.store.engine.loading import load_states, numbers
from patient_courier.store.overview import site_notes, wishes
from patient_courier.web.context import (
    Reading,
    RowId,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.places.students.page import find_student

router = APIRouter(prefix="/api/who-is-told", tags=["school"])
_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
# So far ahead one student is played.
DAYS_AHEAD = 60


class ToldOut(BaseModel):
    """``columns`` hear; each row is something that happens, with its cells by the columns' ids."""

    columns: list[Column]
    rows: list[Row]
    courses: list[dict[str, str]]


class NoteIn(BaseModel):
    """That the course site sends something by itself; ``course`` None: for every course."""

    kind: str
    course: str | None = Field(None, max_length=200)
    words: Annotated[Line, Field(min_length=1, max_length=200)]


@router.get("")
def who_is_told(
    user: SignedIn, post: ThePost, session: Reading, course: Annotated[str, Query(max_length=200)] = ""
) -> ToldOut:
    """The page, narrowed to a course where one is named."""
    definitions = definitions_in(post, session)
    if course:
        known_course(definitions, course)
    found = core.who_is_told(definitions, _around(session), course or None)
    titles = definitions.short_titles
    return ToldOut(
        columns=found.columns,
        rows=found.rows,
        courses=[{"key": key, "title": titles.get(key, key)} for key in definitions.courses],
    )


def _around(session: Session) -> Around:
    return Around(
        people=[Person(one.user, one.name, one.role, one.wishes) for one in wishes.every(session)],
        listeners=[
            Listener(one.key, one.name, frozenset(one.kinds), frozenset(one.courses), one.state)
            for one in destinations.every(session)
        ],
        notes=site_notes.every(session),
        casts=[Cast(one.broadcast, one.status) for one in broadcasts.in_status(session, "scheduled")],
    )


@router.post("/site-notes", status_code=204)
def note(body: NoteIn, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Note what the course site sends by itself, so that double letters are seen."""
    if body.kind not in BY_KIND or body.kind == DAY:
        raise HTTPException(422, "Choose what it is sent at.")
    if body.course is not None:
        known_course(definitions_in(post, session), body.course)
    site_notes.add(session, body.kind, body.course, body.words)


@router.delete("/site-notes/{id}", status_code=204)
def forget_note(id: RowId, user: SignedIn, session: Writing) -> None:
    if not site_notes.take_away(session, id):
        raise HTTPException(404, "There is no such note.")


WhatIfDeed = Literal[
    "buy",
    "enrol",
    "complete",
    "fail_quiz",
    "pass_quiz",
    "finish_module",
    "finish_course",
    "refund",
    "tag",
    "nothing",
]


class WhatIfIn(BaseModel):
    """Who, and what is to happen now; ``object`` is the offer, course, module, lesson, quiz or tag."""

    student: str = Field(max_length=500)
    do: WhatIfDeed
    object: str = Field("", max_length=500)


class ToldLetter(BaseModel):
    """A letter as it would come: ``at`` on the clock of whoever gets it, ``why_not`` where a guard keeps it."""

    at: str
    to: str
    letter: str
    letter_key: str
    sequence: str
    sequence_key: str
    why_not: str


class WhatIfOut(BaseModel):
    """``happens`` first, in order; then letters that come of it, that no longer come, and that come in any case."""

    happens: list[str]
    follows: list[ToldLetter]
    instead: list[ToldLetter]
    anyway: list[ToldLetter]
    not_begun: list[str]
    days: int


@router.post("/student")
def try_it(body: WhatIfIn, user: SignedIn, post: ThePost, session: Reading) -> WhatIfOut:
    """What one student would be told if this happened now and they did nothing more; nothing is posted or kept."""
    definitions, now = definitions_in(post, session), now_in(session)
    person = find_student(session, body.student)
    state = load_states(session, [person.id], definitions)[person.id]
    events = []
    try:
        for do, key, score in _deeds(definitions, state, body):
            event = _EVENT.validate_python(_body(do, body.student, key, score, now))
            check(definitions, event, now)
            events.append(event)
    except ActionRefused as error:
        raise HTTPException(422, str(error)) from error
    except ValidationError as error:
        raise HTTPException(422, "Choose what it is about.") from error
    except ValueError as error:
        raise HTTPException(422, f"{error}."[:1].upper() + f"{error}."[1:]) from error
    last = numbers(session)

    def load() -> Any:
        return load_states(session, [person.id], definitions)[person.id]

    until = now.add(hours=24 * DAYS_AHEAD)
    found = what_if(definitions, load, events, now, until, (last.event, last.run))
    zone = definitions.school.zone_of(person.timezone)

    def letters(ones: list[LetterDecided]) -> list[ToldLetter]:
        return [_letter(definitions, one, zone) for one in ones]

    happens = [words.what_happened(definitions, what) for what in found.happenings]
    return WhatIfOut(
        happens=list(dict.fromkeys(f"{text[:1].upper()}{text[1:]}" for text in happens)),
        follows=letters(found.follows),
        instead=letters(found.instead),
        anyway=letters(found.anyway),
        not_begun=found.not_begun,
        days=DAYS_AHEAD,
    )


def _deeds(definitions: Definitions, state: Any, body: WhatIfIn) -> list[tuple[str, str, int | None]]:
    """What has to be reported for it, in order: what a site would report of it."""
    match body.do:
        case "nothing":
            return []
        case "fail_quiz" | "pass_quiz":
            return [("take_quiz", body.object, 0 if body.do == "fail_quiz" else 100)]
        case "finish_module" | "finish_course":
            kind = body.do.removeprefix("finish_")
            known = definitions.modules if kind == "module" else definitions.courses
            if body.object not in known:
                raise ActionRefused(f"Choose which {kind}.")
            open_ = still_open(definitions, state, kind, body.object)
            if not open_:
                raise ActionRefused(f"They have finished this {kind} already.")
            return [("complete" if one == "lesson" else "take_quiz", key, 100) for one, key in open_]
        case "buy" | "enrol" | "complete" | "refund" | "tag":
            return [(body.do, body.object, None)]


def _body(do: str, student: str, key: str, score: int | None, now: Any) -> dict[str, Any]:
    if do == "tag":
        return {"type": "tag_added", "student": student, "at": now.format_iso(), "tag": key}
    return event_for(do, student, key, score, now)


def _letter(definitions: Definitions, one: LetterDecided, zone: str) -> ToldLetter:
    plan = definitions.sequences.get(one.sequence)
    ready = definitions.letters.get(one.letter)
    to = "them" if one.to is None else one.to if isinstance(one.to, str) else ", ".join(one.to)
    return ToldLetter(
        at=words.moment(one.at, zone if one.to is None else definitions.school.timezone),
        to="you" if to == "owner" else to,
        letter=ready.letter.called if ready else one.letter,
        letter_key=one.letter,
        sequence=plan.sequence.called if plan else one.sequence,
        sequence_key=one.sequence,
        why_not=words.reason(one.reason) if one.status != "sent" else "",
    )
