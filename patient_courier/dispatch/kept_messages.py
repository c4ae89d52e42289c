"""Messages that were kept, and items that wait: taken in later, each with the time at which it came."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.translate import NotForUs, Reported, translate
from patient_courier.dispatch.connecting import (
    connection_of,
    day_of,
    sort_out,
    source_of,
    take_described,
    take_items,
)
from patient_courier.dispatch.importing import quiet
from patient_courier.store.connections import connections, messages, waiting
from patient_courier.store.connections.connections import Kept
from patient_courier.store.connections.waiting import Item


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
        became = sort_out(session, kept, found.message, translated.items)
        messages.note(session, number, became.counts)
        take_items(session, school, kept, number, became, now)
        connections.count(session, kept.id, day_of(definitions, found.message.received), became.counts)
        counts.update(became.counts)
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
