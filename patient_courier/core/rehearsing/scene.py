"""A scene to rehearse: who, what they do, from when, for how long; and playing it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, Field, TypeAdapter, ValidationError
from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState, new_state
from patient_courier.core.reading.known import Fault, Known
from patient_courier.core.reading.references import sequence_faults
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.rehearsing.rehearsal import Outcome, play_on, rehearse_moves
from patient_courier.core.school.events import Event
from patient_courier.core.school.file import Student
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.values import FIRST_YEAR, LAST_YEAR

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
LONGEST_DAYS = 730


class NotPlayable(ValueError):
    """The scene can't be played as it is; the message says why."""


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


@dataclass(frozen=True, slots=True)
class Played:
    """What came of a scene, the date of its day 0, and the moves as events."""

    outcome: Outcome
    first: Date
    events: list[Event]


def readable(body: dict[str, Any]) -> Sequence:
    """A sequence as it is being edited, running. Raises NotPlayable when it can't be read."""
    try:
        return Sequence.model_validate({**body, "status": "running"})
    except ValidationError as error:
        raise _not_yet(validation_faults(error, body)) from error


def playable(definitions: Definitions, body: dict[str, Any]) -> Sequence:
    """The same, when all that it names is there. Raises NotPlayable otherwise."""
    sequence = readable(body)
    faults = list(sequence_faults("", sequence, Known.of_definitions(definitions.with_sequence(sequence))))
    if faults:
        raise _not_yet(faults)
    return sequence


def _not_yet(faults: list[Fault]) -> NotPlayable:
    return NotPlayable(f"The sequence can't be played yet: {faults[0].sentence}.")


def made_up(definitions: Definitions, scene: Scene) -> StudentState:
    """The student of the scene who does not exist. Raises NotPlayable."""
    body = {"key": "made-up", "email": "made-up@example.org", **scene.made_up.model_dump()}
    try:
        return new_state(Student.model_validate(body), definitions.school, 0)
    except ValidationError as error:
        raise NotPlayable(validation_faults(error, body)[0].sentence) from error


def play(definitions: Definitions, scene: Scene, state: StudentState, now: Instant) -> Played:
    """Play a scene for a student, whose state is used up. Raises NotPlayable.

    A real student plays on from where they stand, in the sequence as it is being edited; for somebody made up, from another
    day, or in this sequence alone, runs start afresh.
    """
    goes_on = scene.student is not None and scene.start is None and not scene.alone
    draft = playable(definitions, scene.sequence) if scene.sequence is not None else None
    if draft is not None and scene.alone:
        definitions = definitions.with_only(draft)
    elif draft is not None:
        definitions = definitions.with_sequence(draft, keep=goes_on)
    first = _first_day(scene.start) if scene.start else calendar.local_date(now, state.zone)
    events = [_event(definitions, state, first, number, move) for number, move in enumerate(scene.moves, 1)]
    until = _midnight(first.add(days=scene.days), state.zone)
    if goes_on:
        moved = draft.key if draft is not None else None
        outcome = play_on(definitions, state, events, now, until, moved)
    else:
        state.forget_runs()
        state.clock_done = _midnight(first, state.zone)
        outcome = rehearse_moves(definitions, state, events, until)
    return Played(outcome, first, events)


def _midnight(day: Date, zone: str) -> Instant:
    """The last moment before a day begins."""
    return calendar.resolve(day.at(calendar.MIDNIGHT), zone).subtract(nanoseconds=1)


def _first_day(text: str) -> Date:
    try:
        found = Date.parse_iso(text)
    except ValueError:
        found = Date.MIN
    if not FIRST_YEAR < found.year < LAST_YEAR - LONGEST_DAYS // 365:
        raise NotPlayable(f"“{text}” is no day to begin on; write it like 2026-03-02.")
    return found


def _event(definitions: Definitions, state: StudentState, first: Date, number: int, move: Move) -> Event:
    hour, minute = map(int, move.at.split(":"))
    wall = first.add(days=move.day).at(calendar.clock(hour, minute))
    body = {**move.event, "student": state.student.key, "at": calendar.resolve(wall, state.zone)}
    try:
        event = _EVENT.validate_python(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise NotPlayable(f"Move {number}: {fault.sentence}.") from error
    missing = definitions.unknown(event.names())
    if missing:
        raise NotPlayable(f"Move {number}: there is no {missing[0]} “{missing[1]}” in this school.")
    return event
