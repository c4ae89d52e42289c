"""Every path: the distinct ways through a sequence, what each of them posts, and on which day."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from patient_courier.core.courses.ruler import Front, after_wait, days_between, first_front, later
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school import sequences as s
from patient_courier.core.telling.condition_words import condition_words
from patient_courier.core.telling.story import matcher_words
from patient_courier.core.telling.words import day, span

MOST = 500


@dataclass(frozen=True, slots=True)
class Posted:
    """A letter on the way: its step, and the elapsed day it goes out at the earliest; of several ``letters`` one is drawn."""

    step: str
    letters: tuple[str, ...]
    day: int
    detail: str


@dataclass(frozen=True, slots=True)
class Path:
    """One way: what happens on it, in words, what it posts, and whether a student can wait on it without end."""

    choices: tuple[str, ...]
    posted: tuple[Posted, ...]
    open_end: bool = False


@dataclass(frozen=True, slots=True)
class _Way:
    front: Front
    choices: tuple[str, ...] = ()
    posted: tuple[Posted, ...] = ()
    ended: bool = False
    open_end: bool = False


def paths(definitions: Definitions, sequence: s.Sequence) -> list[Path]:
    """The distinct ways through the steps, at most ``MOST``; those that post the same after the same choices are one.

    A waypoint adds one way for each place a student can jump from: the letters
    before it are then not posted.
    """
    start = first_front()
    found: dict[tuple[tuple[str, ...], tuple[str, ...]], Path] = {}
    ways = [_Way(start)]
    for index, step in enumerate(sequence.steps):
        ways = [
            after
            for way in ways
            for after in (_step(definitions, step, way, start) if not way.ended else [way])
        ]
        if isinstance(step, s.Waypoint):
            what = f"has {matcher_words(definitions, step.reach)} first"
            walked = {tuple(one.step for one in way.posted) for way in ways}
            jumps = _before(definitions, sequence.steps[:index], start)
            # Jumping behind the last letter skips nothing: that is walking.
            ways += [
                _Way(start, (*way.choices, what), way.posted)
                for way in jumps
                if tuple(one.step for one in way.posted) not in walked
            ]
        ways = _distinct(ways)[:MOST]
    for way in ways:
        steps = tuple(one.step for one in way.posted)
        found.setdefault((way.choices, steps), Path(way.choices, way.posted, way.open_end))
    return list(found.values())


def _before(definitions: Definitions, steps: list[s.Step], start: Front) -> Iterator[_Way]:
    """What can have been posted when a student jumps: any beginning of the way that ends before a wait."""
    way = _Way(start)
    yield way
    for step in steps:
        if isinstance(step, s.WaitFor | s.Branch | s.Repeat | s.Dated | s.End):
            return
        way = next(iter(_step(definitions, step, way, start)))
        if isinstance(step, s.Send):
            yield way


def _distinct(ways: list[_Way]) -> list[_Way]:
    return list({(way.choices, tuple(x.step for x in way.posted), way.ended): way for way in ways}.values())


def _lane(definitions: Definitions, steps: list[s.Step], way: _Way, start: Front) -> list[_Way]:
    ways = [way]
    for step in steps:
        ways = [
            after for one in ways for after in ([one] if one.ended else _step(definitions, step, one, start))
        ][:MOST]
    return ways


def _step(definitions: Definitions, step: s.Step, way: _Way, start: Front) -> list[_Way]:
    def on(front: Front, *choice: str) -> _Way:
        return _Way(front, (*way.choices, *choice), way.posted, open_end=way.open_end)

    match step:
        case s.Send() | s.Tell():
            here = Posted(step.id, tuple(s.posted_by(step)), days_between(start, way.front), way.front.detail)
            return [_Way(way.front, way.choices, (*way.posted, here), open_end=way.open_end)]
        case s.Wait():
            return [on(after_wait(step, way.front, start.early))]
        case s.WaitFor():
            what = matcher_words(definitions, step.event)
            found = _lane(definitions, step.then, on(way.front, f"has {what}"), start)
            if step.within is not None:
                late = later(way.front, step.within.value)
                found += _lane(
                    definitions,
                    step.else_,
                    on(late, f"has not {what} within {span(step.within.value)}"),
                    start,
                )
            else:
                never = on(way.front, f"never has {what}")
                found.append(_Way(never.front, never.choices, never.posted, ended=True, open_end=True))
            return found
        case s.Branch():
            found = []
            for arm in step.arms:
                found += _lane(
                    definitions, arm.steps, on(way.front, condition_words(definitions, arm.if_)), start
                )
            return found + _lane(definitions, step.otherwise, on(way.front, "none of that holds"), start)
        case s.Repeat():
            return _lane(definitions, step.steps, way, start) if step.times != 0 else [way]
        case s.Dated():
            front = Front(way.front.early, None, day(step.at.date()))
            return [
                *_lane(definitions, step.steps, on(front, f"is there before {day(step.at.date())}"), start),
                on(way.front, f"comes after {day(step.at.date())}"),
            ]
        case s.End():
            return [_Way(way.front, way.choices, way.posted, ended=True, open_end=way.open_end)]
        case (
            s.TagStep() | s.Waypoint() | s.StartSequence() | s.StopSequence() | s.CertificateStep() | s.Call()
        ):
            return [way]
