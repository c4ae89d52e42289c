"""Trials: which side a student is on, which version of a letter they get, and whether a run has reached its goal.

The rules are those of docs/engine.md, section 15.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.happening import Happening, Subject
from patient_courier.core.engine.matching import matches
from patient_courier.core.engine.state import StudentState
from patient_courier.core.figures.draw import drawn, is_held_back
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.sequences import Send
from patient_courier.core.school.trials import Posts, Trial

HELD_BACK = "held_back"


def letter_of_step(sequence: str, step: Send, student: str) -> str:
    """The letter that a step posts to this student (all by their keys), whichever round it is."""
    return _letter(step, sequence, step.id, student)


def letter_of_broadcast(broadcast: Broadcast, student: str) -> str:
    """The letter of a broadcast that is drawn for this student."""
    return _letter(broadcast, broadcast.key, student)


def _letter(posts: Posts, *parts: str) -> str:
    if not posts.versions:
        return posts.letter or ""
    return posts.versions[drawn([version.share for version in posts.versions], *parts)].letter


def holds_back(trial: Trial, student: str) -> bool:
    """Whether the lot holds this student back, whatever becomes of their run."""
    return is_held_back(trial.key, student, trial.hold_back)


def end_of(trial: Trial, started: Instant, zone: str) -> Instant:
    """Until when, inclusive, the goal of a run can be reached; days are the student's."""
    return calendar.add(started, trial.within.value, zone)


@dataclass(frozen=True, slots=True)
class Counted:
    """One student's run that counts, and what happened to them after it began (earlier or later: only the time matters)."""

    student: str
    zone: str
    started: Instant
    subject: Subject | None
    since: Iterable[Happening]


Became = Literal["open", "reached", "not_reached"]


def became(trial: Trial, run: Counted, now: Instant) -> Became:
    """Whether an event that the goal picks carries a time between the run's start and its end; open while that has not come."""
    end = end_of(trial, run.started, run.zone)
    if end > now:
        return "open"
    came = any(run.started <= what.at <= end and matches(trial.goal, what, run.subject) for what in run.since)
    return "reached" if came else "not_reached"


@dataclass(frozen=True, slots=True)
class Result:
    """What became of one student of a trial."""

    student: str
    held_back: bool
    became: Became


def results(trial: Trial, runs: Iterable[Counted], now: Instant) -> Iterator[Result]:
    """What became of each student of a trial by now, in the order of ``runs``."""
    for run in runs:
        yield Result(run.student, holds_back(trial, run.student), became(trial, run, now))


def ended(trial: Trial, runs: Iterable[Counted], now: Instant) -> list[tuple[Instant, bool, bool]]:
    """When each student's time was over, whether they were held back and whether they reached the goal; the earliest first."""
    found = [
        (
            end_of(trial, run.started, run.zone),
            holds_back(trial, run.student),
            became(trial, run, now) == "reached",
        )
        for run in runs
    ]
    return sorted(one for one in found if one[0] <= now)


@dataclass(frozen=True, slots=True)
class Side:
    """``students`` in all; of these ``open`` whose end has not come, and of the others those who ``reached`` the goal."""

    students: int
    reached: int
    open: int


def side(found: Iterable[Result], *, held_back: bool) -> Side:
    """The count of one side of a trial."""
    ways = [one.became for one in found if one.held_back == held_back]
    return Side(len(ways), ways.count("reached"), ways.count("open"))


def counted(state: StudentState, sequence: str, trial: Trial) -> Counted | None:
    """The run of a student that counts: the first of the sequence that began with the trial's key; None without one."""
    run = next((one for one in state.runs_of(sequence) if one.trial == trial.key), None)
    if run is None:
        return None
    since = state.happened_since(run.event_number)
    return Counted(state.student.key, state.zone, run.started, run.subject, since)
