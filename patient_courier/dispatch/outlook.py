"""Looking ahead to a broadcast: everybody whom it may reach is played to its moment, a part of the school at a time."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.outlook import LOOKS_AHEAD_DAYS, Outlook, look_ahead
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.store.broadcasts import postings
from patient_courier.store.engine.loading import load_states
from patient_courier.store.sequences import inside
from patient_courier.store.students import people

CHUNK = 250
# In a small school everyone is played: time alone may bring somebody onto the list until then.
SMALL_SCHOOL = 2_000


def candidates(session: Session, definitions: Definitions, broadcast: Broadcast, now: Instant) -> list[int]:
    """The row ids of those whom the broadcast may reach: who fits at its start, or may come to fit until then."""
    every = people.every_id(session)
    if len(every) <= SMALL_SCHOOL:
        return every
    start = max(start_of(broadcast, definitions.school.timezone), now)
    found = {id for id, _, _ in postings.on_the_list(session, definitions, broadcast, start)}
    found |= set(people.waiting_for_time(session, start))
    found |= set(inside.moved_by(session, start))
    return sorted(found)


def look(
    session: Session,
    definitions: Definitions,
    broadcast: Broadcast,
    ids: list[int],
    now: Instant,
    step: Callable[[int], None],
) -> Outlook:
    """What will become of each letter; ``step`` hears how many more students have been played."""
    zone = definitions.school.timezone
    last = max(start_of(broadcast, zone), now, calendar.resolve(broadcast.at, "Pacific/Pago_Pago"))
    until = last.add(hours=24 * LOOKS_AHEAD_DAYS)
    found = Outlook()
    for begin in range(0, len(ids), CHUNK):
        states = load_states(session, ids[begin : begin + CHUNK], definitions)
        coming = postings.coming(session, until, states, broadcast)
        in_order = [states[id] for id in sorted(states)]
        found.add(look_ahead(definitions, broadcast, in_order, coming, now, until))
        step(len(states))
    return found
