"""What happens next, for a number of students: one queue in one total order.

The order at one instant is the key of the queue:
``(moment, kind, order, ...)``. Events come first, in the order they came; then
what the clock brings, by student; then due runs, in the order they began.
Rehearsals and the live dispatcher both run on this.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from heapq import heappop, heappush
from itertools import count

from whenever import Instant

from patient_courier.core.clock_events import next_clock_event
from patient_courier.core.effects import Effect
from patient_courier.core.engine import Engine
from patient_courier.core.school.events import EventBase
from patient_courier.core.state import Run, StudentState

EVENT, CLOCK, RUN = range(3)
# Moment, kind, order among its kind; then a number that settles the rest and keeps what follows from being compared.
Entry = tuple[Instant, int, int, int, StudentState, Run | EventBase | None]


class Agenda:
    """The events, clock moments and due runs that lie ahead of some students."""

    def __init__(self, engine: Engine, out: Callable[[Effect], None], now: Instant = Instant.MIN) -> None:
        """``now`` is where time stands: what lies before it is overdue and happens now."""
        self.now = now
        self._engine = engine
        self._out = out
        self._queue: list[Entry] = []
        self._entries = count()

    def add_student(self, state: StudentState) -> None:
        """Put down what is to come for a student: due runs and the next clock event."""
        state.clock_due = None
        for run in state.open.values():
            self._plan_run(state, run)
        self._plan_clock(state)

    def add_event(self, state: StudentState, event: EventBase, arrives: Instant) -> None:
        """Put down an event that arrives at a moment."""
        self._push(arrives, EVENT, 0, state, event)

    def add_events(self, events: Iterable[tuple[StudentState, EventBase]]) -> None:
        """Put down events that arrive at their own time."""
        for state, event in events:
            self.add_event(state, event, event.at)

    def next_moment(self) -> Instant | None:
        """When something happens next, or None."""
        while self._queue and not self._is_current(self._queue[0]):
            self._forget(heappop(self._queue))
        return self._queue[0][0] if self._queue else None

    def run_until(self, until: Instant) -> None:
        """Let everything happen up to the moment, inclusive."""
        while (moment := self.next_moment()) is not None and moment <= until:
            self.step()

    def step(self) -> None:
        """Let the next thing happen. Raises IndexError when there is none."""
        entry = heappop(self._queue)
        self._forget(entry)
        moment, kind, _, _, state, item = entry
        self.now = max(self.now, moment)
        if kind == EVENT:
            assert isinstance(item, EventBase)
            effects = self._engine.take(state, item, self.now)
        elif kind == CLOCK:
            effects = self._engine.tick(state, moment, self.now)
        else:
            assert isinstance(item, Run)
            effects = self._engine.wake(state, item, self.now)
        for effect in effects:
            self._out(effect)
        for run in state.moved:
            self._plan_run(state, run)
        state.moved.clear()
        self._plan_clock(state)

    @staticmethod
    def _is_current(entry: Entry) -> bool:
        """Whether an entry still stands: runs move on and clock moments shift after they were put down."""
        moment, kind, _, _, state, item = entry
        if kind == CLOCK:
            return state.clock_due == moment
        return kind == EVENT or (isinstance(item, Run) and item.is_open and item.due == moment)

    @staticmethod
    def _forget(entry: Entry) -> None:
        moment, kind, _, _, state, item = entry
        if kind == CLOCK and state.clock_due == moment:
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

    def _push(
        self, moment: Instant, kind: int, order: int, state: StudentState, item: Run | EventBase | None
    ) -> None:
        heappush(self._queue, (moment, kind, order, next(self._entries), state, item))
