"""A second simulation of three kinds of sequence, written with simpy and the standard library's zoneinfo.

It shares nothing with the engine but the definitions in plain words below, and is compared with it letter by letter
on generated histories. simpy: a process-based discrete-event simulation framework (simpy.readthedocs.io).
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
import simpy

from tests.schools import event, letter, play, send, sequence, wait

ZONES = [
    "Europe/Lisbon",
    "America/New_York",
    "Pacific/Auckland",
    "Asia/Kolkata",
    "America/Sao_Paulo",
    "Australia/Lord_Howe",
]
BEGIN = datetime(2026, 3, 1, tzinfo=UTC)
HOURS = {"from": "09:00", "to": "19:00", "zone": "student"}
STARTED = {"on": "lesson_started", "course": "bees"}
REFUNDED = [{"on": "refunded", "offer": "bees-once"}]

WELCOME = sequence(
    "welcome",
    [
        send("access"),
        wait("w1", "P1D", at="10:00"),
        send("year"),
        wait("w2", "P2D", at="10:00"),
        send("stand"),
        wait("w3", "P2D", at="10:00"),
        send("week"),
    ],
    again="once_per_subject",
    leaves=REFUNDED,
)
NUDGE = sequence(
    "nudge",
    [wait("three", "P3D", at="10:00"), send("begin"), {"id": "begun", "do": "waypoint", "reach": STARTED}],
    again="once_per_subject",
    leaves=REFUNDED,
)
CHECK_IN = sequence(
    "check-in",
    [
        wait("pause", "PT30M"),
        send("done"),
        {
            "id": "next",
            "do": "wait_for",
            "event": STARTED,
            "within": "P2D",
            "then": [],
            "else": [wait("morning", at="10:00"), send("asking")],
        },
    ],
    {"on": "module_completed", "course": "bees"},
    again="once_per_subject",
    leaves=REFUNDED,
)


class Student:
    """One student's life in simpy: what they do happens as simpy events that the sequences wait for."""

    def __init__(self, env: simpy.Environment, zone: str, moves: list[tuple[datetime, str, str]]) -> None:
        self.env, self.zone, self.moves = env, ZoneInfo(zone), moves
        self.posted: list[tuple[str, str]] = []
        self.refund = env.event()
        self.started = env.event()
        self.lessons: set[str] = set()
        env.process(self.live())

    def now(self) -> datetime:
        return BEGIN + timedelta(seconds=self.env.now)

    def until(self, moment: datetime) -> simpy.Event:
        return self.env.timeout((moment - BEGIN).total_seconds() - self.env.now)

    def live(self) -> Iterator[simpy.Event]:
        enrolled = False
        for at, kind, what in self.moves:
            yield self.until(at)
            if kind == "purchased" and not enrolled:
                enrolled = True
                self.env.process(self.welcome())
                self.env.process(self.nudge())
            elif kind == "refunded" and not self.refund.triggered:
                self.refund.succeed()
            elif kind == "lesson_started":
                before, self.started = self.started, self.env.event()
                before.succeed()
            elif kind == "lesson_completed" and what not in self.lessons:
                self.lessons.add(what)
                if enrolled and what in ("l1", "l2") and {"l1", "l2"} <= self.lessons:
                    self.env.process(self.check_in())

    def local_at(self, days: int, clock: time) -> datetime:
        """That many days on, at a wall time in the student's zone; a day later when that has passed already."""
        wall = self.now().astimezone(self.zone)
        day = wall.date() + timedelta(days=days)
        moment = datetime.combine(day, clock, self.zone).astimezone(UTC)
        return (
            moment
            if moment >= self.now()
            else datetime.combine(day + timedelta(days=1), clock, self.zone).astimezone(UTC)
        )

    def days_on(self, days: int) -> datetime:
        wall = self.now().astimezone(self.zone)
        naive = wall.replace(tzinfo=None) + timedelta(days=days)
        return naive.replace(tzinfo=self.zone).astimezone(UTC)

    def opening(self) -> datetime:
        wall = self.now().astimezone(self.zone)
        if time(9) <= wall.time() < time(19):
            return self.now()
        return self.local_at(0, time(9))

    def post(self, step: str) -> None:
        self.posted.append((self.now().strftime("%Y-%m-%dT%H:%M:%SZ"), step))

    def unless_refunded(self, moment: datetime) -> Iterator[simpy.Event]:
        """Sleep until a moment; True when the money has been given back by then."""
        yield self.until(moment) | self.refund
        return self.refund.triggered

    def welcome(self) -> Iterator[simpy.Event]:
        self.post("access")
        for days, step in ((1, "year"), (2, "stand"), (2, "week")):
            if (yield from self.unless_refunded(self.local_at(days, time(10)))):
                return
            self.post(step)

    def nudge(self) -> Iterator[simpy.Event]:
        moved = self.started
        due = self.until(self.local_at(3, time(10)))
        yield due | moved | self.refund
        if not moved.triggered and not self.refund.triggered:
            self.post("begin")

    def check_in(self) -> Iterator[simpy.Event]:
        if self.refund.triggered:
            # A refund before ends nothing here; the letters are skipped one by one, which posts none.
            return
        moved = self.started  # a lesson begun since the run began counts, also before the letter
        if (yield from self.unless_refunded(self.now() + timedelta(minutes=30))):
            return
        if (yield from self.unless_refunded(self.opening())):
            return
        self.post("done")
        limit = self.until(self.days_on(2))
        yield limit | moved | self.refund
        if moved.triggered or self.refund.triggered:
            return
        if (yield from self.unless_refunded(self.local_at(0, time(10)))):
            return
        self.post("asking")


def history(lot: random.Random) -> list[tuple[datetime, str, str]]:
    """Two months of one student, at seconds that no wait ends at, so that no two things fall together."""
    kinds = [
        ("lesson_started", "l1"),
        ("lesson_started", "l3"),
        ("lesson_completed", "l1"),
        ("lesson_completed", "l2"),
    ]
    first = BEGIN + timedelta(minutes=lot.randrange(60 * 24 * 40), seconds=17)
    moves = [(first, "purchased", "")]
    for _ in range(lot.randrange(7)):
        kind, what = lot.choice(kinds)
        moves.append(
            (first + timedelta(minutes=lot.randrange(60 * 24 * 12), seconds=lot.randrange(1, 60)), kind, what)
        )
    if lot.random() < 0.3:
        moves.append((first + timedelta(minutes=lot.randrange(1, 60 * 24 * 9), seconds=31), "refunded", ""))
    return sorted(moves)


@pytest.mark.parametrize("seed", range(6))
def test_every_letter_goes_out_at_the_same_second_as_in_the_other_simulation(seed):
    lot = random.Random(seed)
    students, events, lives = [], [], {}
    env = simpy.Environment()
    for n in range(120):
        zone, moves = lot.choice(ZONES), history(lot)
        key = f"s{n}"
        students.append({"key": key, "email": f"{key}@example.org", "timezone": zone})
        lives[key] = Student(env, zone, moves)
        for at, kind, what in moves:
            more = {"offer": "bees-once"} if kind in ("purchased", "refunded") else {"lesson": f"bees/{what}"}
            events.append(event(at.strftime("%Y-%m-%dT%H:%M:%SZ"), kind, key, **more))
    env.run()
    found = play(
        [WELCOME, NUDGE, CHECK_IN],
        events,
        letter("access", "service"),
        students=students,
        school={"posting_hours": HOURS},
    )
    ours: dict[str, list[tuple[str, str]]] = {key: [] for key in lives}
    for one in found["letters"]:
        if one["status"] == "sent":
            ours[one["student"]].append((one["at"], one["step"]))
    assert sum(map(len, ours.values())) > 300
    for key, life in lives.items():
        assert sorted(ours[key]) == sorted(life.posted), (key, life.zone, life.moves)
