"""The course line with its students and letters: who stands where, what hangs there, and where nobody writes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.courses.course_line import ANYWHERE, COMPLETED, ENROLLED, Hung, Stop, hung, stops
from patient_courier.core.courses.standing import Standing, is_silent, silent_at
from patient_courier.core.drafting.ending import has_ending
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures import rates

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
    """A stop with the students who stand there, those of them who are silent, and how many have passed it.

    ``reached`` of the silent ones got a letter that hangs there, or will.
    """

    id: str
    kind: str
    title: str
    detail: str
    module: str | None
    here: int
    silent: int
    reached: int
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
    """A stop at which students have been silent for a week or more; ``reached`` of them got a letter there, or will."""

    course: str
    course_title: str
    stop: str
    title: str
    silent: int
    reached: int


def covered_line(
    definitions: Definitions,
    key: str,
    people: list[Standing],
    now: Instant,
    silent_days: int,
    sent: Mapping[StepKey, int],
    waiting: Mapping[StepKey, int],
    told: Mapping[StepKey, Collection[int]],
) -> LineOut:
    """The line of a course. ``sent`` letters and ``waiting`` students by step; ``told`` as in :func:`reached_at`."""
    course = definitions.courses[key]
    here, silent = Counter(one.stop for one in people), silent_at(people, now, silent_days)
    passed = Counter(stop for one in people for stop in one.done)
    passed[ENROLLED] = len(people)
    passed[COMPLETED] = sum(one.finished for one in people)
    letters: dict[str, list[LineLetter]] = {}
    hanging = list(dict.fromkeys(hung(definitions, key)))
    for one in hanging:
        letters.setdefault(one.stop, []).append(_letter(definitions, one, sent, waiting))
    reached = reached_at(hanging, people, now, silent_days, told)
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
            reached=reached[stop.id],
            passed=passed[stop.id],
            letters=letters.get(stop.id, []),
            gap=gap(
                stop,
                silent[stop.id],
                reached[stop.id],
                sum(one.status == "running" for one in letters.get(stop.id, ())),
                any_check_in,
            ),
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
        worst=max(gaps, key=lambda stop: stop.silent - stop.reached).id if gaps else None,
        has_certificate=course.certificate is not None,
        has_ending=has_ending(definitions, key),
    )


def reached_at(
    hanging: Collection[Hung],
    people: Collection[Standing],
    now: Instant,
    days: int,
    told: Mapping[StepKey, Collection[int]],
) -> Counter[str]:
    """How many of the silent at each stop got a letter that hangs there, or will.

    ``told``: for each step that posts, the row ids of those who got its letter or are inside and come to it.
    """
    by_stop = reached_by_stop(hanging, told)
    return Counter(
        one.stop
        for one in people
        if is_silent(one, now, days) and one.student_id in by_stop.get(one.stop, ())
    )


def reached_by_stop(hanging: Iterable[Hung], told: Mapping[StepKey, Collection[int]]) -> dict[str, set[int]]:
    """By stop: who got a letter that hangs there, or will (``told`` as in :func:`reached_at`)."""
    found: dict[str, set[int]] = {}
    for one in hanging:
        found.setdefault(one.stop, set()).update(told.get((one.sequence, one.step), ()))
    return found


def gap(stop: Stop, silent: int, reached: int, running: int, any_check_in: bool) -> str | None:
    """What is missing at a stop, in words; None when nothing is. ``running`` letters go out there."""
    if stop.kind in ("lesson", "quiz", "enrolment") and silent - reached >= GAP_FROM:
        if not running:
            return f"{silent} students have stalled here, and no letter reaches them."
        return f"{silent - reached} of the {silent} who have stalled here are reached by no letter."
    if stop.kind == "module_completed" and not running and any_check_in:
        return f"No check-in after {stop.title.removesuffix(' completed').lower()}."
    return None


def rate_in_percent(part: int, whole: int) -> RateOut:
    found = rates.rate(part, whole)
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
        sequence_name=plan.sequence.called,
        status=plan.sequence.status,
        step=one.step,
        letter=one.letter,
        name=definitions.letters[one.letter].letter.called,
        when=one.when,
        sent=sent.get((one.sequence, one.step), 0),
        waiting=sum(waiting.get((one.sequence, step), 0) for step in [one.step, *before]),
    )


def silent_courses(people: Mapping[str, list[Standing]], now: Instant, days: int) -> list[str]:
    """Courses with a place where so many have been silent that it is told (``people`` by course)."""
    return [key for key, standing in people.items() if _silent(standing, now, days)]


def _silent(people: list[Standing], now: Instant, days: int) -> dict[str, int]:
    return {stop: number for stop, number in silent_at(people, now, days).items() if number >= GAP_FROM}


def stalled(
    definitions: Definitions,
    people: Mapping[str, list[Standing]],
    now: Instant,
    days: int,
    most: int,
    told: Mapping[StepKey, Collection[int]],
) -> list[Stalled]:
    """Where most students have been silent for so many days, over all courses (``people`` by course).

    ``told`` is who has got what, of the steps along :func:`silent_courses`.
    """
    found = []
    for key in silent_courses(people, now, days):
        course = definitions.courses[key]
        hanging = list(dict.fromkeys(hung(definitions, key)))
        reached = reached_at(hanging, people[key], now, days, told)
        titles = {stop.id: stop.title for stop in stops(course)}
        found += [
            Stalled(key, definitions.short_titles[key], stop, titles[stop], number, reached[stop])
            for stop, number in _silent(people[key], now, days).items()
        ]
    return sorted(found, key=lambda one: (-one.silent, one.title))[:most]
