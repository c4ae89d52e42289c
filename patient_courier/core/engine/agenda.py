"""What happens next, for a number of students: one queue in one total order.

The order at one instant is the key of the queue:
``(moment, kind, order, ...)``. Events come first, in the order they came; then
what the clock brings, by student; then due runs, in the order they began;
broadcasts last.
Rehearsals and the live dispatcher both run on this.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass
from heapq import heappop, heappush
from itertools import count

from whenever import Instant

from patient_courier.core.engine.broadcasting import Coming, Posting, ask, draw_up, is_inside, start_of
from patient_courier.core.engine.clock_events import ClockEvent, clock_events, next_clock_event
from patient_courier.core.engine.effects import BroadcastStarted, Effect, Warned
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.state import Run, StudentState
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.events import Event, EventBase

EVENT, CLOCK, RUN, BROADCAST = range(4)
# Broadcasts of one instant go one after the other, each with its list first, then its letters in the order of the list.
_WITHIN_A_BROADCAST = 10**9
# Moment, kind, order among its kind; then a number that settles the rest and keeps what follows from being compared.
Item = Run | Event | Broadcast | Posting | None
Entry = tuple[Instant, int, int, int, StudentState | None, Item]


@dataclass(frozen=True, slots=True)
class Limits:
    """How much may be played: how often one run may be woken, and how many wakings there may be in all."""

    of_a_run: int
    in_all: int | None = None


class Agenda:
    """The events, clock moments and due runs that lie ahead of some students."""

    def __init__(
        self,
        engine: Engine,
        out: Callable[[Effect], None],
        now: Instant = Instant.MIN,
        limits: Limits | None = None,
    ) -> None:
        """``now`` is where time stands: what lies before it is overdue and happens now.

        A run that ``limits`` forbids to go on stays where it is, with a warning; when all is used
        up the agenda stops and ``cut_short`` is set.
        """
        self.now = now
        self._engine = engine
        self._out = out
        self._queue: list[Entry] = []
        self._entries = count()
        self._limits = limits
        self._wakings: Counter[int] = Counter()
        self._woken = 0
        self._everyone: list[StudentState] = []
        self._broadcast_order: dict[str, int] = {}
        # Letters of broadcasts that wait for their student to come out of a sequence, by student.
        self._kept_back: dict[str, list[Posting]] = {}
        self.postings: list[Posting] = []
        self.cut_short = False

    def add_student(self, state: StudentState) -> None:
        """Put down what is to come for a student: due runs and the next clock event."""
        state.clock_due = None
        for run in state.open.values():
            self._plan_run(state, run)
        self._plan_clock(state)

    def add_events(self, events: Iterable[tuple[StudentState, Event]]) -> None:
        """Put down events that arrive at their own time."""
        for state, event in events:
            self._push(event.at, EVENT, 0, state, event)

    def add_broadcasts(
        self,
        broadcasts: Iterable[Broadcast],
        everyone: Iterable[StudentState],
        order: Mapping[str, int] | None = None,
    ) -> None:
        """Put down the scheduled broadcasts, for all students of the school in theirs; ``order`` as they come without."""
        self._everyone = list(everyone)
        for place, broadcast in enumerate(broadcasts):
            self._broadcast_order[broadcast.key] = order[broadcast.key] if order else place
            if broadcast.status == "scheduled":
                start = start_of(broadcast, self._engine.definitions.school.timezone)
                first = self._broadcast_order[broadcast.key] * _WITHIN_A_BROADCAST
                self._push(start, BROADCAST, first, None, broadcast)

    def add_coming(self, coming: Coming, everyone: Iterable[StudentState]) -> None:
        """Put down what broadcasts still have to come."""
        self.add_broadcasts(coming.scheduled, everyone, coming.order)
        self.add_postings(coming.postings, coming.order)

    def add_postings(self, postings: Iterable[Posting], order: Mapping[str, int]) -> None:
        """Put down letters of broadcasts that are under way; ``order`` is the place of each broadcast."""
        self._broadcast_order.update(order)
        for posting in postings:
            if posting.inside_since is not None:
                self._kept_back.setdefault(posting.state.student.key, []).append(posting)
            self._plan_posting(posting)

    def take_message(
        self, message: Collection[tuple[StudentState, Event]], people: Collection[StudentState]
    ) -> None:
        """Take in events that arrive now, together, and let everything happen up to now.

        ``people`` are the students whom the message concerns, not on the agenda yet.

        What was due before comes before. Then all the events become facts, in their order, and only then
        the clock is asked: a moment that they make untrue does not come, nor does one before now that was
        not known until they came, but for the end of access.
        """
        before = self.now.subtract(nanoseconds=1)
        for state in people:
            for run in state.open.values():
                self._plan_run(state, run)
        self.run_until(before)
        known: dict[int, list[ClockEvent]] = {}
        for state in people:
            self._engine.end_access(state, before)
            known[id(state)] = [x for x in clock_events(self._engine.definitions, state) if x.at <= before]
        for state, event in message:
            self._settle(state, self._engine.take(state, event, self.now))
        for state in people:
            for moment in sorted({x.at for x in known[id(state)] if x.at > state.clock_done}):
                self._settle(state, self._engine.tick(state, moment, self.now, known[id(state)]))
            self._engine.end_access(state, before)
            state.clock_done = max(state.clock_done, before)
            self._plan_clock(state)
        self.run_until(self.now)

    def next_moment(self) -> Instant | None:
        """When something happens next, or None."""
        while self._queue and not self._is_current(self._queue[0]):
            self._forget(heappop(self._queue))
        return self._queue[0][0] if self._queue else None

    def run_until(self, until: Instant, most: int | None = None, before: int | None = None) -> bool:
        """Let everything happen up to the moment, inclusive; False when ``most`` steps were not enough for it.

        ``before``: at the moment itself only what comes before the broadcast in this place.
        """
        steps = 0
        while (moment := self.next_moment()) is not None and moment <= until and not self.cut_short:
            if before is not None and self._queue[0][:3] >= (until, BROADCAST, before * _WITHIN_A_BROADCAST):
                return True
            if steps == most:
                return False
            self.step()
            steps += 1
        return True

    def step(self) -> None:
        """Let the next thing happen. Raises IndexError when there is none."""
        entry = heappop(self._queue)
        self._forget(entry)
        moment, kind, _, _, state, item = entry
        self.now = max(self.now, moment)
        if isinstance(item, Broadcast):
            self._draw_up(item)
            return
        if isinstance(item, Posting):
            self._ask(item)
            return
        assert state is not None
        if kind == EVENT:
            assert isinstance(item, EventBase)
            effects = self._engine.take(state, item, self.now)
        elif kind == CLOCK:
            effects = self._engine.tick(state, moment, self.now)
        else:
            assert isinstance(item, Run)
            if not self._may_wake(state, item):
                return
            effects = self._engine.wake(state, item, self.now)
        self._settle(state, effects)
        self._let_out(state)
        if kind != RUN:  # waking a run changes nothing that the clock goes by
            self._plan_clock(state)

    def _draw_up(self, broadcast: Broadcast) -> None:
        found = draw_up(self._engine.definitions, broadcast, self._everyone, self.now)
        self.postings += found
        self._out(BroadcastStarted(self.now, broadcast.key, len(found)))
        for posting in found:
            self._plan_posting(posting)

    def _ask(self, posting: Posting) -> None:
        letter = ask(self._engine.definitions, posting, self.now)
        kept = self._kept_back.setdefault(posting.state.student.key, [])
        if posting in kept:
            kept.remove(posting)
        self._out(letter)
        if posting.inside_since is not None:
            kept.append(posting)
        self._plan_posting(posting)

    def _plan_posting(self, posting: Posting) -> None:
        if posting.due is not None:
            order = self._broadcast_order[posting.broadcast.key] * _WITHIN_A_BROADCAST + posting.number + 1
            self._push(posting.due, BROADCAST, order, posting.state, posting)

    def _let_out(self, state: StudentState) -> None:
        """Letters that waited for the student to come out are asked again now, when broadcasts have their turn."""
        kept = self._kept_back.get(state.student.key)
        if kept and not is_inside(self._engine.definitions, state):
            for posting in kept:
                posting.due, posting.dirty = self.now, True
                self._plan_posting(posting)

    def _settle(self, state: StudentState, effects: list[Effect]) -> None:
        """Hand on what came of a step, and put down when the runs that it moved go on."""
        for effect in effects:
            self._out(effect)
        for run in state.moved:
            self._plan_run(state, run)
        state.moved.clear()

    def _may_wake(self, state: StudentState, run: Run) -> bool:
        if self._limits is None:
            return True
        self._wakings[run.number] += 1
        self._woken += 1
        if self._limits.in_all is not None and self._woken > self._limits.in_all:
            self.cut_short = True
            self._out(Warned(self.now, "cut_short: more happens here than can be played"))
            return False
        if self._wakings[run.number] > self._limits.of_a_run:
            place = f"{state.student.key} in {run.sequence} at {run.step}"
            self._out(Warned(self.now, f"too_often: {place}"))
            return False
        return True

    @staticmethod
    def _is_current(entry: Entry) -> bool:
        """Whether an entry still stands: runs move on and clock moments shift after they were put down."""
        moment, kind, _, _, state, item = entry
        if kind == CLOCK:
            return state is not None and state.clock_due == moment
        if isinstance(item, Posting):
            return not item.done and item.due == moment
        if isinstance(item, Broadcast):
            return True
        return kind == EVENT or (isinstance(item, Run) and item.is_open and item.due == moment)

    @staticmethod
    def _forget(entry: Entry) -> None:
        moment, kind, _, _, state, item = entry
        if kind == CLOCK and state is not None and state.clock_due == moment:
            state.clock_due = None
        elif isinstance(item, Run) and item.planned == moment:
            item.planned = None

    def _plan_run(self, state: StudentState, run: Run) -> None:
        if run.is_open and run.due is not None and run.due != run.planned and not self._is_paused(run):
            run.planned = run.due
            self._push(run.due, RUN, run.number, state, run)

    def _is_paused(self, run: Run) -> bool:
        """Runs of a paused sequence stay where they are until it runs again."""
        return self._engine.definitions.sequences[run.sequence].sequence.status == "paused"

    def _plan_clock(self, state: StudentState) -> None:
        due = next_clock_event(self._engine.definitions, state)
        if due is not None and due != state.clock_due:
            self._push(due, CLOCK, state.order, state, None)
        state.clock_due = due

    def _push(self, moment: Instant, kind: int, order: int, state: StudentState | None, item: Item) -> None:
        heappush(self._queue, (moment, kind, order, next(self._entries), state, item))
