"""The frame round every place: the school's time, and what waits; and moving a practice clock."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.school.values import LAST_YEAR, moment_text
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import ClockError, move_clock, read_clock, read_target
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.needing import waiting_for_owner
from patient_courier.dispatch.taking import next_post
from patient_courier.store.students import people
from patient_courier.store.upkeep import progress
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api", tags=["session"])


class ClockOut(BaseModel):
    """The school's time. ``local`` is ``Tue 3 Mar, 10:04`` in the school's zone, ``wall`` the same as YYYY-MM-DDTHH:MM."""

    now: str
    local: str
    wall: str
    year: int
    zone: str
    place: str
    practice: bool
    moving: bool
    next_post: str | None
    next_post_count: int


class FrameOut(BaseModel):
    """Numbers for the menu, the clock, what keeps the school from being written, and from posting since it came back.

    ``version`` is another text when anything that a place shows may have changed: something was written, or a day of the
    school has begun. Time that only passes is no change."""

    version: str
    clock: ClockOut
    needs_you: int
    students: int
    trouble: str | None
    coming_back: str | None


class MoveClock(BaseModel):
    """Where to move a practice clock: to the next letter, by an hour, by a day, or ``until`` a moment.

    ``until`` is RFC 3339 with an offset or Z, or a local date and time of the school without one."""

    to: Literal["next_letter", "hour", "day", "until"]
    until: str | None = Field(None, max_length=40)


@router.get("/frame")
def frame(user: SignedIn, post: ThePost, session: Reading) -> FrameOut:
    # Asked before anything is read, so that what is written meanwhile is asked for again.
    version = post.database.version()
    trouble = post.database.trouble
    clock = _clock(session, post)
    return FrameOut(
        version=f"{version} {clock.wall[:10]}",
        clock=clock,
        needs_you=waiting_for_owner(session, definitions_in(post, session), read_clock(session).now)
        + (post.outbox.trouble is not None or post.servers.by_second())
        + (trouble is not None),
        students=people.number(session),
        trouble=trouble.sentence if trouble else None,
        coming_back=_coming_back(session, definitions_in(post, session).school.timezone),
    )


def _coming_back(session: Session, zone: str) -> str | None:
    found = progress.coming_back(session)
    if found is None:
        return None
    return f"The school has come back from a copy of {words.moment(found.since, zone)}. Nothing is posted until you have looked."


@router.post("/clock")
def post_clock(body: MoveClock, user: SignedIn, post: ThePost, session: Writing) -> ClockOut:
    """Send the practice clock on its way; ask /api/frame until it is no longer moving."""
    try:
        move_clock(session, _target(body, session, post))
    except (ClockError, ValueError) as error:
        raise HTTPException(409, str(error)) from error
    session.flush()
    return _clock(session, post)


def _target(body: MoveClock, session: Session, post: Post) -> Instant:
    clock = read_clock(session)
    zone = definitions_in(post, session).school.timezone
    match body.to:
        case "hour":
            return clock.horizon.add(hours=1)
        case "day":
            wall = calendar.local(clock.horizon, zone)
            return calendar.resolve(wall.date().add(days=1).at(wall.time()), zone)
        case "next_letter":
            due, _ = next_post(session, definitions_in(post, session))
            if due is None:
                raise ClockError(
                    "Nothing is waiting to be posted. Buy something in the practice classroom first."
                )
            return max(due, clock.horizon)
        case "until":
            pass
    try:
        return read_target(body.until or "", zone)
    except ValueError as error:
        raise ClockError(
            f"Choose a date and a time to move the clock to, before the year {LAST_YEAR + 1}."
        ) from error


def _clock(session: Session, post: Post) -> ClockOut:
    clock = read_clock(session)
    zone = definitions_in(post, session).school.timezone
    wall = calendar.local(clock.now, zone)
    due, count = next_post(session, definitions_in(post, session))
    return ClockOut(
        now=moment_text(clock.now),
        local=words.moment(clock.now, zone),
        wall=wall.to_plain().format_iso()[:16],
        year=wall.year,
        zone=zone,
        place=calendar.town(zone),
        practice=clock.practice,
        # Arrived means posted: what fell due on the way is out, not only decided.
        moving=clock.moving_to is not None or (clock.practice and post.outbox.waiting()),
        next_post=words.moment(due, zone) if due else None,
        next_post_count=count,
    )
