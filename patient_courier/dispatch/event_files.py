"""Taking in a table of events by a connection file: tried first, then as the past, in order of time."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.connection import Connection
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.rows import message_of_row
from patient_courier.core.translating.translate import NotForUs, Reported, translate
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.connecting import take_described
from patient_courier.dispatch.importing import quiet
from patient_courier.dispatch.in_parts import cut, in_parts
from patient_courier.dispatch.taking import known_ids
from patient_courier.intake.people_file import People
from patient_courier.store.base.database import Database
from patient_courier.store.students.consents import Source

CHUNK = 500
MOST_SHOWN = 200


@dataclass(frozen=True, slots=True)
class FoundEvent:
    """An event of a row, numbered as a spreadsheet numbers them."""

    row: int
    at: Instant
    event: dict[str, Any]


@dataclass(slots=True)
class TriedRows:
    """What a table would become: its events in order of time, how many are known already, and the rows that can't be used."""

    events: list[FoundEvent] = field(default_factory=list)
    known: int = 0
    not_for_us: int = 0
    waits: list[tuple[int, Waits]] = field(default_factory=list)


def try_rows(
    session: Session,
    definitions: Definitions,
    connection: Connection,
    table: People,
    now: Instant,
    step: Callable[[int], None],
) -> TriedRows:
    """What each row would become. Changes nothing."""
    found = TriedRows()
    for place, cells in enumerate(table.rows):
        message = message_of_row(table.columns, cells, now)
        translated = translate(connection, definitions, message)
        if translated.refused is not None:
            found.waits.append((place + 2, Waits(translated.refused)))
        if not translated.items:
            found.not_for_us += translated.refused is None
        for item in translated.items:
            match item:
                case Reported():
                    at = parse_moment(item.event["at"])
                    found.events.append(FoundEvent(place + 2, at, item.event))
                case Waits():
                    found.waits.append((place + 2, item))
                case NotForUs():
                    found.not_for_us += 1
        if place % CHUNK == CHUNK - 1:
            step(CHUNK)
    # Exports often have the newest first, and a refund must not come before its purchase.
    found.events.sort(key=lambda one: one.at)
    _without_known(session, found)
    return found


def _without_known(session: Session, found: TriedRows) -> None:
    """Leave out what is known: from before, or from a row above."""
    fresh, seen = [], set[str]()
    for start in range(0, len(found.events), CHUNK):
        part = found.events[start : start + CHUNK]
        seen |= known_ids(session, {one.event["id"] for one in part} - seen)
        for one in part:
            if one.event["id"] in seen:
                found.known += 1
            else:
                seen.add(one.event["id"])
                fresh.append(one)
    found.events = fresh


def take_rows(
    database: Database,
    load: Callable[[Session], Definitions],
    events: Sequence[FoundEvent],
    since: Instant,
    source: Source,
    step: Callable[[int], None],
) -> tuple[int, int]:
    """Take the events in, some in each transaction; returns how many went in and how many could not.

    No sequence starts for what lies before ``since``. What goes wrong with one stops no other.
    """
    failed: list[FoundEvent] = []

    def take(session: Session, part: Sequence[FoundEvent]) -> None:
        take_part(session, load(session), part, since, source)

    in_parts(database, cut(events, CHUNK), take, failed.append, step)
    return len(events) - len(failed), len(failed)


def take_part(
    session: Session, definitions: Definitions, part: Sequence[FoundEvent], since: Instant, source: Source
) -> None:
    """What lies before ``since`` together, then the rest one by one, as it would have come."""
    now = read_clock(session).now
    past = [one.event for one in part if one.at < since]
    take_described(session, quiet(definitions), past, now, source)
    for one in part:
        if one.at >= since:
            take_described(session, definitions, [one.event], now, source)
