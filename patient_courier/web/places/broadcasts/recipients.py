"""Who a broadcast goes to: the list with its ticks, what will become of each letter, and the wave."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.broadcasting import start_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.outlook import Fate
from patient_courier.core.rehearsing.slip import why
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.telling import words
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import audiences
from patient_courier.store.students.people import Person
from patient_courier.web.context import (
    PageNumber,
    Reading,
    Search,
    SignedIn,
    TheBoard,
    ThePost,
    definitions_in,
    now_in,
)
from patient_courier.web.places.broadcasts.broadcasts import found_broadcast
from patient_courier.web.places.broadcasts.outlook import LOOKS, detail_of

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])
JobNumber = Annotated[int, Query(ge=0, le=2**31)]


class RecipientOut(BaseModel):
    """One of those whom the broadcast is for. ``fate`` is what will become of the letter, ``when`` their own time."""

    key: str
    name: str
    email: str
    ticked: bool
    when: str
    place: str
    last_seen: str | None
    fate: Literal["sent", "not", "later", "mend", "waits"] | None
    why: str


class RecipientPage(BaseModel):
    total: int
    unticked: int
    items: list[RecipientOut]


@router.get("/{key}/recipients")
def recipients(
    key: str,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    board: TheBoard,
    q: Search = "",
    only: Literal["", "unticked"] = "",
    page: PageNumber = 1,
    outlook: JobNumber = 0,
) -> RecipientPage:
    """Those who fit now, in the order of the school, with what the look ahead of that number found for each."""
    kept = found_broadcast(session, key)
    definitions, now = definitions_in(post, session), now_in(session)
    broadcast = kept.broadcast
    total, found = audiences.members(
        session,
        definitions,
        broadcast.to,
        broadcast.course,
        now,
        board.one(audiences.Paging),
        words=q,
        page=page,
        without=broadcast.without if only else None,
    )
    job = board.of(LOOKS).find(outlook)
    fates = job.result[0].fates if job and job.about == key and job.result else {}
    states = load_states(session, [one.id for one in found], definitions)
    unticked = set(broadcast.without)
    items = [
        _recipient(
            definitions,
            broadcast,
            one,
            states[one.id].facts.seen,
            fates.get(one.key),
            ticked=one.key not in unticked,
        )
        for one in found
    ]
    return RecipientPage(total=total, unticked=len(unticked), items=items)


def _recipient(
    definitions: Definitions,
    broadcast: Broadcast,
    one: Person,
    seen: Instant | None,
    fate: Fate | None,
    *,
    ticked: bool,
) -> RecipientOut:
    school = definitions.school.timezone
    zone = definitions.school.zone_of(one.timezone)
    at = start_of(broadcast, school) if broadcast.zone == "school" else calendar.resolve(broadcast.at, zone)
    kinds = {"skipped": "not", "stuck": "mend", "held": "waits"}
    kind = None
    said = ""
    if fate is not None and ticked:
        kind = kinds.get(fate.status, "later" if fate.holds else "sent")
        reason = fate.reason or (fate.holds[-1] if fate.holds else None)
        said = detail_of(fate, zone) or (why(reason, 1) if reason else "")
    return RecipientOut(
        key=one.key,
        name=one.name,
        email=one.email,
        ticked=ticked,
        when=words.moment(at, zone),
        place=calendar.town(zone),
        last_seen=words.day(calendar.local_date(seen, zone)) if seen else None,
        fate=kind,
        why=said,
    )
