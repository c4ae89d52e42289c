"""Findings that show only when sequences are looked at together: two letters at once, circles of starts."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from patient_courier.core.checks.finding import Finding
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import Matcher, OnEnrolled, OnTag


def together_findings(definitions: Definitions, plan: Plan) -> Iterator[Finding]:
    """Findings of one sequence beside the other running ones."""
    others = [
        other
        for other in definitions.sequences.values()
        if other.key != plan.key and other.sequence.status == "running"
    ]
    if _sends_at_once(plan.sequence.steps):
        for other in others:
            both = _common_start(definitions, plan, other)
            if both is not None and _sends_at_once(other.sequence.steps):
                name = other.sequence.called
                sentence = f"“{name}” starts on the same event and posts at once too: the student gets two letters in the same minute."
                yield Finding("warning", "two_at_once", sentence, plan.key, pointer=f"/starts/{both}")
    yield from _circles(definitions, plan)


def _sends_at_once(steps: Iterable[s.Step]) -> bool:
    """Whether some way through the steps reaches a letter without a wait."""
    for step in steps:
        match step:
            case s.Send():
                return True
            case s.Wait() if step.for_ is not None or step.at is not None or step.days:
                return False
            case s.WaitFor() | s.Dated() | s.End():
                return False
            case s.Waypoint() if step.hold:
                return False
            case s.Branch() | s.Repeat():
                if any(_sends_at_once(lane) for _, lane in s.lanes(step)):
                    return True
            case (
                s.Wait()
                | s.TagStep()
                | s.Waypoint()
                | s.StartSequence()
                | s.StopSequence()
                | s.Tell()
                | s.CertificateStep()
                | s.Call()
            ):
                pass
    return False


def _common_start(definitions: Definitions, plan: Plan, other: Plan) -> int | None:
    """The index of a start that the other sequence has too, for some event."""
    for index, mine in enumerate(plan.sequence.starts):
        for theirs in other.sequence.starts:
            if overlap(definitions, mine, theirs):
                return index
    return None


def overlap(definitions: Definitions, one: Matcher, other: Matcher) -> bool:
    """Whether the same event can be picked by both matchers."""
    if one.on != other.on:
        return False
    mine, theirs = _around(definitions, one), _around(definitions, other)
    if isinstance(one, OnEnrolled) and isinstance(other, OnEnrolled) and not set(one.via) & set(other.via):
        return False
    return all(theirs.get(name, value) == value for name, value in mine.items() if name != "via")


def _around(definitions: Definitions, matcher: Matcher) -> dict[str, object]:
    """The selectors of a matcher with the module and course they imply."""
    found = dict(matcher.selectors())
    inner = found.get("lesson") or found.get("quiz")
    if isinstance(inner, str) and inner in definitions.module_of:
        found.setdefault("module", definitions.module_of[inner])
    if isinstance(found.get("module"), str):
        found.setdefault("course", str(found["module"]).partition("/")[0])
    if isinstance(found.get("offer"), str):
        course = definitions.course_of_offer(str(found["offer"]))
        if course:
            found.setdefault("course", course)
    return found


def _circles(definitions: Definitions, plan: Plan) -> Iterator[Finding]:
    """Sequences that start each other, directly or through tags, until they come back to this one."""
    for place in plan.places.values():
        for target in _starts(definitions, place.step):
            way = _way_back(definitions, target, plan.key)
            if way is None:
                continue
            names = [definitions.sequences[key].sequence.called for key in [*way, plan.key]]
            chain = "” → “".join([plan.sequence.called, *names])
            again = plan.sequence.again in ("every_time", "when_finished")
            sentence = f"These sequences start each other in a circle: “{chain}”."
            sentence += (
                " The same student could go round without end."
                if again
                else " It stops because a student may come in only once."
            )
            yield Finding(
                "fault" if again and target == plan.key else "warning",
                "circle",
                sentence,
                plan.key,
                step=place.step.id,
            )
            return


def _starts(definitions: Definitions, step: s.Step) -> list[str]:
    """The sequences a step sets going."""
    if isinstance(step, s.StartSequence):
        return [step.sequence] if step.sequence in definitions.sequences else []
    if not isinstance(step, s.TagStep):
        return []
    changed = {"tag_added": set(step.add), "tag_removed": set(step.remove)}
    return [
        other.key
        for other in definitions.sequences.values()
        for matcher in other.sequence.starts
        if isinstance(matcher, OnTag)
        and (matcher.tag in changed[matcher.on] or (not matcher.tag and changed[matcher.on]))
    ]


def _way_back(definitions: Definitions, start: str, goal: str) -> list[str] | None:
    """The shortest chain of sequences from one to another, without the last; None when there is none."""
    if start == goal:
        return []
    known: dict[str, str | None] = {start: None}
    queue = [start]
    while queue:
        here = queue.pop(0)
        for place in definitions.sequences[here].places.values():
            for target in _starts(definitions, place.step):
                if target == goal:
                    chain: list[str] = []
                    at: str | None = here
                    while at is not None:
                        chain.insert(0, at)
                        at = known[at]
                    return chain
                if target not in known:
                    known[target] = here
                    queue.append(target)
    return None
