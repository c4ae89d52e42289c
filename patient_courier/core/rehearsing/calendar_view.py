"""A rehearsal as a calendar to look at: what goes out on which day and why, what does not, and what the student did."""

from __future__ import annotations

import itertools
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.checks.flow import reachable
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import (
    BroadcastStarted,
    CallMade,
    CertificateIssued,
    LetterDecided,
    NotBegun,
    Noted,
    TagChanged,
    Warned,
)
from patient_courier.core.engine.happening import of_event
from patient_courier.core.engine.state import Run
from patient_courier.core.engine.trials import HELD_BACK
from patient_courier.core.rehearsing.paths import paths
from patient_courier.core.rehearsing.rehearsal import Outcome
from patient_courier.core.school.events import Event
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.telling import words
from patient_courier.core.telling.trial_words import held_back_words

Status = Literal["sent", "skipped", "stuck"]


@dataclass(frozen=True, slots=True)
class LetterShown:
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
    status: Status
    reason: str
    held: bool
    to: str | None
    own: bool
    story: list[str]


@dataclass(frozen=True, slots=True)
class Note:
    """What the student did, or what changed without a letter, on a day."""

    day: int
    date: str
    clock: str
    kind: Literal["move", "tag", "certificate"]
    words: str


@dataclass(frozen=True, slots=True)
class RunShown:
    """``words``: what there is to say of its outcome beyond its name."""

    sequence: str
    name: str
    outcome: str
    step: str | None
    own: bool
    words: str | None = None


@dataclass(frozen=True, slots=True)
class NotBegunShown:
    """A sequence that an event would have started, and what kept it from beginning."""

    sequence: str
    name: str
    sentence: str


@dataclass(frozen=True, slots=True)
class Rehearsed:
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


@dataclass(frozen=True, slots=True)
class PathLetter:
    step: str
    name: str
    day: int
    detail: str


@dataclass(frozen=True, slots=True)
class PathOut:
    choices: list[str]
    letters: list[PathLetter]
    open_end: bool


@dataclass(frozen=True, slots=True)
class PathsOut:
    paths: list[PathOut]
    unreached: list[str]


def _words(definitions: Definitions, run: Run) -> str | None:
    trial = definitions.sequences[run.sequence].sequence.trial
    return held_back_words(trial.hold_back) if run.outcome == HELD_BACK and trial is not None else None


def shown(outcome: Outcome, first: Date, events: list[Event], days: int, own: str | None) -> Rehearsed:
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
            case Noted() | LetterDecided() | BroadcastStarted() | CallMade() | NotBegun() | Warned():
                pass
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
                name=definitions.sequences[run.sequence].sequence.called,
                outcome=run.outcome or "open",
                step=run.step,
                own=run.sequence == own,
                words=_words(definitions, run),
            )
            for run in state.runs
        ],
        not_begun=[
            NotBegunShown(
                sequence=found.sequence,
                name=definitions.sequences[found.sequence].sequence.called,
                sentence=outcome.why_not_begun(found),
            )
            for found in outcome.not_begun
        ],
        most_on_a_day=max(counts.values(), default=0),
        longest_silence=_longest_gap(sorted(counts)),
        warnings=[words.warning(text) for text in outcome.warnings],
        move_words=[words.what_happened(definitions, of_event(definitions, event)) for event in events],
    )


def _longest_gap(days: list[int]) -> int:
    return max((later - earlier for earlier, later in itertools.pairwise(days)), default=0)


_STATUS: Mapping[str, Status] = {"sent": "sent", "skipped": "skipped", "stuck": "stuck"}


def _letter(
    outcome: Outcome, index: int, letter: LetterDecided, place: dict[str, Any], own: str | None
) -> LetterShown:
    definitions = outcome.definitions
    return LetterShown(
        **place,
        index=index,
        local=words.moment(letter.at, outcome.states[letter.student].zone),
        school_time=words.moment(letter.at, definitions.school.timezone),
        name=definitions.letters[letter.letter].letter.called,
        subject=letter.subject,
        purpose=letter.purpose,
        sequence=letter.sequence,
        sequence_name=definitions.sequences[letter.sequence].sequence.called,
        step=letter.step,
        status=_STATUS[letter.status],
        reason=words.reason(letter.reason),
        held=bool(letter.holds),
        to=None if letter.to is None else letter.to if isinstance(letter.to, str) else ", ".join(letter.to),
        own=letter.sequence == own,
        story=outcome.story(letter),
    )


def every_path(definitions: Definitions, sequence: Sequence) -> PathsOut:
    """The distinct ways through a sequence, what each posts, and the steps that none reaches."""
    plan = definitions.with_sequence(sequence).sequences[sequence.key]

    def name(letter: str) -> str:
        ready = definitions.letters.get(letter)
        return (ready.letter.name if ready else "") or letter or "no letter chosen"

    there = reachable(sequence)
    return PathsOut(
        paths=[
            PathOut(
                choices=list(path.choices),
                letters=[
                    PathLetter(x.step, " or ".join(map(name, x.letters)), x.day, x.detail)
                    for x in path.posted
                ],
                open_end=path.open_end,
            )
            for path in paths(definitions, sequence)
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


def summary_lines(definitions: Definitions, outcome: list[list[str]]) -> list[str]:
    """Such a form as one sentence a line."""
    found = []
    for at, letter, status, reason in outcome:
        ready = definitions.letters.get(letter)
        name = (ready.letter.name if ready else "") or letter
        found.append(f"{at}: {name}" + ("" if status == "sent" else f", {status} ({reason})") if name else at)
    return found
