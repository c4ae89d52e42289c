"""Fitting a sequence to another course: which parts are bound to the old one, and putting others in their place."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from patient_courier.core.school.courses import Course, Offer
from patient_courier.core.school.values import THIS

KINDS = ("course", "module", "lesson", "quiz", "offer")


@dataclass(frozen=True, slots=True)
class Part:
    """Something of a course that a sequence names."""

    kind: str
    key: str


def parts(body: Any) -> list[Part]:
    """The parts a sequence (as plain data) names, each once, in reading order."""
    return list(dict.fromkeys(_parts(body)))


def _parts(body: Any) -> Iterator[Part]:
    if isinstance(body, list):
        for item in body:
            yield from _parts(item)
    elif isinstance(body, dict):
        for name, value in body.items():
            if name in KINDS and isinstance(value, str) and value not in (THIS, "any"):
                yield Part(name, value)
            else:
                yield from _parts(value)


def refit(body: Any, places: Mapping[Part, str]) -> Any:
    """The same data with other keys in place of the parts; those not named stay."""
    if isinstance(body, list):
        return [refit(item, places) for item in body]
    if not isinstance(body, dict):
        return body
    return {
        name: places.get(Part(name, value), value)
        if name in KINDS and isinstance(value, str)
        else refit(value, places)
        for name, value in body.items()
    }


def guess(part: Part, old: Course | None, new: Course, offers: list[Offer]) -> str | None:
    """What most likely takes a part's place: the module, lesson or quiz at the same place, the offer of that course."""
    if part.kind == "course":
        return new.key
    if part.kind == "offer":
        alone = [offer.key for offer in offers if offer.courses == [new.key]]
        return next(iter([*alone, *(offer.key for offer in offers if new.key in offer.courses)]), None)
    before = _inner(old, part.kind) if old else []
    after = _inner(new, part.kind)
    at = before.index(part.key) if part.key in before else 0
    return after[min(at, len(after) - 1)] if after else None


def _inner(course: Course, kind: str) -> list[str]:
    if kind == "module":
        return [f"{course.key}/{module.key}" for module in course.modules]
    name = "lessons" if kind == "lesson" else "quizzes"
    return [f"{course.key}/{item.key}" for module in course.modules for item in getattr(module, name)]
