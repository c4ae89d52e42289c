"""What the owner does to students by hand, one or many: tags, enrolments, sequences; and how it is taken back."""

from __future__ import annotations

from collections.abc import Callable, Collection
from dataclasses import dataclass, field
from typing import Any, Literal

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.happening import Subject
from patient_courier.core.engine.state import StudentState
from patient_courier.core.school.events import Enrolled, Event, TagEvent
from patient_courier.core.writing.editing import origin_course
from patient_courier.dispatch import broadcasts, outset, sequences
from patient_courier.dispatch.carrying_out import carry_out
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.taking import take_events
from patient_courier.store.base.database import Database
from patient_courier.store.engine.loading import load_states, numbers
from patient_courier.store.students import people
from patient_courier.store.students.consents import Source

CHUNK = 250
What = Literal["tag", "untag", "enrol", "start", "stop", "take_in", "move"]


@dataclass(frozen=True, slots=True)
class Act:
    """One thing to do to some students.

    A tag to put on or take off, a course to enrol in, a sequence to start or stop, to be taken into by what has happened already, or to be moved on to the newest version of.
    """

    what: What
    name: str


@dataclass(slots=True)
class Did:
    """What it has changed: row ids of the students, and the runs it ended, so that it can be taken back."""

    students: list[int] = field(default_factory=list)
    ended: list[tuple[int, dict[str, Any]]] = field(default_factory=list)


def sets_going(definitions: Definitions, act: Act) -> bool:
    """Whether letters may follow at once: then there is a minute before it is done, and not after."""
    match act.what:
        case "tag" | "untag":
            on = "tag_added" if act.what == "tag" else "tag_removed"
            matchers = [
                matcher
                for plan in definitions.plans.values()
                if plan.sequence.status == "running"
                for matcher in plan.matchers
            ]
            return any(m.on == on and m.selectors().get("tag") in (None, act.name) for m in matchers)
        case "enrol" | "start" | "take_in" | "move":
            return True
        case "stop":
            return False


def do(
    session: Session, definitions: Definitions, act: Act, ids: Collection[int], now: Instant, by: str
) -> Did:
    """Do it to these students (row ids), whom it changes; those whom it would not change are left alone."""
    if act.what == "take_in":
        return Did(students=outset.take_in(session, definitions, act.name, ids, now))
    if act.what == "move":
        return Did(students=sequences.move(session, definitions, act.name, ids, now))
    states = load_states(session, ids, definitions)
    if act.what in ("start", "stop"):
        return _sequence(session, definitions, act, states, now)
    touched = {id: state for id, state in states.items() if _changes(act, state)}
    events = [_event(act, state.student.key, now) for state in touched.values()]
    take_events(session, definitions, events, now, Source("by hand", by))
    return Did(students=list(touched))


def _changes(act: Act, state: StudentState) -> bool:
    match act.what:
        case "tag":
            return act.name not in state.facts.tags
        case "untag":
            return act.name in state.facts.tags
        case "enrol":
            return state.facts.may_enrol(act.name, "manual")
        case "start" | "stop" | "take_in" | "move":
            raise AssertionError("these are about runs, not about facts")


def _event(act: Act, student: str, now: Instant) -> Event:
    body = {"student": student, "at": now}
    match act.what:
        case "tag" | "untag":
            type = "tag_added" if act.what == "tag" else "tag_removed"
            return TagEvent.model_validate({**body, "type": type, "tag": act.name})
        case "enrol":
            return Enrolled.model_validate({**body, "type": "enrolled", "course": act.name, "via": "manual"})
        case "start" | "stop" | "take_in" | "move":
            raise AssertionError("no event says this")


def _sequence(
    session: Session, definitions: Definitions, act: Act, states: dict[int, StudentState], now: Instant
) -> Did:
    engine, effects, did = Engine(definitions, numbers(session)), list[Effect](), Did()
    for id, state in states.items():
        if act.what == "start":
            before = len(state.runs)
            effects += engine.begin_by_hand(state, act.name, _about(definitions, act.name, state), now)
            if len(state.runs) > before:
                did.students.append(id)
        else:
            found = [run for run in state.open_runs() if run.sequence == act.name]
            for run in found:
                did.ended.append((run.number, {"step": run.step, "due": run.due}))
                effects += engine.stop(state, run, now)
            if found:
                did.students.append(id)
    broadcasts.let_out(session, definitions, states, now)
    carry_out(session, definitions, states, effects)
    return did


def _about(definitions: Definitions, sequence: str, state: StudentState) -> Subject | None:
    """What a run begun by hand is about: the course that the sequence's starts name, or the student's only one."""
    named = {
        course
        for matcher in definitions.sequences[sequence].sequence.starts
        if (course := origin_course(definitions, matcher))
    }
    courses = list(named) if len(named) == 1 else list(state.facts.enrolments)
    if len(courses) != 1:
        return None
    return Subject("course", courses[0], (("course", courses[0]),))


def in_chunks(ids: list[int], work: Callable[[list[int]], Did], step: Callable[[int], None]) -> Did:
    """The work on many students, some in each transaction; ``step`` hears of each part that is done."""
    whole = Did()
    for begin in range(0, len(ids), CHUNK):
        part = work(ids[begin : begin + CHUNK])
        whole.students += part.students
        whole.ended += part.ended
        step(len(ids[begin : begin + CHUNK]))
    return whole


def take_back(database: Database, load: Callable[[Session], Definitions], act: Act, did: Did, by: str) -> int:
    """Put back what was done, some in each transaction; returns for how many students. Letters that went out stay."""
    opposite: dict[What, What] = {"tag": "untag", "untag": "tag"}
    if act.what in opposite:
        for begin in range(0, len(did.students), CHUNK):
            with database.writing() as session:
                part, back = did.students[begin : begin + CHUNK], Act(opposite[act.what], act.name)
                do(session, load(session), back, part, read_clock(session).now, by)
    if act.what == "stop":
        with database.writing() as session:
            people.reopen_runs(session, did.ended)
    return len(did.students)
