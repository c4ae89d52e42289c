"""The hours in which a broadcast goes round the world."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from patient_courier.core.calendar import calendar
from patient_courier.core.rehearsing.wave import wave
from patient_courier.core.telling import words
from patient_courier.store.students import audiences
from patient_courier.web.context import (
    Reading,
    SignedIn,
    ThePost,
    definitions_in,
    now_in,
)
from patient_courier.web.places.broadcasts.broadcasts import found_broadcast

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])


class CrestOut(BaseModel):
    """When it is the broadcast's time for some students: school time, how many they are, and where."""

    at: str
    students: int
    places: list[str]
    late: bool


class WaveOut(BaseModel):
    start: str
    crests: list[CrestOut]
    late: int
    last: str | None


@router.get("/{key}/wave")
def get_wave(key: str, user: SignedIn, post: ThePost, session: Reading) -> WaveOut:
    """The hours in which the broadcast goes round the world."""
    kept = found_broadcast(session, key)
    definitions, now = definitions_in(post, session), now_in(session)
    zone, broadcast = definitions.school.timezone, kept.broadcast
    zones = audiences.zones(session, definitions, broadcast.to, broadcast.course, now)
    found = wave(broadcast, zones, zone, kept.started or now, kept.pace)
    return WaveOut(
        start=words.moment(found.start, zone),
        crests=[
            CrestOut(
                at=words.moment(crest.at, zone),
                students=crest.students,
                places=[calendar.town(one) for one in crest.zones],
                late=crest.late,
            )
            for crest in found.crests
        ],
        late=found.late,
        last=words.moment(found.last, zone) if found.last else None,
    )
