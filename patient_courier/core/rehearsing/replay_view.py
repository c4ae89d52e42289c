"""What came of looking back, to look at: letters by day and step, whom it would have crowded, whom it would have reached first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.replay import Looked, Replay
from patient_courier.core.telling import words

LISTED = 50


@dataclass(frozen=True, slots=True)
class Person:
    key: str
    name: str
    words: str


@dataclass(frozen=True, slots=True)
class DayCount:
    date: str
    label: str
    letters: int


@dataclass(frozen=True, slots=True)
class StepCount:
    step: str
    letters: int


@dataclass(frozen=True, slots=True)
class ReplayResult:
    """What the draft would have posted in those days. Lists of people are cut at fifty."""

    letters: int
    students: int
    skipped: list[str]
    busiest: DayCount | None
    days: list[DayCount]
    steps: list[StepCount]
    over_limit: list[Person]
    over_limit_number: int
    unwritten: list[Person]
    unwritten_number: int


def shown_people(found: Looked) -> set[str]:
    """The students whom the lists name."""
    return {*list(found.crowded)[:LISTED], *found.unwritten[:LISTED]}


def looked_back(definitions: Definitions, replay: Replay, names: Mapping[str, str]) -> ReplayResult:
    """What a draft would have posted; ``names`` of the students by key."""
    found = replay.found

    def person(key: str, said: str) -> Person:
        return Person(key=key, name=names[key], words=said)

    zone = definitions.school.timezone
    first, last = (calendar.local_date(at, zone) for at in (replay.since, replay.until))
    every = [first.add(days=n) for n in range(calendar.days_between(first, last) + 1)]
    days = [DayCount(date=d.format_iso(), label=words.day(d), letters=found.days[d]) for d in every]
    return ReplayResult(
        letters=found.letters,
        students=len(found.students),
        skipped=[
            f"{number} not posted: {words.reason(code) or code}"
            for code, number in found.skipped.most_common()
        ],
        busiest=max(days, key=lambda day: day.letters) if found.letters else None,
        days=days,
        steps=[StepCount(step=step, letters=number) for step, number in found.steps.most_common()],
        over_limit=[
            person(key, f"{n} letters on {words.day(day)}")
            for key, (day, n) in list(found.crowded.items())[:LISTED]
        ],
        over_limit_number=len(found.crowded),
        unwritten=[person(key, f"{found.students[key]} letters") for key in found.unwritten[:LISTED]],
        unwritten_number=len(found.unwritten),
    )
