"""One student as the engine holds them in hand: facts, runs, and what happened lately."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

from whenever import Instant

from patient_courier.core.engine.facts import Facts
from patient_courier.core.engine.happening import Happening, Subject
from patient_courier.core.school.courses import School
from patient_courier.core.school.file import Student


@dataclass(frozen=True, slots=True)
class Hold:
    """A time during which a letter was kept back, and why."""

    start: Instant
    until: Instant
    reason: str


@dataclass(slots=True)
class Run:
    """One student's way through one sequence.

    ``number`` is the order in which runs began, in the whole school. The run
    stands at ``step``; None is before the first. ``trail`` keeps, in a few
    small words, what it went through: its story is worded from that.
    """

    number: int
    sequence: str
    version: int
    subject: Subject | None
    started: Instant
    event_at: Instant
    event_number: int  # the last event before the run began: what came since has a higher number
    cause: int = 0  # the number of the event that began it
    trial: str | None = None  # the key of the trial it began with; None by hand
    outcome: str | None = None  # finished, left, stopped, stuck or held_back; None while open
    ended: Instant | None = None
    step: str | None = None
    due: Instant | None = None
    arrived: Instant | None = None  # when it came to the step it stands at
    walked: bool = False
    arriving: bool = False  # it stands before its step, not yet taken, because the sequence is paused
    holds: list[Hold] = field(default_factory=list)
    rounds: dict[str, int] = field(default_factory=dict)
    passed: dict[str, int] = field(default_factory=dict)
    steps_at: tuple[Instant, int] | None = None  # the instant it last took a step, and how many there
    trail: list[tuple[Any, ...]] = field(default_factory=list)
    dirty: bool = True  # changed since it was last stored
    planned: Instant | None = None  # the due moment that stands on the agenda

    @property
    def is_open(self) -> bool:
        return self.outcome is None


@dataclass(slots=True)
class StudentState:
    """Facts, runs and log of one student. ``order`` is the student's place in the school.

    ``runs`` are all of them in the order they began, ``open`` and ``by_sequence`` the same ones to be found
    quickly; ``moved`` are those whose due moment may have changed since the agenda last looked.
    """

    student: Student
    zone: str
    order: int = 0
    facts: Facts = field(default_factory=Facts)
    runs: list[Run] = field(default_factory=list)
    open: dict[int, Run] = field(default_factory=dict)
    by_sequence: dict[str, list[Run]] = field(default_factory=dict)
    moved: list[Run] = field(default_factory=list)
    log: list[tuple[int, Happening]] = field(default_factory=list)
    clock_done: Instant = Instant.MIN
    clock_due: Instant | None = None
    begun_at: tuple[Instant, int] | None = None  # the instant runs last began, and how many there

    def add_run(self, run: Run) -> None:
        """Take in a run, one that begins or one that is loaded, in the order they began."""
        self.runs.append(run)
        self.by_sequence.setdefault(run.sequence, []).append(run)
        if run.is_open:
            self.open[run.number] = run

    def open_runs(self) -> list[Run]:
        return list(self.open.values())

    def runs_of(self, sequence: str) -> list[Run]:
        return self.by_sequence.get(sequence, [])

    def forget_runs(self) -> None:
        """Let everything begin afresh, with the facts as they are."""
        self.runs, self.open, self.by_sequence, self.moved, self.log = [], {}, {}, [], []

    def happened_since(self, number: int) -> Iterator[Happening]:
        """What happened after the event with that number, the latest first."""
        for found, what in reversed(self.log):
            if found <= number:
                return
            yield what


def new_state(student: Student, school: School, order: int) -> StudentState:
    """A student to whom nothing has happened yet."""
    facts = Facts(news=student.news, tags=dict.fromkeys(student.tags))
    return StudentState(student, school.zone_of(student.timezone), order, facts)
