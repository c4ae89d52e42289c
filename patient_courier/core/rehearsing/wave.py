"""When a broadcast goes out where: the hours in which it reaches the students' zones."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.school.broadcasts import Broadcast

HOUR = 3600


@dataclass(frozen=True, slots=True)
class Crest:
    """The students for whom it is the broadcast's time at one instant, and their zones, the fullest first."""

    at: Instant
    students: int
    zones: tuple[str, ...]
    late: bool


@dataclass(frozen=True, slots=True)
class Wave:
    """The instants in order; ``late`` is how many students' hour is past when it starts; ``last`` with the pace."""

    start: Instant
    crests: tuple[Crest, ...]
    late: int
    last: Instant | None


def wave(
    broadcast: Broadcast, zones: Mapping[str, int], school_zone: str, now: Instant, pace: int | None = None
) -> Wave:
    """How a broadcast that is scheduled ``now`` reaches students, counted by zone; ``pace`` is letters a minute."""
    start = max(start_of(broadcast, school_zone), now)
    reached: dict[Instant, list[str]] = {}
    for zone in zones:
        at = start if broadcast.zone == "school" else calendar.resolve(broadcast.at, zone)
        reached.setdefault(at, []).append(zone)
    crests = tuple(
        Crest(
            at,
            sum(zones[zone] for zone in found),
            tuple(sorted(found, key=lambda zone: (-zones[zone], zone))),
            at < start,
        )
        for at, found in sorted(reached.items())
    )
    late = sum(crest.students for crest in crests if crest.late)
    return Wave(start, crests, late, _last(broadcast, crests, start, pace))


def _last(
    broadcast: Broadcast, crests: tuple[Crest, ...], start: Instant, pace: int | None
) -> Instant | None:
    """When the last letter goes out: each hour's letters one after the other, as the pace has it."""
    free = None
    for crest in crests:
        if crest.late and broadcast.late == "skip":
            continue
        begin = max(crest.at, start)
        at = begin if free is None else max(begin, free)
        seconds = 0 if pace is None else round((crest.students - 1) * 60 / pace)
        free = at.add(seconds=seconds)
    return free
