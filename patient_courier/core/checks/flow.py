"""Findings in the steps of one sequence: what no path reaches, what never ends, what is decided too early."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from patient_courier.core.checks.finding import Finding, Level, Mend
from patient_courier.core.checks.repeats import repeat_findings
from patient_courier.core.checks.spots import Make, Spot, patch_step, spots
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school import conditions as c
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import OnTag
from patient_courier.core.school.values import THIS

# Conditions whose answer does not change while a student waits.
_LASTING = (c.IsJoined, c.IsField, c.IsStudent)
LONG_WAIT = "P14D"


def flow_findings(definitions: Definitions, sequence: s.Sequence) -> Iterator[Finding]:
    """Findings that the sequence shows by itself."""

    def found(level: Level, code: str, spot: Spot, sentence: str, mend: Mend | None = None) -> Finding:
        return Finding(
            level, code, sentence, sequence.key, step=spot.step.id, pointer=spot.pointer, mend=mend
        )

    every = list(spots(sequence.steps))
    reached = reachable(sequence)
    for spot in every:
        step = spot.step
        first_unreached = step.id not in reached and (
            spot.index == 0 or spot.beside[spot.index - 1].id in reached
        )
        if first_unreached:
            mend = patch_step(sequence, "Remove it", {"op": "remove", "path": spot.pointer})
            yield found("warning", "unreachable", spot, "No path leads to this step.", mend)
        match step:
            case s.Repeat():
                yield from repeat_findings(sequence, spot, step, found)
            case s.WaitFor() if step.within is None:
                mend = patch_step(
                    sequence,
                    "Wait two weeks at most",
                    {"op": "replace", "path": f"{spot.pointer}/within", "value": LONG_WAIT},
                )
                sentence = (
                    "If this never happens, the student waits here for ever. Say after how long to go on."
                )
                yield found("warning", "waits_forever", spot, sentence, mend)
            case s.Waypoint() if step.hold:
                yield found(
                    "warning",
                    "waits_forever",
                    spot,
                    "Students wait at this waypoint until it is reached, for ever if need be.",
                )
            case s.Branch():
                yield from _early_decision(sequence, spot, step, found)
            case s.CertificateStep():
                course = definitions.courses.get(step.course)
                if course is not None and course.certificate is None:
                    yield found(
                        "fault",
                        "no_certificate",
                        spot,
                        f"{course.title} has no certificate, so there is none to issue.",
                    )
            case s.Dated() if not step.steps:
                yield found("warning", "empty_step", spot, "Nothing happens at this date yet.")
            case s.TagStep() if not step.add and not step.remove:
                yield found("warning", "empty_step", spot, "This step changes no tag yet.")
            case (
                s.Send()
                | s.Wait()
                | s.WaitFor()
                | s.Waypoint()
                | s.Dated()
                | s.TagStep()
                | s.StartSequence()
                | s.StopSequence()
                | s.Tell()
                | s.Call()
                | s.End()
            ):
                pass
    yield from _tags(definitions, sequence, every)


def reachable(sequence: s.Sequence) -> set[str]:
    """The ids of the steps that some path leads to. Waypoints can be jumped to from anywhere before them."""
    found: set[str] = set()

    def walk(steps: list[s.Step], alive: bool, *, top: bool = False) -> bool:
        for step in steps:
            if top and isinstance(step, s.Waypoint) and not alive and found:
                found.add(step.id)
                alive = True
                continue
            if not alive:
                continue
            found.add(step.id)
            match step:
                case s.End():
                    alive = False
                case s.StopSequence():
                    alive = step.sequence != sequence.key
                case s.WaitFor():
                    on = walk(step.then, True)
                    alive = (walk(step.else_, True) if step.within is not None else False) or on
                case s.Branch():
                    ways = [walk(arm.steps, True) for arm in step.arms]
                    alive = any([walk(step.otherwise, True), *ways])
                case s.Repeat():
                    if step.times != 0:
                        through = walk(step.steps, True)
                        alive = step.times is not None and through
                case s.Dated():
                    walk(step.steps, True)  # when the date has passed, the steps are skipped
                case (
                    s.Send()
                    | s.Wait()
                    | s.TagStep()
                    | s.Waypoint()
                    | s.StartSequence()
                    | s.Tell()
                    | s.CertificateStep()
                    | s.Call()
                ):
                    pass
        return alive

    walk(sequence.steps, True, top=True)
    return found


def _early_decision(sequence: s.Sequence, spot: Spot, step: s.Branch, make: Make) -> Iterator[Finding]:
    """A branch that is decided before a wait, although the letters go out after it."""
    if all(isinstance(leaf, _LASTING) for arm in step.arms for leaf in _leaves(arm.if_)):
        return
    lanes = [lane for _, lane in s.lanes(step)]
    late = [lane for lane in lanes if _waits_then_sends(lane)]
    if not late:
        return
    first = late[0][0]
    mend = None
    same = all(lane and _same_wait(lane[0], first) for lane in lanes if lane)
    if same and isinstance(first, s.Wait):
        wait = {**as_data(first), "id": first.id}
        removals: list[dict[str, Any]] = [
            {"op": "remove", "path": f"{spot.pointer}/{name}/0"} for name, lane in s.lanes(step) if lane
        ]
        insert = {"op": "add", "path": spot.pointer, "value": wait}
        mend = patch_step(sequence, "Wait first, then decide", *removals, insert)
    sentence = "This is decided before the wait, but the letter goes out after it; by then the answer may have changed. Wait first, then decide."
    yield make("warning", "decided_too_early", spot, sentence, mend)


def _leaves(condition: c.Condition) -> Iterator[c.Condition]:
    match condition:
        case c.All():
            parts = condition.all
        case c.Any_():
            parts = condition.any
        case c.Not():
            parts = [condition.not_]
        case c.Leaf():
            yield condition
            return
    for part in parts:
        yield from _leaves(part)


def _is_wait(step: s.Step) -> bool:
    return isinstance(step, s.Wait) and (
        step.at is not None or (step.for_ is not None and not step.for_.value.is_zero)
    )


def _same_wait(step: s.Step, other: s.Step) -> bool:
    return (
        isinstance(step, s.Wait)
        and isinstance(other, s.Wait)
        and step.model_copy(update={"id": ""}) == other.model_copy(update={"id": ""})
    )


def _waits_then_sends(lane: list[s.Step]) -> bool:
    """Whether the lane begins with a wait and then posts without deciding anew."""
    if not lane or not _is_wait(lane[0]):
        return False
    for step in lane[1:]:
        if isinstance(step, s.Branch | s.WaitFor):
            return False
        if isinstance(step, s.Send):
            return True
    return False


def _tags(definitions: Definitions, sequence: s.Sequence, every: list[Spot]) -> Iterator[Finding]:
    """Tags that are asked for although nothing in the school ever gives them."""
    given = set(definitions.known_tags)
    for spot in every:
        if isinstance(spot.step, s.TagStep):
            given |= set(spot.step.add)
    asked: list[tuple[str, str | None, str]] = []
    for name in ("starts", "leaves"):
        for index, matcher in enumerate(getattr(sequence, name)):
            if isinstance(matcher, OnTag) and matcher.tag:
                asked.append((matcher.tag, None, f"/{name}/{index}/tag"))
    if sequence.trial is not None and isinstance(sequence.trial.goal, OnTag) and sequence.trial.goal.tag:
        asked.append((sequence.trial.goal.tag, None, "/trial/goal/tag"))
    if sequence.only_if is not None:
        asked += [(tag, None, "/only_if") for tag in _tags_of(sequence.only_if)]
    for spot in every:
        step = spot.step
        matcher = (
            step.event
            if isinstance(step, s.WaitFor)
            else step.reach
            if isinstance(step, s.Waypoint)
            else None
        )
        if isinstance(matcher, OnTag) and matcher.tag:
            asked.append((matcher.tag, step.id, spot.pointer))
        if isinstance(step, s.Branch):
            asked += [(tag, step.id, spot.pointer) for arm in step.arms for tag in _tags_of(arm.if_)]
    for tag, step_id, pointer in dict.fromkeys(asked):
        if tag not in given and tag != THIS:
            sentence = (
                f"No student has the tag “{tag}”, and no offer or sequence gives it. Check how it is spelt."
            )
            yield Finding("warning", "unknown_tag", sentence, sequence.key, step=step_id, pointer=pointer)


def _tags_of(condition: c.Condition) -> list[str]:
    return [leaf.tag for leaf in _leaves(condition) if isinstance(leaf, c.IsTagged)]
