"""Repeats that would never end, never pause or take too long."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.checks.finding import Finding, Level
from patient_courier.core.checks.spots import Make, Spot, free_step_id, patch_step, spots
from patient_courier.core.school import sequences as s

# Common practice, no source: letters more than hourly are no post, and rounds of seconds are a slip.
OFTEN_SECONDS, TOO_OFTEN_SECONDS, MANY_ROUNDS = 3600, 60, 100


def repeat_findings(sequence: s.Sequence, spot: Spot, step: s.Repeat, make: Make) -> Iterator[Finding]:
    inner = [inner.step for inner in spots(step.steps)]
    if step.times == 0 or not step.steps:
        yield make("warning", "empty_step", spot, "This repeat does nothing yet.")
        return
    if not _always_waits(step.steps):
        wait = {"id": free_step_id(sequence, "wait"), "do": "wait", "for": "P7D"}
        mend = patch_step(
            sequence,
            "Wait a week in each round",
            {"op": "add", "path": f"{spot.pointer}/steps/0", "value": wait},
        )
        sentence = "The rounds follow each other without a wait. Put a wait of more than zero inside."
        yield make("fault", "repeat_without_wait", spot, sentence, mend)
    shortest = _shortest(step.steps)
    if 0 < shortest < OFTEN_SECONDS and (step.times is None or step.times > MANY_ROUNDS):
        wait = {"id": free_step_id(sequence, "wait"), "do": "wait", "for": "P1D"}
        mend = patch_step(
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
        mend = patch_step(
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
            case (
                s.Send()
                | s.Wait()
                | s.TagStep()
                | s.Waypoint()
                | s.Dated()
                | s.StartSequence()
                | s.StopSequence()
                | s.Tell()
                | s.CertificateStep()
                | s.Call()
            ):
                pass
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
            case s.Repeat():
                if step.times != 0 and _always_waits(step.steps):
                    return True
            case (
                s.Wait()
                | s.Send()
                | s.TagStep()
                | s.Waypoint()
                | s.Dated()
                | s.StartSequence()
                | s.StopSequence()
                | s.Tell()
                | s.CertificateStep()
                | s.Call()
            ):
                pass
    return False
