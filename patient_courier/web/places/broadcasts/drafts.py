"""Broadcasts as they are written: begun, saved, thrown away."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, Field

from patient_courier.core.calendar import calendar
from patient_courier.core.drafting.broadcast import new_broadcast, new_letter
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import broadcast_faults
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.text import Line
from patient_courier.store.broadcasts import broadcasts
from patient_courier.web.context import SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.editions import BegunFrom, say
from patient_courier.web.places.broadcasts.broadcasts import (
    BroadcastOut,
    Pace,
    broadcast_out,
    copied_audience,
    edition_of,
    found_broadcast,
    origin_of,
    read_broadcast,
)
from patient_courier.web.saved_letters import keep_letter

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])


class NewBroadcast(BaseModel):
    """A draft to begin; without a letter an empty one is begun with it. ``audience``: with a copy of its conditions."""

    name: Line = Field(min_length=1, max_length=200)
    letter: str | None = None
    to: dict[str, Any] | None = None
    audience: str | None = None


class BroadcastKey(BaseModel):
    key: str


class DraftIn(BaseModel):
    """``audience`` is the one whose conditions have just been copied."""

    body: dict[str, Any]
    pace: Pace = None
    audience: str | None = None


@router.post("", status_code=201)
def begin(body: NewBroadcast, user: SignedIn, post: ThePost, session: Writing) -> BroadcastKey:
    """Begin a draft, to everyone, for nine o'clock tomorrow."""
    definitions, now = definitions_in(post, session), now_in(session)
    key = free_key(body.name, {kept.key for kept in broadcasts.every(session)})
    letter = body.letter
    if letter is None:
        fresh = new_letter(body.name, definitions.letters)
        keep_letter(session, definitions, fresh, now)
        letter = fresh.key
    elif letter not in definitions.letters:
        raise HTTPException(422, "There is no such letter.")
    to, copied = body.to, copied_audience(session, body.audience)
    if copied is not None:
        to = copied.condition.model_dump(mode="json", by_alias=True, exclude_unset=True)
    draft = new_broadcast(key, body.name, letter, to, calendar.local_date(now, definitions.school.timezone))
    broadcasts.save(session, read_broadcast(draft), now, **origin_of(copied))
    return BroadcastKey(key=key)


@router.put("/{key}")
def save_draft(
    key: str,
    body: DraftIn,
    user: SignedIn,
    post: ThePost,
    session: Writing,
    begun: BegunFrom,
    response: Response,
) -> BroadcastOut:
    """Save a draft as it is written. 409 when it is no draft any more."""
    kept = found_broadcast(session, key)
    if kept.status != "draft":
        raise HTTPException(
            409, "This broadcast is no draft any more. Reload the page to see where it stands."
        )
    begun.check(edition_of(kept))
    definitions = definitions_in(post, session)
    broadcast = read_broadcast({**body.body, "key": key, "status": "draft"})
    faults = list(broadcast_faults("", broadcast, Known.of_definitions(definitions)))
    if faults:
        raise HTTPException(422, f"{faults[0].pointer}: {faults[0].sentence}")
    origin = origin_of(copied_audience(session, body.audience))
    broadcasts.save(session, broadcast, now_in(session), pace=body.pace, **origin)
    out = broadcast_out(session, definitions, found_broadcast(session, key))
    say(response, out.edition)
    return out


@router.delete("/{key}", status_code=204)
def throw_away(key: str, user: SignedIn, session: Writing) -> None:
    """Throw a draft away; its letter stays in the library."""
    if found_broadcast(session, key).status != "draft":
        raise HTTPException(409, "Only a draft can be thrown away. What was posted stays on record.")
    broadcasts.remove(session, key)
