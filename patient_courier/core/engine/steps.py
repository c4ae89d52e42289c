"""What each step does: one small function a step, found by the step's model in ``STEPS``.

A function is called when a run arrives at the step, and again with
``woken=True`` when the moment it waited for has come. It returns where the run
goes (turn.Move).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any, Protocol

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine import guards
from patient_courier.core.engine.conditions import holds
from patient_courier.core.engine.definitions import ReadyLetter
from patient_courier.core.engine.effects import CallMade, CertificateIssued, LetterDecided, TagChanged
from patient_courier.core.engine.facts import Sent
from patient_courier.core.engine.fields import Source
from patient_courier.core.engine.guards import Decision
from patient_courier.core.engine.happening import Happening, course_of
from patient_courier.core.engine.learning import add_tag, issue_certificate, remove_tag, request_certificate
from patient_courier.core.engine.matching import holds_already, matches
from patient_courier.core.engine.state import Hold, Run
from patient_courier.core.engine.trials import letter_of_step
from patient_courier.core.engine.turn import END, ON, REST, Move, Turn, Work
from patient_courier.core.letters.merge import Value
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import Matcher


class Engine(Protocol):
    """What the steps need of the engine: starting and stopping runs, and handling what they set going."""

    def begin(self, turn: Turn, sequence: str, origin: Run) -> Run | None: ...

    def walk_from_start(self, turn: Turn, run: Run) -> Work: ...

    def finish(self, turn: Turn, run: Run, outcome: str) -> None: ...

    def follow(self, turn: Turn, what: Happening) -> Work: ...


def _zone(turn: Turn, whose: str) -> str:
    return turn.definitions.school.timezone if whose == "school" else turn.state.zone


def _rest_until(run: Run, due: Instant | None) -> Move:
    run.due = due
    return REST


def send(engine: Engine, turn: Turn, run: Run, step: s.Send, woken: bool) -> Move:
    key = letter_of_step(run.sequence, step, turn.state.student.key)
    letter, values = _letter(turn, run, key)
    hours = turn.plan(run).sequence.posting_hours
    decision = guards.decide(
        turn.definitions, letter, turn.state, course_of(run.subject), hours, values, turn.now
    )
    if decision.verdict == "hold":
        assert decision.until and decision.reason
        run.holds.append(Hold(turn.now, decision.until, decision.reason))
        turn.effects.append(_decided(turn, run, step.id, letter, values, decision))
        return _rest_until(run, decision.until)
    turn.effects.append(_decided(turn, run, step.id, letter, values, decision))
    if decision.verdict == "send":
        turn.state.facts.sent.append(Sent(key, letter.letter.purpose, turn.now, run.number))
    run.holds = []
    return ON


def _letter(turn: Turn, run: Run, key: str) -> tuple[ReadyLetter, dict[str, Value]]:
    """A letter, and the values of its merge fields for this run."""
    letter = turn.definitions.letters[key]
    source = Source(turn.definitions, turn.state, run.subject, run.event_at)
    return letter, guards.field_values(letter, source, turn.now)


def _decided(
    turn: Turn, run: Run, step: str, letter: ReadyLetter, values: dict[str, Value], decision: Decision
) -> LetterDecided:
    return guards.decided(
        letter,
        turn.state,
        values,
        decision,
        turn.now,
        run.holds,
        run=run.number,
        sequence=run.sequence,
        step=step,
        round=turn.round_of(run, step),
        story=len(run.trail),
    )


def drop_held(turn: Turn, run: Run) -> None:
    """The run leaves a step at which a letter was kept back: that letter will not go out."""
    if not run.holds or run.step is None:
        return
    step = turn.plan(run).places[run.step].step
    assert isinstance(step, s.Send)
    letter, values = _letter(turn, run, letter_of_step(run.sequence, step, turn.state.student.key))
    turn.effects.append(_decided(turn, run, step.id, letter, values, Decision("drop", "moved_on")))
    run.holds = []


def tell(engine: Engine, turn: Turn, run: Run, step: s.Tell, woken: bool) -> Move:
    letter, values = _letter(turn, run, step.letter)
    decision = guards.blank_field(letter, values, turn.state.zone) or Decision("send")
    to = tuple(step.to) if isinstance(step.to, list) else step.to
    decided = _decided(turn, run, step.id, letter, values, decision)
    turn.effects.append(replace(decided, to=to))
    return ON


def wait(engine: Engine, turn: Turn, run: Run, step: s.Wait, woken: bool) -> Move:
    if woken:
        return ON
    # Earlier than now for those who were held by a pause or moved to a newer version.
    arrival = run.arrived or turn.now
    until = calendar.wait_until(
        arrival,
        run.started if step.since == "start" else arrival,
        _zone(turn, step.zone),
        span=step.for_.value if step.for_ else None,
        span_has_time=step.for_ is not None and step.for_.has_time,
        at=step.at,
        days=step.days or (),
    )
    if until <= turn.now:
        return ON
    run.trail.append(("waited", step.id, arrival, until))
    return _rest_until(run, until)


def happened_already(turn: Turn, run: Run, step_id: str, matcher: Matcher) -> bool:
    """Already true counts: a state that holds, or an event since the run began (and since this step was passed)."""
    held = holds_already(matcher, turn.state.facts, run.subject, turn.definitions)
    if held is not None:
        return held
    since = max(run.event_number, run.passed.get(step_id, 0))
    return any(matches(matcher, what, run.subject) for what in turn.state.happened_since(since))


def pass_by(turn: Turn, run: Run, step: str, how: str) -> None:
    """Remember that a run has passed a step that waits for an event: only later events count there again."""
    run.passed[step] = turn.numbers.event
    run.trail.append((how, step, turn.now))


def wait_for(engine: Engine, turn: Turn, run: Run, step: s.WaitFor, woken: bool) -> Move:
    if woken:
        pass_by(turn, run, step.id, "time_passed")
        return Move("into", "else")
    if happened_already(turn, run, step.id, step.event):
        pass_by(turn, run, step.id, "already")
        return Move("into", "then")
    if step.within is None:
        return _rest_until(run, None)
    return _rest_until(run, calendar.add(run.arrived or turn.now, step.within.value, turn.state.zone))


def waypoint(engine: Engine, turn: Turn, run: Run, step: s.Waypoint, woken: bool) -> Move:
    if not step.hold:
        return ON
    if happened_already(turn, run, step.id, step.reach):
        pass_by(turn, run, step.id, "already")
        return ON
    return _rest_until(run, None)


def branch(engine: Engine, turn: Turn, run: Run, step: s.Branch, woken: bool) -> Move:
    for number, arm in enumerate(step.arms):
        if holds(arm.if_, turn.asked(run.subject)):
            run.trail.append(("chose", step.id, number, turn.now))
            return Move("into", f"arms/{number}/steps")
    run.trail.append(("chose", step.id, -1, turn.now))
    return Move("into", "otherwise")


def tag(engine: Engine, turn: Turn, run: Run, step: s.TagStep, woken: bool) -> Move:
    changes = [("added", name) for name in step.add if add_tag(turn.state.facts, name)]
    changes += [("removed", name) for name in step.remove if remove_tag(turn.state.facts, name)]
    for change, name in changes:
        turn.effects.append(TagChanged(turn.now, turn.state.student.key, name, change))
        turn.later(partial(engine.follow, turn, Happening(f"tag_{change}", turn.now, {"tag": name})))
    return ON


def repeat(engine: Engine, turn: Turn, run: Run, step: s.Repeat, woken: bool) -> Move:
    if step.times == 0 or not step.steps:
        return ON
    run.rounds[step.id] = 1
    return Move("into", "steps")


def dated(engine: Engine, turn: Turn, run: Run, step: s.Dated, woken: bool) -> Move:
    if woken:
        return Move("into", "steps")
    zone = _zone(turn, step.zone)
    moment = calendar.resolve(step.at, zone)
    if moment > turn.now:
        run.trail.append(("waited", step.id, turn.now, moment))
        return _rest_until(run, moment)
    latest = calendar.add(moment, step.grace.value, zone) if step.grace else moment
    if turn.now > latest:
        run.trail.append(("too_late", step.id, turn.now))
        return ON
    return Move("into", "steps")


def start_sequence(engine: Engine, turn: Turn, run: Run, step: s.StartSequence, woken: bool) -> Move:
    begun = engine.begin(turn, step.sequence, run)
    if begun is not None:
        turn.later(partial(engine.walk_from_start, turn, begun))
    return ON


def stop_sequence(engine: Engine, turn: Turn, run: Run, step: s.StopSequence, woken: bool) -> Move:
    for other in turn.state.open_runs():
        if other.sequence == step.sequence:
            engine.finish(turn, other, "stopped")
    return ON if run.is_open else REST


def certificate(engine: Engine, turn: Turn, run: Run, step: s.CertificateStep, woken: bool) -> Move:
    course = turn.course_of(run, step.course)
    found = turn.definitions.courses.get(course or "")
    if course is None or found is None or found.certificate is None:
        return ON
    if found.certificate.approval:
        if request_certificate(turn.state.facts, course, turn.now):
            turn.later(
                partial(engine.follow, turn, Happening("certificate_requested", turn.now, {"course": course}))
            )
    elif issue_certificate(turn.state.facts, course, turn.now):
        turn.effects.append(CertificateIssued(turn.now, turn.state.student.key, course))
        turn.later(
            partial(engine.follow, turn, Happening("certificate_issued", turn.now, {"course": course}))
        )
    return ON


def call(engine: Engine, turn: Turn, run: Run, step: s.Call, woken: bool) -> Move:
    turn.effects.append(
        CallMade(turn.now, turn.state.student.key, run.number, step.id, turn.round_of(run, step.id), step.url)
    )
    return ON


def end(engine: Engine, turn: Turn, run: Run, step: s.End, woken: bool) -> Move:
    return END


STEPS: dict[type[s.StepBase], Callable[[Engine, Turn, Run, Any, bool], Move]] = {
    s.Send: send,
    s.Wait: wait,
    s.WaitFor: wait_for,
    s.Branch: branch,
    s.TagStep: tag,
    s.Waypoint: waypoint,
    s.Repeat: repeat,
    s.Dated: dated,
    s.StartSequence: start_sequence,
    s.StopSequence: stop_sequence,
    s.Tell: tell,
    s.CertificateStep: certificate,
    s.Call: call,
    s.End: end,
}
