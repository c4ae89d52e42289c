"""Looking ahead to a broadcast: everybody whom it may reach is played to its moment, a part of the school at a time.

Of those to whom nothing else happens until then, and of whom the guards ask the same, one is played for all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.likeness import fields_asked, goes_by_letters
from patient_courier.core.rehearsing.outlook import DAYS_AROUND, LOOKS_AHEAD_DAYS, Outlook, look_ahead
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.store.broadcasts import alike, broadcasts, postings
from patient_courier.store.engine.loading import load_states
from patient_courier.store.sequences import inside
from patient_courier.store.students import people

CHUNK = 250
# In a small school everyone is played: time alone may bring somebody onto the list until then.
SMALL_SCHOOL = 2_000


@dataclass(frozen=True, slots=True)
class Candidates:
    """Those whom a broadcast may reach: row ids of those who are played, and groups of whom one is played for all."""

    single: list[int]
    alike: list[alike.Group] = field(default_factory=list)

    @property
    def number(self) -> int:
        return len(self.single) + sum(map(len, self.alike))


def candidates(session: Session, definitions: Definitions, broadcast: Broadcast, now: Instant) -> Candidates:
    """Whom the broadcast may reach: who fits at its start, or may come to fit until then."""
    every = people.every_id(session)
    if len(every) <= SMALL_SCHOOL:
        return Candidates(every)
    start = max(start_of(broadcast, definitions.school.timezone), now)
    touched: set[int] = set()  # by another broadcast
    found = {id for id, _, _ in postings.on_the_list(session, definitions, broadcast, start)}
    found |= set(people.waiting_for_time(session, start))
    found |= set(inside.moved_by(session, start)) | set(postings.going_to(session))
    until = _until(definitions, broadcast, now)
    others = [
        one.broadcast
        for one in broadcasts.every(session)
        if one.starts_by(until) and one.key != broadcast.key
    ]
    for one in others:
        begins = max(start_of(one, definitions.school.timezone), now)
        touched |= {id for id, _, _ in postings.on_the_list(session, definitions, one, begins)}
    each = [fields_asked(definitions.letters[key]) for key in broadcast.letters]
    asked = frozenset().union(*(one for one in each if one is not None))
    if None in each or any(map(goes_by_letters, others)):
        return Candidates(sorted(found | touched))
    since = now.subtract(hours=24 * (DAYS_AROUND + 2))
    groups = alike.groups(
        session, definitions, broadcast, start, since=since, until=until, blank_without=asked
    )
    groups = [[one for one in group if one[0] not in touched] for group in groups]
    single = (found | touched) - {id for group in groups for id, _ in group}
    return Candidates(sorted(single), [group for group in groups if group])


def _until(definitions: Definitions, broadcast: Broadcast, now: Instant) -> Instant:
    last = calendar.resolve(broadcast.at, "Pacific/Pago_Pago")
    return max(start_of(broadcast, definitions.school.timezone), now, last).add(hours=24 * LOOKS_AHEAD_DAYS)


def look(
    session: Session,
    definitions: Definitions,
    broadcast: Broadcast,
    whom: Candidates,
    now: Instant,
    step: Callable[[int], None],
) -> Outlook:
    """What will become of each letter, in the order of the students; ``step`` hears how many more have been played."""
    until = _until(definitions, broadcast, now)
    found = Outlook()
    order: dict[str, int] = {}

    def play(ids: list[int]) -> list[str]:
        states = load_states(session, ids, definitions)
        coming = postings.coming(session, until, states, broadcast)
        in_order = [states[id] for id in ids]
        order.update((state.student.key, id) for id, state in states.items())
        found.add(look_ahead(definitions, broadcast, in_order, coming, now, until))
        return [state.student.key for state in in_order]

    for begin in range(0, len(whom.alike), CHUNK):
        groups = whom.alike[begin : begin + CHUNK]
        firsts = sorted((group[0][0], at) for at, group in enumerate(groups))
        for key, (_, at) in zip(play([id for id, _ in firsts]), firsts, strict=True):
            found.share(key, [one for _, one in groups[at]])
            order.update((one, id) for id, one in groups[at])
        step(sum(map(len, groups)))
    for begin in range(0, len(whom.single), CHUNK):
        step(len(play(whom.single[begin : begin + CHUNK])))
    found.sort(order)
    return found
