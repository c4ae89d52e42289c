"""One moment in one student's life: what the step functions and the engine share while they work.

A turn holds the student's state, the moment and the effects so far. It exists
only while one event or one due moment is handled.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import TypeAlias

from whenever import Instant

from patient_courier.core.engine.conditions import Asked
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect
from patient_courier.core.engine.happening import Subject, course_of
from patient_courier.core.engine.plan import Plan
from patient_courier.core.engine.state import Run, StudentState
from patient_courier.core.school.values import THIS

# Something to do that may have more to do within: it yields that, and goes on when it is done.
Work: TypeAlias = "Iterator[Work]"


@dataclass(slots=True)
class Numbers:
    """The last numbers given to an event and to a run; they count through the whole school."""

    event: int = 0
    run: int = 0

    def next_event(self) -> int:
        self.event += 1
        return self.event

    def next_run(self) -> int:
        self.run += 1
        return self.run


@dataclass(frozen=True, slots=True)
class Move:
    """Where a run goes after a step: ``on``, ``into`` a lane, ``rest`` where it is, or ``end``."""

    kind: str
    lane: str = ""


ON = Move("on")
REST = Move("rest")
END = Move("end")


@dataclass(slots=True)
class Turn:
    """The student, the moment, and what has come of it so far.

    ``frames`` are the numbers of the events being handled, outermost first;
    ``born_in`` remembers for each run begun in this turn the events that were
    in hand then: those do not act on it.
    """

    definitions: Definitions
    state: StudentState
    now: Instant
    numbers: Numbers
    effects: list[Effect] = field(default_factory=list)
    frames: list[int] = field(default_factory=list)
    born_in: dict[int, frozenset[int]] = field(default_factory=dict)
    # What a walking run has set going, to be done when it has come to rest; one list for each run that walks.
    waiting_work: list[list[Callable[[], Work]]] = field(default_factory=list)

    def plan(self, run: Run) -> Plan:
        return self.definitions.plans[(run.sequence, run.version)]

    def asked(self, subject: Subject | None) -> Asked:
        return Asked(self.definitions, self.state, self.now, subject)

    def later(self, work: Callable[[], Work]) -> None:
        """Do this when the run that is walking has come to rest."""
        self.waiting_work[-1].append(work)

    def round_of(self, run: Run, step: str) -> str:
        """The round of each repeat around the step, outermost first: ``2`` or ``1.3``; ``1`` outside repeats."""
        repeats = self.plan(run).repeats_around(step)
        return ".".join(str(run.rounds.get(repeat, 1)) for repeat in repeats) or "1"

    @staticmethod
    def course_of(run: Run, course: str) -> str | None:
        if course != THIS:
            return course
        return course_of(run.subject)
