"""From a message of a connection to the engine: kept, translated, its events taken in, the rest put down as waiting."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from hashlib import sha256
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import Unreadable
from patient_courier.core.school.events import Event
from patient_courier.core.translating.connection import Connection, Proof
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Message, Refused, data_of
from patient_courier.core.translating.statements import Statement
from patient_courier.core.translating.translate import Became, NotForUs, Reported, translate
from patient_courier.dispatch.receiving import Receipt
from patient_courier.dispatch.taking import known_ids, take_events
from patient_courier.store.connections import connections, messages, statements, waiting
from patient_courier.store.connections.connections import Kept
from patient_courier.store.students import described
from patient_courier.store.students.consents import Source

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)
_PROOF: TypeAdapter[Proof] = TypeAdapter(Proof)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of a message: counts of its items, or why it was refused; ``gone`` when its connection is off by now,
    ``full`` when so much of it waits that it has to come again later.
    """

    counts: dict[str, int] = field(default_factory=dict)
    refused: str | None = None
    gone: bool = False
    full: bool = False


def take_message(
    session: Session, definitions: Definitions, id: int, type: str, body: bytes, now: Instant
) -> Outcome:
    """Take in one message that has proven itself. A connection that only listens keeps it and does nothing else."""
    kept = connections.get(session, id)
    if kept is None or kept.state == "off":
        return Outcome(gone=True)
    message, day = Message(now, type, body), day_of(definitions, now)
    connection = connection_of(kept) if kept.state == "on" else None
    if connection is None:
        try:
            data_of(message)
        except Refused as refused:
            return refuse(session, kept, str(refused), day, now)
        messages.keep(session, kept.id, message)
        connections.count(session, kept.id, day, {"messages": 1})
        return Outcome()
    if waiting.number(session, kept.id) >= waiting.MOST:
        return Outcome(full=True)
    translated = translate(connection, definitions, message)
    if translated.refused is not None:
        return refuse(session, kept, translated.refused, day, now)
    found = sort_out(session, kept, message, translated.items)
    number = messages.keep(session, kept.id, message, found.counts)
    take_items(session, definitions, kept, number, found, now)
    connections.count(session, kept.id, day, found.counts | {"messages": 1})
    return Outcome(found.counts)


@dataclass(frozen=True, slots=True)
class StatedOutcome:
    """What became of statements: ``conflict`` names one whose id is known with other words; ``full``, ``gone`` as before."""

    conflict: str | None = None
    gone: bool = False
    full: bool = False


def take_statements(
    session: Session, definitions: Definitions, id: int, found: Sequence[Statement], now: Instant
) -> StatedOutcome:
    """Take in xAPI statements, each as a message; those that are known change nothing."""
    kept = connections.get(session, id)
    if kept is None or kept.state == "off":
        return StatedOutcome(gone=True)
    if waiting.number(session, id) + len(found) > waiting.MOST:
        return StatedOutcome(full=True)
    known = statements.digests(session, id, [one.id for one in found])
    other = next((one.id for one in found if known.get(one.id, one.digest) != one.digest), None)
    if other is not None:
        return StatedOutcome(conflict=other)
    for one in found:
        if one.id not in known:
            take_message(session, definitions, id, "application/json", one.body(now), now)
    fresh = {one.id: one.digest for one in found if one.id not in known}
    statements.put(session, id, fresh)
    return StatedOutcome()


def keep_for_later(
    session: Session, definitions: Definitions, id: int, message: Message, trouble: str
) -> Outcome:
    """Keep a message that could not be taken in through no fault of its own: it waits for the owner as a whole."""
    kept = connections.get(session, id)
    if kept is None:
        return Outcome(gone=True)
    counts = {"waits": 1}
    number = messages.keep(session, id, message, counts)
    waits = Waits(f"This message could not be taken in ({trouble}).")
    waiting.put(session, id, number, [(1, key_of(waits, message, 1), waits)], message.received)
    connections.count(session, id, day_of(definitions, message.received), counts | {"messages": 1})
    return Outcome(counts)


def count_unproven(session: Session, definitions: Definitions, id: int, why: str, now: Instant) -> Outcome:
    """Count a message whose proof failed, with what was wrong with it."""
    kept = connections.get(session, id)
    return refuse(session, kept, why, day_of(definitions, now), now) if kept else Outcome(gone=True)


def count_own(session: Session, definitions: Definitions, receipt: Receipt, now: Instant) -> None:
    """Count what became of a message to our own intake: of an event that can't be used the owner is told."""
    counts = {
        "messages": 1,
        "events": receipt.taken.new,
        "repeats": receipt.taken.known,
        "waits": len(receipt.refused),
    }
    connections.count(session, connections.own(session, now), day_of(definitions, now), counts)


def refuse(session: Session, kept: Kept, why: str, day: str, now: Instant) -> Outcome:
    """Count a message that can't be used; nothing of it is kept but the reason."""
    connections.note_refused(session, kept.id, why, now)
    connections.count(session, kept.id, day, {"refused": 1})
    return Outcome(refused=why)


def proof_of(kept: Kept) -> Proof:
    """How the messages of a connection show who sent them; a file in the making has at least this."""
    return _proof(kept.text)


@lru_cache(maxsize=64)
def _proof(text: str) -> Proof:
    return _PROOF.validate_python(json.loads(text)["proof"])


def connection_of(kept: Kept) -> Connection | None:
    """The connection's file, if it can be read."""
    try:
        return connections.ready(kept.text)
    except Unreadable:
        return None


def day_of(definitions: Definitions, at: Instant) -> str:
    """The school's local day, as counts are kept."""
    return calendar.local(at, definitions.school.timezone).date().format_iso()


def key_of(item: Became, message: Message, number: int) -> str:
    """What an item is known by: the id of its event, or where it stands in which body."""
    id = item.event["id"] if isinstance(item, Reported) else item.id if isinstance(item, Waits) else None
    return id or f"{sha256(message.body).hexdigest()[:32]}#{number}"


@dataclass(frozen=True, slots=True)
class Sorted:
    """What is to be done with the items of a message: events go in, others wait, and how many are what."""

    events: list[dict[str, Any]]
    waits: list[tuple[int, str, Waits]]
    counts: dict[str, int]


def sort_out(session: Session, kept: Kept, message: Message, items: Sequence[Became]) -> Sorted:
    """Tell what is new from what is known, by the ids of events that went in and of items that wait."""
    keys = [key_of(item, message, place) for place, item in enumerate(items, 1)]
    known = known_ids(session, keys) | waiting.known(session, kept.id, keys)
    counts: Counter[str] = Counter()
    events, waits = [], []
    for place, (item, key) in enumerate(zip(items, keys, strict=True), 1):
        match item:
            case NotForUs():
                counts["not_for_us"] += 1
            case _ if key in known:
                counts["repeats"] += 1
            case Reported():
                known.add(key)
                events.append(item.event)
            case Waits():
                known.add(key)
                waits.append((place, key, item))
            case _:
                raise AssertionError(item)
    if not items:
        counts["not_for_us"] += 1
    counts["events"], counts["waits"] = len(events), len(waits)
    return Sorted(events, waits, {name: count for name, count in counts.items() if count})


def take_items(
    session: Session, definitions: Definitions, kept: Kept, number: int, found: Sorted, now: Instant
) -> None:
    """Take the events in, and put down what waits of this message."""
    take_described(session, definitions, found.events, now, source_of(kept))
    waiting.put(session, kept.id, number, found.waits, now)


def take_described(
    session: Session, definitions: Definitions, events: list[dict[str, Any]], now: Instant, source: Source
) -> None:
    """Make the students known whom the events describe, and take the events in as one message."""
    if not events:
        return
    source = replace(source, past=definitions.quiet)
    found = []
    for event in events:
        key = described.known_or_new(session, event["student"], now, source)
        found.append(_EVENT.validate_python(event | {"student": key}))
    session.flush()
    take_events(session, definitions, found, now, source)


def source_of(kept: Kept) -> Source:
    """Where a consent comes from that a connection has brought."""
    return Source(f"by the connection “{kept.name}”")
