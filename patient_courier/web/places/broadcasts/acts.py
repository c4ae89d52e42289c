"""What the owner does to a broadcast: plan it, take it back, pause, go on, stop, duplicate, write again."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.checks import with_letter
from patient_courier.core.drafting.broadcast import again_to_silent, new_broadcast
from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.keys import free_key
from patient_courier.dispatch import broadcasts as acts
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.letters import outcomes
from patient_courier.web.context import Session, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.broadcasts.broadcasts import (
    BroadcastOut,
    Pace,
    broadcast_out,
    found_broadcast,
    read_broadcast,
)
from patient_courier.web.places.broadcasts.drafts import BroadcastKey
from patient_courier.web.saved_letters import keep_letter

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])
# The place on Earth where a day ends last.
LAST_PLACE = "Pacific/Pago_Pago"


class Schedule(BaseModel):
    """``at_once``: a minute from now, and until then it can be taken back."""

    at_once: bool = False


class PaceIn(BaseModel):
    pace: Pace = None


@router.post("/{key}/schedule")
def schedule(key: str, body: Schedule, user: SignedIn, post: ThePost, session: Writing) -> BroadcastOut:
    """Let a draft go out at its time, or a minute from now. 409 with the first fault that keeps it from that."""
    kept, now = found_broadcast(session, key), now_in(session)
    definitions = definitions_in(post, session)
    fault = next((x for x in with_letter(definitions, kept.broadcast) if x.level == "fault"), None)
    if fault is not None:
        raise HTTPException(409, fault.sentence)
    if not body.at_once and _is_past(kept.broadcast, definitions, now):
        raise HTTPException(409, "That moment has passed. Choose a later one, or post it now.")
    return _act(
        session, post, key, lambda: acts.schedule(session, definitions, kept, now, at_once=body.at_once)
    )


def _is_past(broadcast: Broadcast, definitions: Definitions, now: Instant) -> bool:
    """Whether the moment has passed for everyone."""
    if broadcast.zone == "school":
        return start_of(broadcast, definitions.school.timezone) < now
    return calendar.resolve(broadcast.at, LAST_PLACE) < now


def _act(session: Session, post: Any, key: str, act: Any) -> BroadcastOut:
    try:
        act()
    except acts.NotNow as error:
        raise HTTPException(409, str(error)) from error
    return broadcast_out(session, definitions_in(post, session), found_broadcast(session, key))


@router.post("/{key}/take-back")
def take_back(key: str, user: SignedIn, post: ThePost, session: Writing) -> BroadcastOut:
    """Make a broadcast that has not started a draft again."""
    kept = found_broadcast(session, key)
    return _act(session, post, key, lambda: acts.take_back(session, kept, now_in(session)))


@router.post("/{key}/pause")
def pause(key: str, user: SignedIn, post: ThePost, session: Writing) -> BroadcastOut:
    kept = found_broadcast(session, key)
    return _act(session, post, key, lambda: acts.pause(session, kept))


@router.post("/{key}/go-on")
def go_on(key: str, user: SignedIn, post: ThePost, session: Writing) -> BroadcastOut:
    kept = found_broadcast(session, key)
    return _act(session, post, key, lambda: acts.go_on(session, kept, now_in(session)))


@router.post("/{key}/stop")
def stop(key: str, user: SignedIn, post: ThePost, session: Writing) -> BroadcastOut:
    """Post nothing more of it."""
    kept, definitions = found_broadcast(session, key), definitions_in(post, session)
    return _act(session, post, key, lambda: acts.stop(session, definitions, kept, now_in(session)))


@router.put("/{key}/pace")
def set_pace(key: str, body: PaceIn, user: SignedIn, post: ThePost, session: Writing) -> BroadcastOut:
    """Letters a minute; none is as fast as the mail server takes them."""
    kept = found_broadcast(session, key)
    return _act(session, post, key, lambda: acts.set_pace(session, kept, body.pace))


@router.post("/{key}/duplicate", status_code=201)
def duplicate(key: str, user: SignedIn, post: ThePost, session: Writing) -> BroadcastKey:
    """A draft like this one."""
    kept, definitions, now = found_broadcast(session, key), definitions_in(post, session), now_in(session)
    name = f"{kept.broadcast.called} (copy)"
    fresh = free_key(name, {x.key for x in broadcasts.every(session)})
    at = new_broadcast(
        fresh, name, kept.broadcast.letters[0], None, calendar.local_date(now, definitions.school.timezone)
    )["at"]
    body = {**as_data(kept.broadcast), "key": fresh, "name": name, "status": "draft", "at": at}
    broadcasts.save(session, read_broadcast(body), now, pace=kept.pace)
    return BroadcastKey(key=fresh)


@router.post("/{key}/again", status_code=201)
def write_again(key: str, user: SignedIn, post: ThePost, session: Writing) -> BroadcastKey:
    """Draft a second letter to those who got the first and have not opened it; once."""
    kept, definitions, now = found_broadcast(session, key), definitions_in(post, session), now_in(session)
    known = broadcasts.every(session)
    before = next((x.key for x in known if x.again_of == key), None)
    if before is not None:
        return BroadcastKey(key=before)
    if kept.status not in ("done", "stopped"):
        raise HTTPException(409, "Wait until it has gone out; then those who have not opened it can be told.")
    if not outcomes.of_everyone(session, key)["not_opened"]:
        raise HTTPException(409, "Everybody who got it has opened it.")
    letter, body = again_to_silent(
        kept.broadcast,
        definitions.letters[kept.broadcast.letters[0]].letter,
        definitions.letters,
        {x.key for x in known},
        calendar.local_date(now, definitions.school.timezone),
    )
    keep_letter(session, definitions, letter, now)
    broadcasts.save(session, read_broadcast(body), now, again_of=key, pace=kept.pace)
    return BroadcastKey(key=str(body["key"]))
