"""What gives a tag, what takes it off, and what asks for it, in everything a school has decided."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school import conditions as c
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.sequences import Branch, TagStep


@dataclass(frozen=True, slots=True)
class Use:
    """One place where a tag stands: of what kind, its key and its name."""

    kind: str
    key: str
    name: str


@dataclass(slots=True)
class Uses:
    """The places that give a tag, take it off, or ask for it, each once."""

    gives: dict[Use, None] = field(default_factory=dict)
    takes: dict[Use, None] = field(default_factory=dict)
    asks: dict[Use, None] = field(default_factory=dict)


def tag_uses(
    definitions: Definitions,
    broadcasts: Iterable[Broadcast],
    audiences: Iterable[tuple[str, str, Condition]],
) -> dict[str, Uses]:
    """The uses of every tag; ``audiences`` are (key, name, condition)."""
    found: defaultdict[str, Uses] = defaultdict(Uses)
    for offer in definitions.offers.values():
        for tag in offer.tags:
            found[tag].gives[Use("offer", offer.key, offer.title)] = None
    for ready in definitions.letters.values():
        here = Use("letter", ready.letter.key, ready.letter.called)
        for _, choice in ready.letter.answers():
            for tag in choice.add_tags:
                found[tag].gives[here] = None
            for tag in choice.remove_tags:
                found[tag].takes[here] = None
    for plan in definitions.sequences.values():
        here = Use("sequence", plan.key, plan.sequence.called)
        for tag in _asked_by_sequence(plan):
            found[tag].asks[here] = None
        for place in plan.places.values():
            if isinstance(place.step, TagStep):
                for tag in place.step.add:
                    found[tag].gives[here] = None
                for tag in place.step.remove:
                    found[tag].takes[here] = None
    for broadcast in broadcasts:
        here = Use("broadcast", broadcast.key, broadcast.called)
        for tag in asked_tags(broadcast.to):
            found[tag].asks[here] = None
    for key, name, condition in audiences:
        for tag in asked_tags(condition):
            found[tag].asks[Use("audience", key, name)] = None
    return dict(found)


def _asked_by_sequence(plan: Any) -> Iterator[str]:
    for matcher in plan.matchers:
        tag = matcher.selectors().get("tag")
        if isinstance(tag, str):
            yield tag
    yield from asked_tags(plan.sequence.only_if)
    for place in plan.places.values():
        if isinstance(place.step, Branch):
            for arm in place.step.arms:
                yield from asked_tags(arm.if_)


def asked_tags(condition: Condition | None) -> Iterator[str]:
    """The tags that a condition asks for."""
    match condition:
        case c.All():
            for part in condition.all:
                yield from asked_tags(part)
        case c.Any_():
            for part in condition.any:
                yield from asked_tags(part)
        case c.Not():
            yield from asked_tags(condition.not_)
        case c.IsTagged():
            yield condition.tag
        case (
            c.IsEnrolled()
            | c.IsCompleted()
            | c.IsProgress()
            | c.IsQuiz()
            | c.IsBought()
            | c.IsSequence()
            | c.IsLetter()
            | c.IsInactive()
            | c.IsJoined()
            | c.IsCertified()
            | c.IsNewsOn()
            | c.IsField()
            | c.IsStudent()
            | None
        ):
            pass
