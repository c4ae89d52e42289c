"""Findings in the steps of one sequence: what no path reaches, what never ends, what is decided too early."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from math import inf
from typing import Any

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.checks.finding import Finding, Level, Mend
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school import conditions as c
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import OnTag
from patient_courier.core.school.values import THIS

# Conditions whose answer does not change while a student waits.
_LASTING = (c.IsJoined, c.IsField, c.IsStudent)
LONG_WAIT = "P14D"
# Common practice, no source: letters more than hourly are no post, and rounds of seconds are a slip.
OFTEN_SECONDS, TOO_OFTEN_SECONDS, MANY_ROUNDS = 3600, 60, 100
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
            mend = _patch(sequence, "Remove it", {"op": "remove", "path": spot.pointer})
            yield found("warning", "unreachable", spot, "No path leads to this step.", mend)
        match step:
            case s.Repeat():
                yield from _repeat(sequence, spot, step, found)
            case s.WaitFor() if step.within is None:
                mend = _patch(
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
    yield from _tags(definitions, sequence, every)


def _patch(sequence: s.Sequence, label: str, *changes: dict[str, Any]) -> Mend:
    return Mend(label, "sequence", sequence.key, changes)


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
        return alive

    walk(sequence.steps, True, top=True)
    return found


def _repeat(sequence: s.Sequence, spot: Spot, step: s.Repeat, make: Make) -> Iterator[Finding]:
    inner = [inner.step for inner in spots(step.steps)]
    if step.times == 0 or not step.steps:
        yield make("warning", "empty_step", spot, "This repeat does nothing yet.")
        return
    if not _always_waits(step.steps):
        wait = {"id": _free_id(sequence, "wait"), "do": "wait", "for": "P7D"}
        mend = _patch(
            sequence,
            "Wait a week in each round",
            {"op": "add", "path": f"{spot.pointer}/steps/0", "value": wait},
        )
        sentence = "The rounds follow each other without a wait. Put a wait of more than zero inside."
        yield make("fault", "repeat_without_wait", spot, sentence, mend)
    shortest = _shortest(step.steps)
    if 0 < shortest < OFTEN_SECONDS and (step.times is None or step.times > MANY_ROUNDS):
        wait = {"id": _free_id(sequence, "wait"), "do": "wait", "for": "P1D"}
        mend = _patch(
            sequence,
            "Wait a day in each round",
            {"op": "add", "path": f"{spot.pointer}/steps/0", "value": wait},
        )
        sentence = "A round can be over in less than an hour, again and again. Wait longer in each round."
        level: Level = "fault" if shortest < TOO_OFTEN_SECONDS else "warning"
        yield make(level, "repeat_too_often", spot, sentence, mend)
    ends = (
        bool(sequence.leaves)
        or any(isinstance(x, s.End) for x in inner)
        or any(isinstance(x, s.StopSequence) and x.sequence == sequence.key for x in inner)
        or (
            spot.list_pointer == "/steps"
            and any(isinstance(x, s.Waypoint) for x in spot.beside[spot.index + 1 :])
        )
    )
    if step.times is None and not ends:
        mend = _patch(
            sequence, "Repeat twelve times", {"op": "replace", "path": f"{spot.pointer}/times", "value": 12}
        )
        sentence = "Nothing ends this repeat: say how many times, or what makes a student leave."
        yield make("warning", "repeat_without_end", spot, sentence, mend)


def _shortest(steps: list[s.Step]) -> float:
    """The seconds that the quickest way through the steps takes, as far as lengths of time say it."""
    total = 0.0
    for step in steps:
        match step:
            case s.Wait() if step.for_ is not None and step.since == "previous":
                total += _seconds(step.for_.value)
            case s.WaitFor():
                waited = _seconds(step.within.value) if step.within else inf
                total += min(_shortest(step.then), waited + _shortest(step.else_))
            case s.Branch():
                total += min(_shortest(lane) for _, lane in s.lanes(step))
            case s.Repeat():
                total += (
                    _shortest(step.steps) * (inf if step.times is None else step.times) if step.steps else 0
                )
            case s.End():
                return inf
    return total


def _seconds(span: Duration) -> float:
    return (span.months * 28 + span.days) * 86_400 + span.nanoseconds / 1_000_000_000


def _always_waits(steps: list[s.Step]) -> bool:
    """Whether every way through the steps waits for more than zero, or ends."""
    for step in steps:
        match step:
            case s.Wait() if (
                step.for_ is not None and not step.for_.value.is_zero and step.since == "previous"
            ):
                return True
            case s.End():
                return True
            case s.WaitFor():
                waited = step.within is None or not step.within.value.is_zero
                if _always_waits(step.then) and (waited or _always_waits(step.else_)):
                    return True
            case s.Branch():
                if all(_always_waits(lane) for _, lane in s.lanes(step)):
                    return True
            case s.Repeat() if step.times != 0 and _always_waits(step.steps):
                return True
    return False


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
        mend = _patch(sequence, "Wait first, then decide", *removals, insert)
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
        case _:
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


def _free_id(sequence: s.Sequence, wish: str) -> str:
    taken = {spot.step.id for spot in spots(sequence.steps)}
    return next(name for name in (f"{wish}-{n}" for n in range(1, 10_000)) if name not in taken)
