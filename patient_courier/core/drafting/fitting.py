"""Sequences with their letters fitted to a course of this school: starters, and a sequence for another course."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from patient_courier.core.drafting.refit import Part, guess, parts, refit
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.courses import Course, Offer
from patient_courier.core.school.keys import free_key, short_title
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.telling import words


@dataclass(frozen=True, slots=True)
class Pattern:
    """What is to be fitted: sequences, their letters, and the courses and offers they were made for."""

    sequences: list[Sequence]
    letters: list[Letter]
    courses: Mapping[str, Course]
    offers: Mapping[str, Offer]


@dataclass(frozen=True, slots=True)
class Fitted:
    """What is to be saved: letters and sequences in draft, under free keys."""

    letters: list[Letter]
    sequences: list[Sequence]


@dataclass(frozen=True, slots=True)
class PartOut:
    """Something of the course that the sequence names, and what would most likely take its place."""

    kind: str
    key: str
    title: str
    guess: str | None


def of_sequence(definitions: Definitions, plan: Plan) -> Pattern:
    """A sequence of this school, with the letters it uses, as a pattern."""
    used = plan.letters
    letters = [ready.letter for name, ready in definitions.letters.items() if name in used]
    return Pattern([plan.sequence], letters, definitions.courses, definitions.offers)


def named_parts(definitions: Definitions, plan: Plan, course: Course) -> list[PartOut]:
    """The parts of its course that a sequence names, with a guess for another course."""
    offers = list(definitions.offers.values())
    return [
        PartOut(
            kind=part.kind,
            key=part.key,
            title=words.title(definitions, part.kind, part.key),
            guess=guess(part, _course_of(definitions.courses, part), course, offers),
        )
        for part in parts(as_data(plan.sequence))
    ]


def fit(definitions: Definitions, pattern: Pattern, course: Course, chosen: Mapping[str, str]) -> Fitted:
    """Fit a pattern to a course. ``chosen`` says what takes a part's place (``kind:key`` → key); the rest is guessed."""
    bodies = [as_data(sequence) for sequence in pattern.sequences]
    places = _places(definitions, pattern, bodies, course, chosen)
    letter_keys = _free_keys(course, (letter.key for letter in pattern.letters), definitions.letters)
    sequence_keys = _free_keys(course, (body["key"] for body in bodies), definitions.sequences)
    fitted = []
    for body in bodies:
        new = _renamed(refit(body, places), letter_keys, sequence_keys)
        name = str(body["name"])
        for old in sorted(pattern.courses.values(), key=lambda one: len(one.title), reverse=True):
            name = name.replace(short_title(old.title), short_title(course.title))
        # A trial is of one sequence: the same lot elsewhere would hold the same students back.
        new |= {"name": name, "status": "draft", "key": sequence_keys[body["key"]], "trial": None}
        new["steps"] = _for_known_offers(new["steps"], definitions.offers)
        # Leaving on a refund of an offer that this school has not makes no sense.
        new["leaves"] = [
            x for x in new["leaves"] if x.get("offer") is None or x["offer"] in definitions.offers
        ]
        fitted.append(Sequence.model_validate(new))
    letters = [letter.model_copy(update={"key": letter_keys[letter.key]}) for letter in pattern.letters]
    return Fitted(letters, fitted)


def _for_known_offers(steps: list[dict[str, Any]], offers: Collection[str]) -> list[dict[str, Any]]:
    """Steps without the ways that ask for an offer which this school has not; a branch without any is its “otherwise”."""
    found: list[dict[str, Any]] = []
    for step in steps:
        new = dict(step)
        for lane in ("then", "else", "steps", "otherwise"):
            if lane in new:
                new[lane] = _for_known_offers(new[lane], offers)
        if new.get("do") == "branch":
            arms = [
                {**arm, "steps": _for_known_offers(arm.get("steps", []), offers)}
                for arm in new["arms"]
                if all(part.kind != "offer" or part.key in offers for part in parts(arm["if"]))
            ]
            if not arms:
                found += new.get("otherwise", [])
                continue
            new["arms"] = arms
        found.append(new)
    return found


def _places(
    definitions: Definitions,
    pattern: Pattern,
    bodies: list[dict[str, Any]],
    course: Course,
    chosen: Mapping[str, str],
) -> dict[Part, str]:
    """What takes the place of each part; those that stay are left out."""
    starts = parts([body["starts"] for body in bodies])
    main = next((part.key.partition("/")[0] for part in starts if part.kind != "offer"), None)
    offers = list(definitions.offers.values())
    found = {}
    for part in parts(bodies):
        wish = chosen.get(f"{part.kind}:{part.key}")
        if wish is None and _stays(definitions, part, main, pattern.offers):
            continue
        place = wish or guess(part, _course_of(pattern.courses, part), course, offers)
        if place is not None:
            found[part] = place
    return found


def _course_of(courses: Mapping[str, Course], part: Part) -> Course | None:
    return courses.get(part.key.partition("/")[0])


def _stays(definitions: Definitions, part: Part, main: str | None, offers: Mapping[str, Offer]) -> bool:
    """Whether a part is about another course than the sequence itself, and this school has it too."""
    if part.kind == "offer":
        found = offers.get(part.key)
        return found is not None and main not in found.courses and part.key in definitions.offers
    return part.key.partition("/")[0] != main and part.key.partition("/")[0] in definitions.courses


def _free_keys(course: Course, keys: Iterable[str], taken: Iterable[str]) -> dict[str, str]:
    gone, found = set(taken), {}
    for key in keys:
        found[key] = free_key(f"{course.key}-{key}", gone)
        gone.add(found[key])
    return found


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
