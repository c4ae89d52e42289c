"""The course line with its students and letters: who stands where, what hangs there, and where nobody writes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core import figures
from patient_courier.core.definitions import Definitions
from patient_courier.core.drafting.ending import has_ending
from patient_courier.core.line import ANYWHERE, COMPLETED, ENROLLED, Hung, Stop, hung, stops
from patient_courier.core.standing import Standing, silent_at

# From how many silent students on a stop without a letter is a gap (common practice, no source).
GAP_FROM = 3
# A step of a sequence: its sequence's key and its id.
StepKey = tuple[str, str]


@dataclass(frozen=True, slots=True)
class LineLetter:
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


@dataclass(frozen=True, slots=True)
class StopOut:
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


@dataclass(frozen=True, slots=True)
class RateOut:
    part: int
    whole: int
    percent: int
    low: int
    high: int


@dataclass(frozen=True, slots=True)
class LineOut:
    """``has_ending``: some sequence begins with the course's certificate."""

    key: str
    title: str
    active: int
    silent_days: int
    stops: list[StopOut]
    anywhere: list[LineLetter]
    reached_end: RateOut
    worst: str | None
    has_certificate: bool
    has_ending: bool


@dataclass(frozen=True, slots=True)
class Stalled:
    """A stop at which students have been silent for a week or more; ``covered``: a letter hangs there."""

    course: str
    course_title: str
    stop: str
    title: str
    silent: int
    covered: bool


def covered_line(
    definitions: Definitions,
    key: str,
    people: list[Standing],
    now: Instant,
    silent_days: int,
    sent: Mapping[StepKey, int],
    waiting: Mapping[StepKey, int],
) -> LineOut:
    """The line of a course. ``sent`` letters and ``waiting`` students by step."""
    course = definitions.courses[key]
    here, silent = Counter(one.stop for one in people), silent_at(people, now, silent_days)
    passed = Counter(stop for one in people for stop in one.done)
    passed[ENROLLED] = len(people)
    passed[COMPLETED] = sum(one.finished for one in people)
    letters: dict[str, list[LineLetter]] = {}
    for one in dict.fromkeys(hung(definitions, key)):
        letters.setdefault(one.stop, []).append(_letter(definitions, one, sent, waiting))
    any_check_in = any(stop.startswith("done:") for stop in letters)
    found = [
        StopOut(
            id=stop.id,
            kind=stop.kind,
            title=stop.title,
            detail=stop.detail,
            module=stop.module,
            here=here[stop.id],
            silent=silent[stop.id],
            passed=passed[stop.id],
            letters=letters.get(stop.id, []),
            gap=None if stop.id in letters else gap(stop, silent[stop.id], any_check_in),
        )
        for stop in stops(course)
    ]
    gaps = [stop for stop in found if stop.gap and stop.silent]
    return LineOut(
        key=key,
        title=course.title,
        active=sum(not one.finished for one in people),
        silent_days=silent_days,
        stops=found,
        anywhere=letters.get(ANYWHERE, []),
        reached_end=rate_in_percent(passed[COMPLETED], len(people)),
        worst=max(gaps, key=lambda stop: stop.silent).id if gaps else None,
        has_certificate=course.certificate is not None,
        has_ending=has_ending(definitions, key),
    )


def gap(stop: Stop, silent: int, any_check_in: bool) -> str | None:
    """What is missing at a stop without a letter, in words; None when nothing is."""
    if stop.kind in ("lesson", "quiz", "enrolment") and silent >= GAP_FROM:
        return f"{silent} students have stalled here, and no letter covers it."
    if stop.kind == "module_completed" and any_check_in:
        return f"No check-in after {stop.title.removesuffix(' completed').lower()}."
    return None


def rate_in_percent(part: int, whole: int) -> RateOut:
    found = figures.rate(part, whole)
    percent, low, high = (round(100 * x) for x in (found.fraction, found.low, found.high))
    return RateOut(found.part, found.whole, percent, low, high)


def _letter(
    definitions: Definitions, one: Hung, sent: Mapping[StepKey, int], waiting: Mapping[StepKey, int]
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


def stalled(
    definitions: Definitions, people: Mapping[str, list[Standing]], now: Instant, days: int, most: int
) -> list[Stalled]:
    """Where most students have been silent for so many days, over all courses (``people`` by course)."""
    found = []
    for key, course in definitions.courses.items():
        covered = {one.stop for one in hung(definitions, key)}
        titles = {stop.id: stop.title for stop in stops(course)}
        found += [
            Stalled(key, course.title, stop, titles[stop], number, stop in covered)
            for stop, number in silent_at(people[key], now, days).items()
            if number >= GAP_FROM
        ]
    return sorted(found, key=lambda one: (-one.silent, one.title))[:most]
