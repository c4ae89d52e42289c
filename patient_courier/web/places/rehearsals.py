"""Rehearsal on screen: a student and moves, every path, and the last days again. Nothing is posted."""

from __future__ import annotations

import itertools
from collections import Counter
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body, HTTPException
from pydantic import BaseModel, Field, TypeAdapter, ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Date, Instant

from patient_courier.core import calendar, words
from patient_courier.core.checks.flow import reachable
from patient_courier.core.definitions import Definitions
from patient_courier.core.effects import CertificateIssued, LetterDecided, TagChanged
from patient_courier.core.happening import of_event
from patient_courier.core.paths import paths
from patient_courier.core.reading import validation_faults
from patient_courier.core.references import Fault, Known, sequence_faults
from patient_courier.core.rehearsal import SHOWN, Outcome, rehearse_moves
from patient_courier.core.school.events import Event, EventBase
from patient_courier.core.school.file import Student
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.state import StudentState, new_state
from patient_courier.dispatch.clock import read_clock
from patient_courier.post.message import render
from patient_courier.store.states import load_states
from patient_courier.store.tables import StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, definitions_in
from patient_courier.web.places.letters import PREVIEW_LINKS

router = APIRouter(prefix="/api/rehearsals", tags=["rehearsals"])
_EVENT: TypeAdapter[EventBase] = TypeAdapter(Event)
LONGEST_DAYS = 730


class MadeUp(BaseModel):
    """A student who does not exist."""

    first_name: str = "Robin"
    last_name: str = ""
    timezone: str | None = None
    news: bool = True
    tags: list[str] = []
    fields: dict[str, str | int | float | bool | None] = {}


class Move(BaseModel):
    """Something the student does on an elapsed day at a time of their own: an event without its student."""

    day: int = Field(ge=0, le=LONGEST_DAYS)
    at: str = Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")
    event: dict[str, Any]


class Scene(BaseModel):
    """What to rehearse: who (a real student's facts by key, or a made-up one), their moves, from which date, how long.

    ``sequence`` takes part as it is written here, running, beside all running sequences.
    """

    student: str | None = None
    made_up: MadeUp = MadeUp()
    moves: list[Move] = []
    start: str | None = None
    days: int = Field(30, ge=1, le=LONGEST_DAYS)
    sequence: dict[str, Any] | None = None
    alone: bool = False


class LetterShown(BaseModel):
    """A letter of the rehearsal. ``own``: it belongs to the sequence that is being edited."""

    index: int
    day: int
    date: str
    clock: str
    local: str
    school_time: str
    name: str
    subject: str
    purpose: str
    sequence: str
    sequence_name: str
    step: str
    status: Literal["sent", "skipped", "stuck"]
    reason: str
    held: bool
    to: str | None
    own: bool
    story: list[str]


class Note(BaseModel):
    """What the student did, or what changed without a letter, on a day."""

    day: int
    date: str
    clock: str
    kind: Literal["move", "tag", "certificate"]
    words: str


class RunShown(BaseModel):
    sequence: str
    name: str
    outcome: str
    step: str | None
    own: bool


class NotBegunShown(BaseModel):
    """A sequence that an event would have started, and what kept it from beginning."""

    sequence: str
    name: str
    sentence: str


class Rehearsed(BaseModel):
    """The calendar of a rehearsal; days are elapsed local days from ``start``."""

    zone: str
    start: str
    days: int
    letters: list[LetterShown]
    notes: list[Note]
    runs: list[RunShown]
    not_begun: list[NotBegunShown]
    most_on_a_day: int
    longest_silence: int
    warnings: list[str]
    move_words: list[str]


class LetterSeen(BaseModel):
    subject: str
    html: str
    text: str


def readable(body: dict[str, Any]) -> Sequence:
    """A sequence as it is being edited, running. 422 when it can't be read."""
    try:
        return Sequence.model_validate({**body, "status": "running"})
    except ValidationError as error:
        raise _not_yet(validation_faults(error, body)) from error


def playable(definitions: Definitions, body: dict[str, Any]) -> Sequence:
    """The same, when all that it names is there. 422 otherwise."""
    sequence = readable(body)
    faults = list(sequence_faults("", sequence, Known.of_definitions(definitions.with_sequence(sequence))))
    if faults:
        raise _not_yet(faults)
    return sequence


def _not_yet(faults: list[Fault]) -> HTTPException:
    return HTTPException(422, f"The sequence can't be played yet: {faults[0].sentence}.")


def _state(session: Session, definitions: Definitions, scene: Scene) -> StudentState:
    """The student with their facts; runs are left out, so that everything can start afresh."""
    if scene.student:
        row = session.scalar(select(StudentRow).where(StudentRow.key == scene.student))
        if row is None:
            raise HTTPException(404, "There is no such student.")
        state = load_states(session, [row.id], definitions)[row.id]
        state.forget_runs()
        return state
    try:
        body = {"key": "made-up", "email": "made-up@example.org", **scene.made_up.model_dump()}
        return new_state(Student.model_validate(body), definitions.school.timezone, 0)
    except ValidationError as error:
        raise HTTPException(422, validation_faults(error, body)[0].sentence) from error


def play(session: Session, definitions: Definitions, scene: Scene) -> tuple[Outcome, Date, list[EventBase]]:
    """Play a scene; returns the outcome, the date of day 0, and the moves as events. 422 for moves that can't be read."""
    if scene.sequence is not None:
        draft = playable(definitions, scene.sequence)
        definitions = definitions.with_only(draft) if scene.alone else definitions.with_sequence(draft)
    state = _state(session, definitions, scene)
    now = read_clock(session).now
    first = _first_day(scene.start) if scene.start else calendar.local_date(now, state.zone)
    state.clock_done = calendar.resolve(first.at(calendar.MIDNIGHT), state.zone).subtract(nanoseconds=1)
    events = [_event(definitions, state, first, number, move) for number, move in enumerate(scene.moves, 1)]
    until = calendar.resolve(first.add(days=scene.days).at(calendar.MIDNIGHT), state.zone).subtract(
        nanoseconds=1
    )
    return rehearse_moves(definitions, state, events, until), first, events  # type: ignore[arg-type]


def _first_day(text: str) -> Date:
    try:
        found = Date.parse_iso(text)
    except ValueError:
        found = Date.MIN
    if not 1970 < found.year < 2200:
        raise HTTPException(422, f"“{text}” is no day to begin on; write it like 2026-03-02.")
    return found


def read_event(body: dict[str, Any]) -> Any:
    """An event from its data. Raises ValidationError."""
    return _EVENT.validate_python(body)


def _event(definitions: Definitions, state: StudentState, first: Date, number: int, move: Move) -> EventBase:
    hour, minute = map(int, move.at.split(":"))
    wall = first.add(days=move.day).at(calendar.clock(hour, minute))
    body = {**move.event, "student": state.student.key, "at": calendar.resolve(wall, state.zone)}
    try:
        event = read_event(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise HTTPException(422, f"Move {number}: {fault.sentence}.") from error
    missing = definitions.unknown(event.names())
    if missing:
        raise HTTPException(422, f"Move {number}: there is no {missing[0]} “{missing[1]}” in this school.")
    return event


@router.post("")
def rehearse(scene: Scene, user: SignedIn, post: ThePost, session: Reading) -> Rehearsed:
    """The calendar: what goes out and what doesn't, each with its story."""
    outcome, first, events = play(session, definitions_in(post, session), scene)
    own = scene.sequence.get("key") if scene.sequence else None
    return shown(outcome, first, events, scene.days, own)


def shown(outcome: Outcome, first: Date, events: list[EventBase], days: int, own: str | None) -> Rehearsed:
    state = next(iter(outcome.states.values()))
    definitions, zone = outcome.definitions, state.zone

    def place(at: Instant) -> dict[str, Any]:
        wall = calendar.local(at, zone)
        day = calendar.days_between(first, wall.date())
        return {"day": day, "date": wall.date().format_iso(), "clock": f"{wall.hour:02d}:{wall.minute:02d}"}

    notes = [
        Note(
            **place(event.at),
            kind="move",
            words=words.what_happened(definitions, of_event(definitions, event)),
        )
        for event in events
    ]
    for effect in outcome.effects:
        match effect:
            case TagChanged():
                notes.append(
                    Note(**place(effect.at), kind="tag", words=f"tag “{effect.tag}” {effect.change}")
                )
            case CertificateIssued():
                title = words.title(definitions, "course", effect.course)
                notes.append(Note(**place(effect.at), kind="certificate", words=f"certificate for {title}"))
    letters = [
        _letter(outcome, index, letter, place(letter.at), own) for index, letter in enumerate(outcome.letters)
    ]
    counts = Counter(letter.day for letter in letters if letter.status == "sent" and letter.to is None)
    return Rehearsed(
        zone=zone,
        start=first.format_iso(),
        days=days,
        letters=letters,
        notes=notes,
        runs=[
            RunShown(
                sequence=run.sequence,
                name=definitions.sequences[run.sequence].sequence.name or run.sequence,
                outcome=run.outcome or "open",
                step=run.step,
                own=run.sequence == own,
            )
            for run in state.runs
        ],
        not_begun=[
            NotBegunShown(
                sequence=found.sequence,
                name=definitions.sequences[found.sequence].sequence.name or found.sequence,
                sentence=outcome.why_not_begun(found),
            )
            for found in outcome.not_begun
        ],
        most_on_a_day=max(counts.values(), default=0),
        longest_silence=_longest_gap(sorted(counts)),
        warnings=outcome.warnings,
        move_words=[words.what_happened(definitions, of_event(definitions, event)) for event in events],
    )


def _longest_gap(days: list[int]) -> int:
    return max((later - earlier for earlier, later in itertools.pairwise(days)), default=0)


def _letter(
    outcome: Outcome, index: int, letter: LetterDecided, place: dict[str, Any], own: str | None
) -> LetterShown:
    definitions = outcome.definitions
    assert letter.status in SHOWN
    return LetterShown(
        **place,
        index=index,
        local=words.moment(letter.at, outcome.states[letter.student].zone),
        school_time=words.moment(letter.at, definitions.school.timezone),
        name=definitions.letters[letter.letter].letter.name or letter.letter,
        subject=letter.subject,
        purpose=letter.purpose,
        sequence=letter.sequence,
        sequence_name=definitions.sequences[letter.sequence].sequence.name or letter.sequence,
        step=letter.step,
        status=letter.status,  # type: ignore[arg-type]
        reason=words.reason(letter.reason),
        held=bool(letter.holds),
        to=None if letter.to is None else letter.to if isinstance(letter.to, str) else ", ".join(letter.to),
        own=letter.sequence == own,
        story=outcome.story(letter),
    )


@router.post("/letters/{index}")
def letter_seen(index: int, scene: Scene, user: SignedIn, post: ThePost, session: Reading) -> LetterSeen:
    """One letter of a rehearsal as that student would see it."""
    outcome, _, _ = play(session, definitions_in(post, session), scene)
    if not 0 <= index < len(outcome.letters):
        raise HTTPException(404, "There is no such letter in this rehearsal.")
    found = outcome.letters[index]
    letter = outcome.definitions.letters[found.letter].letter
    zone = outcome.states[found.student].zone
    rendered = render(letter, outcome.definitions.school, found.values, zone, PREVIEW_LINKS)
    return LetterSeen(subject=rendered.subject, html=rendered.html, text=rendered.text)


class PathLetter(BaseModel):
    step: str
    name: str
    day: int
    detail: str


class PathOut(BaseModel):
    choices: list[str]
    letters: list[PathLetter]
    open_end: bool


class PathsOut(BaseModel):
    paths: list[PathOut]
    unreached: list[str]


@router.post("/paths")
def every_path(
    body: Annotated[dict[str, Any], Body()], user: SignedIn, post: ThePost, session: Reading
) -> PathsOut:
    """The distinct ways through a sequence, what each posts, and the steps that none reaches."""
    definitions = definitions_in(post, session)
    sequence = readable(body)
    plan = definitions.with_sequence(sequence).sequences[sequence.key]

    def name(letter: str) -> str:
        ready = definitions.letters.get(letter)
        return (ready.letter.name if ready else "") or letter or "no letter chosen"

    found = paths(definitions, sequence)
    there = reachable(sequence)
    return PathsOut(
        paths=[
            PathOut(
                choices=list(path.choices),
                letters=[
                    PathLetter(step=x.step, name=name(x.letter), day=x.day, detail=x.detail)
                    for x in path.posted
                ],
                open_end=path.open_end,
            )
            for path in found
        ],
        unreached=[step for step in plan.places if step not in there],
    )


def summary(outcome: Outcome, first: Date) -> list[list[str]]:
    """The outcome of a kept rehearsal in a form to compare: day and time, letter, status, reason of each letter."""
    zone = next(iter(outcome.states.values())).zone
    found = []
    for letter in outcome.letters:
        wall = calendar.local(letter.at, zone)
        day = calendar.days_between(first, wall.date())
        found.append(
            [
                f"Day {day}, {wall.hour:02d}:{wall.minute:02d}",
                letter.letter,
                letter.status,
                letter.reason or "",
            ]
        )
    return found
