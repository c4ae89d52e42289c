"""Versions of a letter held against each other, as the screen shows them: a sentence, the shares, the differences."""

from __future__ import annotations

from collections.abc import Mapping

from pydantic import BaseModel

from patient_courier.core.figures.differences import (
    Difference,
    Group,
    Verdict,
    at_every_look,
    difference,
    verdict,
)
from patient_courier.core.figures.rates import rate
from patient_courier.core.telling.trial_words import compared_words, range_words

# What is compared, as it is said of a letter that does it more.
COMPARED = {"opened": "opened", "clicked": "clicked", "answered": "answered", "goal": "followed by the goal"}


class Range(BaseModel):
    """A share or a difference of shares (-1 to 1) with the ends of its range, and in words."""

    value: float
    low: float
    high: float
    words: str = ""


class VersionShare(BaseModel):
    """``number`` of the ``of`` students who got this letter."""

    letter: str
    name: str
    number: int
    of: int
    share: Range | None


class Against(BaseModel):
    """A version against the first one; ``always`` holds at every look together, ``once`` at one look."""

    letter: str
    verdict: Verdict
    answer: str
    always: Range | None
    once: Range | None


class Compared(BaseModel):
    what: str
    versions: list[VersionShare]
    against: list[Against]


class ComparedOut(BaseModel):
    """Nothing where there is one letter for all."""

    items: list[Compared]


def range_of(found: Difference | None) -> Range | None:
    """A difference with its range in words."""
    return (
        Range(value=found.value, low=found.low, high=found.high, words=range_words(found)) if found else None
    )


def share_of(group: Group) -> Range | None:
    """A share with Wilson's range; None of nobody."""
    if not group.students:
        return None
    found = rate(group.reached, group.students)
    return Range(value=found.fraction, low=found.low, high=found.high)


def compared(what: str, groups: Mapping[str, Group], names: Mapping[str, str]) -> Compared:
    """The versions by letter key, in their order, with how many did it of how many who got each."""
    first, *others = groups.items()
    return Compared(
        what=what,
        versions=[_share(letter, names[letter], group) for letter, group in groups.items()],
        against=[_against(what, letter, names, group, first) for letter, group in others],
    )


def _share(letter: str, name: str, group: Group) -> VersionShare:
    return VersionShare(
        letter=letter, name=name, number=group.reached, of=group.students, share=share_of(group)
    )


def _against(
    what: str, letter: str, names: Mapping[str, str], group: Group, first: tuple[str, Group]
) -> Against:
    always, told = at_every_look(group, first[1]), verdict(group, first[1])
    return Against(
        letter=letter,
        verdict=told,
        answer=compared_words(COMPARED[what], told, always, names[letter], names[first[0]]),
        always=range_of(always),
        once=range_of(difference(group, first[1])),
    )


def compared_letters(counts: Mapping[str, Mapping[str, int]], names: Mapping[str, str]) -> list[Compared]:
    """Every outcome of letters that was seen of any; ``counts`` are students by outcome, by letter."""
    found = []
    for what in ("opened", "clicked", "answered"):
        groups = {letter: Group(count[what], count["delivered"]) for letter, count in counts.items()}
        if any(group.reached for group in groups.values()):
            found.append(compared(what, groups, names))
    return found
