"""An event or a due moment goes in, effects come out.

The order in which one event is handled is the order of the
lines in :meth:`Engine.handle`. The state that is passed in is the caller's
working copy and is changed in place; nothing else is touched.

Longer than three hundred lines, since its methods call one another in a circle: handling walks runs, and walking handles.
"""

from __future__ import annotations

from collections.abc import Callable, Collection

from whenever import Instant

from patient_courier.core.engine.clock_events import ClockEvent, clock_events, due_clock_events, still_due
from patient_courier.core.engine.conditions import holds
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.derive import answered, derived
from patient_courier.core.engine.effects import CertificateIssued, Effect, NotBegun, Noted, TagChanged, Warned
from patient_courier.core.engine.happening import Happening, Subject, of_event, subject_of
from patient_courier.core.engine.learning import learn, note_first_event, request_certificate
from patient_courier.core.engine.matching import matches
from patient_courier.core.engine.moving import landing, put_down
from patient_courier.core.engine.plan import Plan
from patient_courier.core.engine.state import Run, StudentState
from patient_courier.core.engine.steps import STEPS, drop_held, pass_by
from patient_courier.core.engine.trials import HELD_BACK, holds_back
from patient_courier.core.engine.turn import ON, Move, Numbers, Turn, Work
from patient_courier.core.school.events import Event
from patient_courier.core.school.sequences import Repeat, WaitFor

MOST_STEPS = 100
MOST_RUNS = 100


def work_off(work: Work) -> None:
    """Do a piece of work and what it yields, each to its end before the one it came from goes on.

    Runs set each other going inside one another, deeper than Python's own calls may go.
    """
    open_works = [work]
    while open_works:
        inner = next(open_works[-1], None)
        if inner is None:
            open_works.pop()
        else:
            open_works.append(inner)


class Engine:
    """The rules of docs/engine.md over one school's definitions. Has no state but the numbers it gives out."""

    def __init__(self, definitions: Definitions, numbers: Numbers | None = None) -> None:
        self.definitions = definitions
        self.numbers = numbers or Numbers()

    def take(self, state: StudentState, event: Event, now: Instant) -> list[Effect]:
        """Take in a reported event that arrives now."""
        turn = Turn(self.definitions, state, now, self.numbers)
        note_first_event(state.facts, event.at)
        what = of_event(self.definitions, event)
        if what.type == "lesson_watched":
            before = state.facts.watched.get(what.names["lesson"], -1)
            what = Happening(what.type, what.at, {**what.names, "percent_before": before})
        work_off(self.handle(turn, what, report=event))
        return turn.effects

    def tick(
        self,
        state: StudentState,
        moment: Instant,
        now: Instant,
        known: Collection[ClockEvent] | None = None,
    ) -> list[Effect]:
        """Handle the clock events of this student that fall on the moment; now is later when they come overdue.

        ``known``: only these; those that came to light too late do not come.
        """
        turn = Turn(self.definitions, state, now, self.numbers)
        for number, entry in enumerate(due_clock_events(self.definitions, state, moment)):
            # Only what has happened at this moment can have made one untrue.
            if number and not still_due(self.definitions, state, entry):
                continue
            if known is not None and entry not in known:
                continue
            if entry.what is None:
                self._end_access(state, entry)
            else:
                work_off(self.handle(turn, entry.what))
        state.clock_done = moment
        return turn.effects

    def end_access(self, state: StudentState, until: Instant) -> None:
        """Let every access end whose end has come by the moment; nothing starts by that."""
        for entry in list(clock_events(self.definitions, state)):
            if entry.what is None and entry.at <= until:
                self._end_access(state, entry)

    @staticmethod
    def _end_access(state: StudentState, entry: ClockEvent) -> None:
        state.facts.enrolments[entry.course].expired = entry.at
        state.facts.mark("enrolment", entry.course)

    def wake(self, state: StudentState, run: Run, now: Instant) -> list[Effect]:
        """The moment a run waited for has come."""
        turn = Turn(self.definitions, state, now, self.numbers)
        woken = not run.arriving
        run.due, run.arriving = None, False
        step = turn.plan(run).places[run.step or ""].step
        work_off(self._walk(turn, run, lambda: STEPS[type(step)](self, turn, run, step, woken)))
        return turn.effects

    def start_missed(
        self, state: StudentState, sequence: str, what: Happening, number: int, now: Instant
    ) -> list[Effect]:
        """Begin a run now for an event that came while the sequence did not run; nothing if it may not begin."""
        turn = Turn(self.definitions, state, now, self.numbers)
        run = self._begin(turn, self.definitions.sequences[sequence], subject_of(what), what.at, number)
        if run is not None:
            work_off(self.walk_from_start(turn, run))
        return turn.effects

    def begin_by_hand(
        self, state: StudentState, sequence: str, subject: Subject | None, now: Instant
    ) -> list[Effect]:
        """Begin a run that no event asks for, outside any trial; nothing if it may not begin. ``event.at`` is now."""
        turn = Turn(self.definitions, state, now, self.numbers)
        run = self._begin(turn, self.definitions.sequences[sequence], subject, now, 0, by_hand=True)
        if run is not None:
            work_off(self.walk_from_start(turn, run))
        return turn.effects

    def ask_for_certificate(self, state: StudentState, course: str, now: Instant) -> list[Effect]:
        """A student asks for a certificate themselves: it is requested, and waits for the owner; nothing if it can't be."""
        turn = Turn(self.definitions, state, now, self.numbers)
        if request_certificate(state.facts, course, now):
            asked = Happening("certificate_requested", now, {"course": course})
            work_off(self.follow(turn, asked))
        return turn.effects

    def stop(self, state: StudentState, run: Run, now: Instant) -> list[Effect]:
        """Stop an open run; a letter that is kept back in it is dropped."""
        turn = Turn(self.definitions, state, now, self.numbers)
        self.finish(turn, run, "stopped")
        return turn.effects

    def move(self, state: StudentState, run: Run, now: Instant) -> list[Effect]:
        """Move an open run to the version in force; where it lands, see core/engine/moving.py."""
        turn = Turn(self.definitions, state, now, self.numbers)
        new = self.definitions.sequences[run.sequence]
        found = landing(turn.plan(run), new, run.step)
        if found.kind != "stays":
            drop_held(turn, run)
        put_down(run, new, found, now)
        if found.kind == "ends":
            self.finish(turn, run, "finished")
        return turn.effects

    def handle(
        self, turn: Turn, what: Happening, *, known: bool = False, report: Event | None = None
    ) -> Work:
        """One event: facts, derived events, early leaves, waypoints, wait-fors, starts.

        ``known``: the facts hold it already, because a step has brought it about.
        ``report``: the event as it came from outside.
        """
        if not known and not learn(turn.state.facts, what, self.definitions):
            return
        number = self.numbers.next_event()
        turn.state.log.append((number, what))
        cause = turn.frames[-1] if turn.frames else None
        turn.effects.append(
            Noted(
                number,
                turn.state.student.key,
                what,
                cause,
                reported=report is not None,
                id=report.id if report else None,
            )
        )
        if not known:
            self._report(turn, what)
        turn.frames.append(number)
        answer = answered(self.definitions, turn.state, what)
        for follower in derived(self.definitions, turn.state.facts, what, answer):
            yield self.handle(turn, follower)
        leaving = answer.run if answer and answer.choice and answer.choice.leaves else None
        if turn.state.open and (leaving is not None or what.type in self.definitions.leaving):
            self._leave_early(turn, what, number, leaving)
        if turn.state.open and what.type in self.definitions.reaching:
            yield self._reach_waypoints(turn, what, number)
        if turn.state.open and what.type in self.definitions.awaited:
            yield self._pass_wait_fors(turn, what, number)
        if what.type in self.definitions.starting:
            yield self._start(turn, what, number)
        turn.frames.pop()

    def follow(self, turn: Turn, what: Happening) -> Work:
        """Handle an event that a step has brought about, when its run has come to rest."""
        return self.handle(turn, what, known=True)

    @staticmethod
    def _report(turn: Turn, what: Happening) -> None:
        if what.type in ("tag_added", "tag_removed"):
            change = what.type.removeprefix("tag_")
            turn.effects.append(TagChanged(turn.now, turn.state.student.key, what.names["tag"], change))
        elif what.type == "certificate_issued":
            turn.effects.append(CertificateIssued(turn.now, turn.state.student.key, what.names["course"]))

    def _touched(self, turn: Turn, number: int) -> list[Run]:
        """The open runs an event acts on, in the order they began: not those it has set going itself."""
        return [run for run in turn.state.open_runs() if number not in turn.born_in.get(run.number, ())]

    def _leave_early(self, turn: Turn, what: Happening, number: int, leaving: int | None) -> None:
        """Runs that leave on this event; ``leaving`` is one that an answer leaves."""
        for run in self._touched(turn, number):
            if not run.is_open:
                continue
            if run.number == leaving or any(
                matches(m, what, run.subject) for m in turn.plan(run).sequence.leaves
            ):
                run.trail.append(("left", number, turn.now))
                self.finish(turn, run, "left")

    def _reach_waypoints(self, turn: Turn, what: Happening, number: int) -> Work:
        for run in self._touched(turn, number):
            if not run.is_open:
                continue
            plan = turn.plan(run)
            here = plan.places[run.step].top if run.step else -1
            reached = [w for top, w in plan.waypoints if top >= here and matches(w.reach, what, run.subject)]
            if reached:
                drop_held(turn, run)
                pass_by(turn, run, reached[-1].id, "reached")
                run.step, run.due, run.rounds, run.arriving = reached[-1].id, None, {}, False
                yield self._walk(turn, run, lambda: ON)

    def _pass_wait_fors(self, turn: Turn, what: Happening, number: int) -> Work:
        for run in self._touched(turn, number):
            if not run.is_open or run.step is None or not run.walked or run.arriving:
                continue
            step = turn.plan(run).places[run.step].step
            if isinstance(step, WaitFor) and matches(step.event, what, run.subject):
                if run.passed.get(step.id, 0) >= number:  # it came here again after this very event
                    continue
                pass_by(turn, run, step.id, "happened")
                yield self._walk(turn, run, lambda: Move("into", "then"))

    def _start(self, turn: Turn, what: Happening, number: int) -> Work:
        matching = [
            plan
            for plan, matcher in self.definitions.starting.get(what.type, ())
            if matches(matcher, what, None)
        ]
        for plan in sorted(set(matching), key=lambda plan: plan.order):
            run = self._begin(turn, plan, subject_of(what), what.at, number)
            if run is not None:
                yield self.walk_from_start(turn, run)

    def begin(self, turn: Turn, sequence: str, origin: Run) -> Run | None:
        """Begin a run that another run's step asks for; it keeps subject and starting event. None if there is nothing to walk."""
        plan = self.definitions.sequences[sequence]
        return self._begin(turn, plan, origin.subject, origin.event_at, origin.cause)

    def _begin(
        self,
        turn: Turn,
        plan: Plan,
        subject: Subject | None,
        event_at: Instant,
        cause: int,
        *,
        by_hand: bool = False,
    ) -> Run | None:
        """A run that has begun and is to walk; None when it was refused, is stuck at once, or held back by a trial."""
        trial = None if by_hand else self.definitions.trial_of(plan)
        refused_by = self._refused_by(turn, plan, subject)
        if refused_by is not None:
            turn.effects.append(NotBegun(turn.now, turn.state.student.key, plan.key, cause, refused_by))
            return None
        run = Run(
            number=self.numbers.next_run(),
            sequence=plan.key,
            version=plan.version,
            subject=subject,
            started=turn.now,
            event_at=event_at,
            event_number=self.numbers.event,
            cause=cause,
            trial=trial.key if trial else None,
        )
        turn.state.add_run(run)
        turn.born_in[run.number] = frozenset(turn.frames)
        begun = turn.state.begun_at
        count = begun[1] + 1 if begun and begun[0] == turn.now else 1
        turn.state.begun_at = (turn.now, count)
        if count > MOST_RUNS:
            run.step = plan.first
            self._go_in_circles(turn, run)
            return None
        if trial is not None and holds_back(trial, turn.state.student.key):
            self.finish(turn, run, HELD_BACK)
            return None
        return run

    @staticmethod
    def _refused_by(turn: Turn, plan: Plan, subject: Subject | None) -> str | None:
        """The part of the sequence that keeps a new run from beginning; None when nothing does."""
        sequence = plan.sequence
        if sequence.status != "running":
            return "status"
        if not may_begin(turn.state, plan, subject):
            return "again"
        if sequence.only_if is not None and not holds(sequence.only_if, turn.asked(subject)):
            return "only_if"
        return None

    def walk_from_start(self, turn: Turn, run: Run) -> Work:
        """Let a run that has begun take its first steps, unless an event has moved it meanwhile."""
        if run.is_open and not run.walked:
            yield self._walk(turn, run, lambda: Move("start"))

    def finish(self, turn: Turn, run: Run, outcome: str) -> None:
        """End a run: finished, left, stopped, stuck or held back. ``step`` stays where it stood unless it is finished.

        A run that ends before it took a step stands at its first; one that is held back has none.
        """
        drop_held(turn, run)
        run.outcome, run.ended, run.due, run.dirty = outcome, turn.now, None, True
        turn.state.open.pop(run.number, None)
        if outcome == "finished":
            run.step = None
        elif run.step is None and outcome != HELD_BACK:
            run.step = turn.plan(run).first

    def _go_in_circles(self, turn: Turn, run: Run) -> None:
        place = f"{turn.state.student.key} in {run.sequence} at {run.step}"
        turn.effects.append(Warned(turn.now, f"going_in_circles: {place}"))
        run.trail.append(("going_in_circles", turn.now))
        self.finish(turn, run, "stuck")

    def _walk(self, turn: Turn, run: Run, first: Callable[[], Move]) -> Work:
        """Take steps until the run must wait, then do what it has set going meanwhile.

        In a paused sequence an event still moves the run, but it stops before the next step.
        """
        run.walked = run.dirty = True
        turn.state.moved.append(run)
        paused = self.definitions.sequences[run.sequence].sequence.status == "paused"
        turn.waiting_work.append([])
        move = first()
        while move.kind != "rest" and run.is_open:
            target = None if move.kind == "end" else self._target(turn.plan(run), run, move)
            run.due = None
            if target is None:
                self.finish(turn, run, "finished")
                break
            run.step, run.arrived = target, turn.now
            if paused:
                run.due, run.arriving = turn.now, True
                break
            if not self._counts(turn, run):
                self._go_in_circles(turn, run)
                break
            step = turn.plan(run).places[target].step
            move = STEPS[type(step)](self, turn, run, step, False)
        for work in turn.waiting_work.pop():
            yield work()

    @staticmethod
    def _counts(turn: Turn, run: Run) -> bool:
        """Count one more step in this instant; False when it is one too many."""
        count = run.steps_at[1] + 1 if run.steps_at and run.steps_at[0] == turn.now else 1
        run.steps_at = (turn.now, count)
        return count <= MOST_STEPS

    @staticmethod
    def _target(plan: Plan, run: Run, move: Move) -> str | None:
        """The step a move leads to; None behind the last one."""
        if move.kind == "start":
            return plan.first
        assert run.step is not None
        place = plan.places[run.step]
        if move.kind == "into":
            first = place.first[move.lane]
            if first is not None:
                return first
        while place.after is None:
            if place.parent is None:
                return None
            place = plan.places[place.parent]
            step = place.step
            if isinstance(step, Repeat):
                done = run.rounds[step.id]
                if step.times is None or done < step.times:
                    run.rounds[step.id] = done + 1
                    return place.first["steps"]
                del run.rounds[step.id]
        return place.after


def may_begin(state: StudentState, plan: Plan, subject: Subject | None) -> bool:
    """Whether the sequence's ``again`` lets one more run begin."""
    runs = state.runs_of(plan.key)
    match plan.sequence.again:
        case "once":
            return not runs
        case "once_per_subject":
            about = (subject.kind, subject.key) if subject else None
            return all(
                ((run.subject.kind, run.subject.key) if run.subject else None) != about for run in runs
            )
        case "when_finished":
            return not any(run.sequence == plan.key for run in state.open.values())
        case "every_time":
            return True
