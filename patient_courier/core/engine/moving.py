"""Where an open run lands when its sequence has a newer version and the owner moves it there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from whenever import Instant

from patient_courier.core.engine.plan import Plan
from patient_courier.core.engine.state import Run
from patient_courier.core.school.sequences import Repeat, lanes


@dataclass(frozen=True, slots=True)
class Landing:
    """``stays``: the step is unchanged and the run goes on waiting there; ``again``: the step has changed and is
    come to anew; ``onward``: the step is gone and the run goes on with the next one that is left; ``ends``: none is.
    """

    kind: Literal["stays", "again", "onward", "ends"]
    step: str | None


def landing(old: Plan, new: Plan, step: str | None) -> Landing:
    """Where a run that stands at a step of the old version comes to stand in the new one."""
    if step is None:
        return Landing("again", new.first) if new.first else Landing("ends", None)
    here = old.places[step].step
    if step in new.places:
        there = new.places[step].step
        if there == here:
            return Landing("stays", step)
        if type(there) is type(here):
            return Landing("again", step)
    for later in _behind(old, step):
        if later in new.places:
            return Landing("onward", later)
    return Landing("ends", None)


def _behind(plan: Plan, step: str) -> Iterator[str]:
    """The steps that come after one, in reading order: the rest of its lane, then what follows around it."""
    at: str | None = step
    while at is not None:
        place = plan.places[at]
        after = place.after
        while after is not None:
            yield from _inside(plan, after)
            after = plan.places[after].after
        at = place.parent


def _inside(plan: Plan, step: str) -> Iterator[str]:
    yield step
    for _, steps in lanes(plan.places[step].step):
        for inner in steps:
            yield from _inside(plan, inner.id)


def put_down(run: Run, plan: Plan, found: Landing, now: Instant) -> None:
    """Let a run stand at its landing in the new version. Landings that end are the engine's to finish."""
    run.version, run.dirty = plan.version, True
    if found.kind == "stays":
        return
    run.step, run.due, run.arriving, run.walked, run.holds = found.step, now, True, True, []
    if found.kind == "onward":
        run.arrived = now
    repeats = plan.repeats_around(found.step) if found.step else []
    run.rounds = {
        repeat: run.rounds.get(repeat, 1)
        for repeat in repeats
        if isinstance(plan.places[repeat].step, Repeat)
    }
    run.trail.append(("moved", found.step, now, plan.version))
