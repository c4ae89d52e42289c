"""From a message of a connection to the engine: kept, translated, its events taken in, the rest put down as waiting."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
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
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.connection import Connection, Proof
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Message, Refused, data_of
from patient_courier.core.translating.translate import Became, NotForUs, Reported, translate
from patient_courier.dispatch.importing import quiet
from patient_courier.dispatch.receiving import Receipt
from patient_courier.dispatch.taking import known_ids, take_events
from patient_courier.store.connections import connections, messages, waiting
from patient_courier.store.connections.connections import Kept
from patient_courier.store.connections.waiting import Item
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
    number = messages.keep(session, kept.id, message)
    counts = _take_items(session, definitions, kept, number, message, translated.items, now)
    messages.note(session, number, counts)
    connections.count(session, kept.id, day, counts | {"messages": 1})
    return Outcome(counts)


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


def take_kept(
    session: Session,
    definitions: Definitions,
    kept: Kept,
    numbers: Sequence[int],
    now: Instant,
    *,
    past: bool,
) -> Counter[str]:
    """Take in kept messages of which nothing was taken in yet, oldest first, each with the time at which it came.

    ``past``: no sequence starts for them; facts come about. Returns what became of their items.
    """
    connection, counts = connection_of(kept), Counter[str]()
    if connection is None:
        return counts
    school = quiet(definitions) if past else definitions
    for number in numbers:
        found = messages.get(session, number)
        if found is None or found.became is not None:
            continue
        translated = translate(connection, definitions, found.message)
        became = _take_items(session, school, kept, number, found.message, translated.items, now)
        messages.note(session, number, became)
        day = day_of(definitions, found.message.received)
        connections.count(session, kept.id, day, became)
        counts.update(became)
    return counts


def take_waiting(
    session: Session, definitions: Definitions, kept: Kept, items: Sequence[Item], now: Instant
) -> int:
    """Ask again what items become that wait; those that are events by now go in. Returns how many went in.

    Each goes in at its own time and under its own id. What still waits says what for.
    """
    connection = connection_of(kept)
    if connection is None:
        return 0
    done = 0
    by_message: dict[int, list[Item]] = {}
    for item in items:
        if item.message is not None:
            by_message.setdefault(item.message, []).append(item)
    for number, waits in by_message.items():
        found = messages.get(session, number)
        if found is None:
            continue
        # When it came stays when it came; only whether its time still lies ahead is asked of the clock.
        translated = translate(connection, definitions, _seen(found.message, waits, now))
        events = []
        for item in waits:
            became = translated.items[item.number - 1] if item.number <= len(translated.items) else NotForUs()
            match became:
                case Reported() if item.waits.why == "ahead" and parse_moment(became.event["at"]) >= now:
                    pass  # still ahead
                case Reported():
                    events.append(became.event)
                    waiting.let_go(session, [item.id])
                case Waits():
                    waiting.renew(session, item.id, became)
                case NotForUs():
                    waiting.let_go(session, [item.id])
        done += len(events)
        take_described(session, definitions, events, now, source_of(kept))
        _recount(session, found.id, len(events))
    return done


def _seen(message: Message, items: list[Item], now: Instant) -> Message:
    """A message whose time lay ahead is read as if it came now."""
    ahead = any(item.waits.why == "ahead" for item in items)
    return Message(now, message.type, message.body) if ahead else message


def _recount(session: Session, message: int, went: int) -> None:
    found = messages.get(session, message)
    if found is not None and found.became is not None and went:
        became = dict(found.became)
        became["waits"] = max(0, became.get("waits", 0) - went)
        became["events"] = became.get("events", 0) + went
        messages.note(session, message, became)


def look_again(session: Session, definitions: Definitions, now: Instant, *, school_changed: bool) -> int:
    """Let in what waited for its time, and where the ``school_changed`` what it had not. Returns how many went in."""
    done = 0
    for kept in connections.every(session):
        if kept.state == "on":
            whys = ("ahead", "unknown") if school_changed else ("ahead",)
            done += take_waiting(
                session, definitions, kept, waiting.of_connection(session, kept.id, whys), now
            )
    return done


def proof_of(kept: Kept) -> Proof:
    """How the messages of a connection show who sent them; a file in the making has at least this."""
    return _proof(json.dumps(kept.file["proof"], sort_keys=True))


@lru_cache(maxsize=64)
def _proof(text: str) -> Proof:
    return _PROOF.validate_json(text)


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


def _take_items(
    session: Session,
    definitions: Definitions,
    kept: Kept,
    number: int,
    message: Message,
    items: Sequence[Became],
    now: Instant,
) -> dict[str, int]:
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
    take_described(session, definitions, events, now, source_of(kept))
    waiting.put(session, kept.id, number, waits, now)
    counts["events"], counts["waits"] = len(events), len(waits)
    return {name: count for name, count in counts.items() if count}


def take_described(
    session: Session, definitions: Definitions, events: list[dict[str, Any]], now: Instant, source: Source
) -> None:
    """Make the students known whom the events describe, and take the events in as one message."""
    if not events:
        return
    found = []
    for event in events:
        key = described.known_or_new(session, event["student"], now, source)
        found.append(_EVENT.validate_python(event | {"student": key}))
    session.flush()
    take_events(session, definitions, found, now, source)


def source_of(kept: Kept) -> Source:
    """Where a consent comes from that a connection has brought."""
    return Source(f"by the connection “{kept.name}”")
