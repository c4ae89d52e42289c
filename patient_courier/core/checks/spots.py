"""The steps of a sequence with the place where each stands, and small mends there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from patient_courier.core.checks.finding import Finding, Mend
from patient_courier.core.school import sequences as s
from patient_courier.core.school.keys import free_key

Make = Callable[..., Finding]


@dataclass(frozen=True, slots=True)
class Spot:
    """A step, the JSON pointer of its place, and the list it stands in."""

    step: s.Step
    pointer: str
    index: int
    beside: list[s.Step]

    @property
    def list_pointer(self) -> str:
        return self.pointer.rpartition("/")[0]


def spots(steps: list[s.Step], pointer: str = "/steps") -> Iterator[Spot]:
    """Every step with its place, nested ones included, in reading order."""
    for index, step in enumerate(steps):
        place = f"{pointer}/{index}"
        yield Spot(step, place, index, steps)
        for lane, inner in s.lanes(step):
            yield from spots(inner, f"{place}/{lane}")


def patch_step(sequence: s.Sequence, label: str, *changes: dict[str, Any]) -> Mend:
    return Mend(label, "sequence", sequence.key, changes)


def free_step_id(sequence: s.Sequence, wish: str) -> str:
    return free_key(wish, {spot.step.id for spot in spots(sequence.steps)})
