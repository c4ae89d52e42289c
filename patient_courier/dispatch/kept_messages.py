"""Messages that were kept, and items that wait: taken in later, each with the time at which it came."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.values import parse_moment
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.translate import Became, NotForUs, Reported, Translated, translate
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.connecting import (
    connection_of,
    day_of,
    sort_out,
    source_of,
    take_described,
    take_items,
)
from patient_courier.dispatch.importing import quiet
from patient_courier.dispatch.in_parts import cut, in_parts
from patient_courier.store.base.database import Database
from patient_courier.store.connections import connections, messages, waiting
from patient_courier.store.connections.connections import Kept
from patient_courier.store.connections.waiting import Item

# So many messages share a transaction: enough to share its cost, few enough that nobody waits for it.
MESSAGES_TOGETHER = 50


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
    for waits in _by_message(items):
        found = messages.get(session, waits[0].message or 0)
        if found is None:
            continue
        # When it came stays when it came; only whether its time still lies ahead is asked of the clock.
        translated = translate(connection, definitions, _seen(found.message, waits, now))
        events = []
        for item in waits:
            match _now(translated, item):
                case Reported(event) if item.waits.why == "ahead" and parse_moment(event["at"]) >= now:
                    pass  # still ahead
                case Reported(event):
                    events.append(event)
                    waiting.let_go(session, [item.id])
                case Waits() as waits_now:
                    waiting.renew(session, item.id, waits_now)
                case NotForUs():
                    waiting.let_go(session, [item.id])
        done += len(events)
        take_described(session, definitions, events, now, source_of(kept))
        _recount(session, found.id, len(events))
    connections.count(session, kept.id, day_of(definitions, now), {"events": done})
    return done


def _now(translated: Translated, item: Item) -> Became:
    """What an item is by now. One that is no longer found in its message, or whose message can't be read so, waits on."""
    if translated.refused is not None:
        return Waits(translated.refused)
    if item.number > len(translated.items):
        return Waits("This is no longer found in its message: look at how its lines are looked for.")
    return translated.items[item.number - 1]


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


def let_in(database: Database, load: Callable[[Session], Definitions], id: int, items: Sequence[Item]) -> int:
    """Ask again what these items of a connection become, some in each transaction. Returns how many went in. Raises Busy.

    One that can't be taken in for a reason of ours waits on.
    """
    done: list[int] = []

    def take(session: Session, part: Sequence[list[Item]]) -> None:
        kept = connections.get(session, id)
        if kept is not None and kept.state == "on":
            now = read_clock(session).now
            together = [item for message in part for item in message if waiting.is_open(session, item.id)]
            done.append(take_waiting(session, load(session), kept, together, now))

    in_parts(database, cut(_by_message(items), MESSAGES_TOGETHER), take, lambda message: None)
    return sum(done)


def _by_message(items: Sequence[Item]) -> list[list[Item]]:
    """The items of each message together: they are taken in as one."""
    found: dict[int, list[Item]] = {}
    for item in items:
        if item.message is not None:
            found.setdefault(item.message, []).append(item)
    return list(found.values())


def take_since(
    database: Database,
    load: Callable[[Session], Definitions],
    id: int,
    numbers: Sequence[int],
    *,
    past: bool,
) -> None:
    """Take in kept messages of a connection, some in each transaction, as :func:`take_kept` does. Raises Busy.

    One that can't be taken in for a reason of ours stays kept, and nothing of it is taken in.
    """

    def take(session: Session, part: Sequence[int]) -> None:
        kept = connections.get(session, id)
        if kept is not None and kept.state == "on":
            take_kept(session, load(session), kept, part, read_clock(session).now, past=past)

    in_parts(database, cut(numbers, MESSAGES_TOGETHER), take, lambda number: None)


def look_again(database: Database, load: Callable[[Session], Definitions], *, school_changed: bool) -> int:
    """Let in what waited for its time, and where the ``school_changed`` what it had not. Returns how many went in."""
    whys = ("ahead", "unknown") if school_changed else ("ahead",)
    with database.reading() as session:
        found = {
            kept.id: waiting.of_connection(session, kept.id, whys)
            for kept in connections.every(session)
            if kept.state == "on"
        }
    return sum(let_in(database, load, id, items) for id, items in found.items() if items)
