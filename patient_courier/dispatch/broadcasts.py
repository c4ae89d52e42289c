"""Broadcasts live: when one starts, how many of its letters may be asked for now, and what the owner does to it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass
from math import ceil, floor

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.broadcasting import Posting, is_inside, moments, start_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.dispatch.clock import real_now
from patient_courier.store.broadcasts import broadcasts as stored
from patient_courier.store.broadcasts import postings
from patient_courier.store.broadcasts.broadcasts import Kept

# After “post now” it can be taken back for so long (real time).
TAKE_BACK_SECONDS = 60
# Letters of broadcasts decided ahead of the outbox: the guards are asked shortly before a letter goes out.
MOST_AHEAD = 1_000
# More are asked for when so few are left: many at once cost less than a few often.
FEW_LEFT = 400


class NotNow(ValueError):
    """What the owner wants can't be done as the broadcast stands; the message says why."""


# Going out.


@dataclass(frozen=True, slots=True)
class Turn:
    """Whose letters may be asked for now: students by row id, and of which broadcasts only some of the due ones."""

    students: set[int]
    horizon: Instant
    only: dict[str, set[int]]

    def may_ask(self, posting: Posting, horizon: Instant) -> bool:
        """Whether a student's letter takes part: those that are due and not among the ones allowed stay for later."""
        allowed = self.only.get(posting.broadcast.key)
        return allowed is None or posting.due is None or posting.due > horizon or posting.number in allowed


def start(session: Session, definitions: Definitions, kept: Kept, now: Instant) -> int:
    """Draw up the list of a broadcast, once and for all; returns how many are on it."""
    broadcast, school = kept.broadcast, definitions.school
    moment_of = moments(definitions, broadcast, now)
    rows = []
    for number, (id, _, own) in enumerate(postings.on_the_list(session, definitions, broadcast, now)):
        moment = moment_of(school.zone_of(own))
        rows.append(
            {
                "broadcast": broadcast.key,
                "number": number,
                "student_id": id,
                "moment": moment.due,
                "due": moment.due,
                "too_late": moment.late,
                "inside_since": None,
                "held": [],
                "done": False,
            }
        )
    postings.put_list(session, rows)
    over = {} if rows else {"status": "done", "ended": now}
    stored.note(session, kept.key, **{"status": "going", "started": now, "recipients": len(rows)} | over)
    return len(rows)


def whose_turn(
    session: Session, going: Collection[Kept], horizon: Instant, before: int | None, most: int, *, timed: bool
) -> Turn:
    """Students with a letter due by the horizon, at most ``most`` of each broadcast.

    ``before``: at the horizon itself only broadcasts before this place. ``timed``: the clock stands in real time, so
    pace counts, and not more is asked for than the outbox can take.
    """
    students: set[int] = set()
    only: dict[str, set[int]] = {}
    room = _room(session) if timed and going else most
    found = []
    for kept in going:
        until = horizon if before is None or kept.position < before else horizon.subtract(nanoseconds=1)
        allowed = min(most, room)
        if timed and kept.pace is not None:
            allowed = min(allowed, _slots(kept))
        due = postings.due_postings(session, kept.key, until, allowed) if allowed else []
        if allowed < most:
            only[kept.key] = {number for _, number, _ in due}
            if timed and kept.pace is not None and due:
                _use_slots(session, kept, len(due))
        elif len(due) == most:
            horizon = min(horizon, due[-1][2])
        room -= len(due) if timed else 0
        found += due
    students = {id for id, _, due_at in found if due_at <= horizon}
    return Turn(students, horizon, only)


def _room(session: Session) -> int:
    """How many letters more the outbox can take now."""
    left = postings.queued(session)
    return MOST_AHEAD - left if left <= FEW_LEFT else 0


def _gap(kept: Kept) -> float:
    assert kept.pace is not None
    return 60 / kept.pace


def _slots(kept: Kept) -> int:
    """How many letters the pace allows this moment; what was not used is lost, but for a second's worth."""
    now = real_now()
    slot = kept.next_slot or now
    if slot > now:
        return 0
    late = min((now - slot).total("seconds"), 1.0)
    return floor(late / _gap(kept)) + 1


def _use_slots(session: Session, kept: Kept, number: int) -> None:
    now = real_now()
    slot = max(kept.next_slot or now, now.subtract(seconds=1))
    stored.note(session, kept.key, next_slot=slot.add(milliseconds=ceil(1000 * number * _gap(kept))))


def next_due(session: Session, real: Instant) -> Instant | None:
    """When (school time) a broadcast has something to do next, as far as nothing holds it back in real time."""
    found = [kept.due for kept in stored.in_status(session, "scheduled") if not _waits(kept, real)]
    going = stored.in_status(session, "going")
    if going and _room(session):
        found += [postings.next_posting(session, kept.key) for kept in going if not _waits(kept, real)]
    return min((due for due in found if due is not None), default=None)


def next_letters(session: Session, definitions: Definitions) -> tuple[Instant | None, int]:
    """When the next letter of a broadcast is due, and how many are then; whoever may take it back can.

    A broadcast where they live starts hours before its first letter (ENGINE section 11): the letter is what counts here.
    """
    best: tuple[Instant | None, int] = (None, 0)
    coming = [
        (one.due, one.position, one)
        for one in stored.in_status(session, "scheduled", "going")
        if one.due is not None
    ]
    for starts, _, kept in sorted(coming, key=lambda one: one[:2]):
        if best[0] is not None and kept.status == "scheduled" and starts > best[0]:
            continue
        due, number = first_letters(session, definitions, kept)
        if due is not None and (best[0] is None or due < best[0]):
            best = due, number
    return best


def first_letters(session: Session, definitions: Definitions, kept: Kept) -> tuple[Instant | None, int]:
    """When the first of its letters that has not been decided is due, and how many are at that moment."""
    if kept.status != "scheduled" or kept.due is None:
        due = postings.next_posting(session, kept.key)
        return due, postings.number_due(session, kept.key, due) if due else 0
    listed = postings.on_the_list(session, definitions, kept.broadcast, kept.due)
    if kept.broadcast.zone == "school" or not listed:
        return kept.due, len(listed)
    zone = definitions.school.timezone
    zones = Counter(own or zone for _, _, own in listed)
    reached: Counter[Instant] = Counter()
    for where, number in zones.items():
        at = calendar.resolve(kept.broadcast.at, where)
        if at >= kept.due or kept.broadcast.late == "at_once":
            reached[max(at, kept.due)] += number
    return min(reached.items(), default=(None, 0))


def stands(session: Session, kept: Kept) -> str:
    """Its status as the owner sees it: until its first letter is decided, a broadcast is planned, though its list is drawn up."""
    drawn_up = kept.status == "going" and bool(kept.recipients) and postings.untouched(session, kept.key)
    return "scheduled" if drawn_up else kept.status


def _waits(kept: Kept, real: Instant) -> bool:
    until = kept.not_before if kept.status == "scheduled" else kept.next_slot if kept.pace else None
    return until is not None and until > real


def seconds_to_wait(session: Session, real: Instant) -> float | None:
    """In how many seconds of real time something that is held back may go: a minute to take back, a pace, a full outbox."""
    kept = stored.in_status(session, "scheduled", "going")
    moments = [x.not_before if x.status == "scheduled" else x.next_slot for x in kept if _waits(x, real)]
    found = [(moment - real).total("seconds") for moment in moments if moment is not None]
    if any(x.status == "going" for x in kept) and not _room(session):
        found.append(0.2)
    return min(found, default=None)


def settle(session: Session, now: Instant) -> None:
    """Note which broadcasts are over."""
    for kept in stored.in_status(session, "going"):
        if postings.is_over(session, kept.key):
            stored.note(session, kept.key, status="done", ended=now)


def let_out(
    session: Session, definitions: Definitions, states: dict[int, StudentState], now: Instant
) -> None:
    """Students who have come out of the last sequence that holds broadcasts: what waits for that is asked again."""
    out = [
        id
        for id, state in states.items()
        if any(run.dirty and not run.is_open for run in state.runs) and not is_inside(definitions, state)
    ]
    if out:
        postings.ask_again(session, now, out)


# What the owner does.


def schedule(
    session: Session, definitions: Definitions, kept: Kept, now: Instant, *, at_once: bool = False
) -> None:
    """Let a draft go out at its time; with ``at_once`` a minute from now, until when it can be taken back."""
    _must(kept, "draft")
    broadcast = kept.broadcast.model_copy(update={"status": "scheduled"})
    zone = definitions.school.timezone
    not_before = planned = None
    if at_once:
        planned = {name: as_data(broadcast)[name] for name in ("at", "zone")}
        moment = calendar.local(now, zone).to_plain().replace(nanosecond=0)
        broadcast = broadcast.model_copy(update={"at": moment, "zone": "school"})
        not_before = real_now().add(seconds=TAKE_BACK_SECONDS)
    due = max(start_of(broadcast, zone), now)
    stored.save(session, broadcast, now, status="scheduled", due=due, not_before=not_before, planned=planned)


def take_back(session: Session, kept: Kept, now: Instant) -> None:
    """Make a broadcast of which nothing has gone out a draft again, for the day it had; a list that was drawn up is given up."""
    if stands(session, kept) != "scheduled":
        _must(kept, "scheduled")
    postings.give_up_list(session, kept.key)
    draft = Broadcast.model_validate(as_data(kept.broadcast) | {"status": "draft"} | (kept.planned or {}))
    gone = dict.fromkeys(("due", "not_before", "planned", "started", "recipients", "next_slot"))
    stored.save(session, draft, now, status="draft", **gone)


def pause(session: Session, kept: Kept) -> None:
    """Nothing more goes out for now, but a letter that is being handed over this moment."""
    _must(kept, "going")
    postings.unhand(session, kept.key)
    stored.note(session, kept.key, status="paused")


def go_on(session: Session, kept: Kept, now: Instant) -> None:
    """What is due goes out; for those inside a sequence the guards are asked anew."""
    _must(kept, "paused")
    stored.note(session, kept.key, status="going")
    postings.ask_again(session, now)


def stop(session: Session, definitions: Definitions, kept: Kept, now: Instant) -> int:
    """Whatever has not been handed over is not posted; returns how many letters that are."""
    _must(kept, "going", "paused")
    number = postings.stop_rest(session, kept, definitions, now)
    stored.note(session, kept.key, status="stopped", ended=now)
    return number


def set_pace(session: Session, kept: Kept, pace: int | None) -> None:
    """Letters a minute; None is as fast as the mail server takes them."""
    stored.note(session, kept.key, pace=pace, next_slot=None)


_STANDS = {
    "draft": "is a draft",
    "scheduled": "has not started yet",
    "going": "is going out",
    "paused": "is paused",
    "stopped": "was stopped",
    "done": "has gone out",
}


def _must(kept: Kept, *status: str) -> None:
    if kept.status not in status:
        raise NotNow(f"This can't be done now: the broadcast {_STANDS[kept.status]}. Reload the page.")
