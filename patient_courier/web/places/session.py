"""Signing in and out, and the frame round every place: who, which school, what time."""

from __future__ import annotations

import asyncio
from typing import Literal

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool
from whenever import Instant, PlainDateTime

from patient_courier.core import calendar, words
from patient_courier.core.school.values import moment_text
from patient_courier.dispatch.clock import ClockError, move_clock, read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import waiting_runs
from patient_courier.store.tables import DeliveryRow, ProblemRow, RunRow, StudentRow
from patient_courier.store.users import User, begin_session, end_session, owner, set_password, user_of_session
from patient_courier.web.answers import SAID_401, Said
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.sign_in import (
    Passwords,
    clear_cookie,
    csrf_of,
    hash_password,
    set_cookie,
    token_of,
)

router = APIRouter(prefix="/api", tags=["session"])


class SignIn(BaseModel):
    email: str = Field(max_length=320)
    password: str = Field(max_length=1000)


class NewPassword(BaseModel):
    current: str = Field(max_length=1000)
    new: str = Field(max_length=1000)


class SessionOut(BaseModel):
    """The person who is signed in; ``csrf`` goes into the X-CSRF-Token header of every change."""

    name: str
    email: str
    csrf: str
    school: str
    practice: bool


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
    """Numbers for the menu, and the clock."""

    clock: ClockOut
    needs_you: int
    students: int


class MoveClock(BaseModel):
    """Where to move a practice clock: to the next letter, by an hour, by a day, or ``until`` a local date and time."""

    to: Literal["next_letter", "hour", "day", "until"]
    until: str | None = None


@router.get("/session", responses=SAID_401)
def get_session(request: Request, response: Response, post: ThePost) -> SessionOut:
    """Who is signed in. The demo signs its owner in by itself."""
    token = token_of(request)
    with post.database.reading() as session:
        user = user_of_session(session, token, real_now()) if token else None
        if user is not None and token is not None:
            return _session(session, post, user, token)
    if not post.settings.demo:
        raise HTTPException(401, "Please sign in.")
    with post.database.writing() as session:
        user = owner(session)
        if user is None:
            raise HTTPException(401, "Please sign in.")
        return _begin(session, post, user, response)


@router.post("/session", responses=SAID_401 | {429: {"model": Said}})
async def sign_in(body: SignIn, request: Request, response: Response, post: ThePost) -> SessionOut:
    passwords: Passwords = request.app.state.passwords
    place = request.client.host if request.client else ""
    passwords.enter()
    loop = asyncio.get_running_loop()
    user = await loop.run_in_executor(passwords.worker, passwords.check, body.email, body.password, place)
    if user is None:
        raise HTTPException(401, "That address and password don't belong together. Try again.")
    return await run_in_threadpool(_sign_in, post, user, response)


def _sign_in(post: Post, user: User, response: Response) -> SessionOut:
    with post.database.writing() as session:
        return _begin(session, post, user, response)


def _begin(session: Session, post: Post, user: User, response: Response) -> SessionOut:
    token = begin_session(session, user.id, real_now())
    set_cookie(response, token, secure=post.settings.address.startswith("https://"))
    return _session(session, post, user, token)


@router.delete("/session", status_code=204)
def sign_out(user: SignedIn, request: Request, response: Response, session: Writing) -> None:
    """End this session: its cookie is worth nothing afterwards."""
    end_session(session, token_of(request) or "")
    clear_cookie(response)


@router.put("/session/password", responses={401: {"model": Said}, 422: {"model": Said}, 429: {"model": Said}})
async def change_password(
    body: NewPassword, user: SignedIn, request: Request, response: Response, post: ThePost
) -> SessionOut:
    """A new password for oneself. Every session of this person ends, and a new one begins here."""
    passwords: Passwords = request.app.state.passwords
    place = request.client.host if request.client else ""
    passwords.enter()
    loop = asyncio.get_running_loop()
    found = await loop.run_in_executor(passwords.worker, passwords.check, user.email, body.current, place)
    if found is None:
        raise HTTPException(422, "The current password is another one. Try again.")
    try:
        hashed = await loop.run_in_executor(passwords.worker, hash_password, body.new)
    except ValueError as error:
        raise HTTPException(422, str(error)) from error
    return await run_in_threadpool(_set_password, post, user, hashed, response)


def _set_password(post: Post, user: User, hashed: str, response: Response) -> SessionOut:
    with post.database.writing() as session:
        set_password(session, user.id, hashed)
        return _begin(session, post, user, response)


def _session(session: Session, post: Post, user: User, token: str) -> SessionOut:
    school = definitions_in(post, session).school
    practice = read_clock(session).practice
    return SessionOut(
        name=user.name, email=user.email, csrf=csrf_of(token), school=school.name, practice=practice
    )


@router.get("/frame")
def frame(user: SignedIn, post: ThePost, session: Reading) -> FrameOut:
    return FrameOut(
        clock=_clock(session, post),
        needs_you=count_needs_you(session),
        students=session.scalar(select(func.count(StudentRow.id))) or 0,
    )


def count_needs_you(session: Session) -> int:
    """How many things wait for the owner."""
    stuck = select(func.count(DeliveryRow.id)).where(
        DeliveryRow.status.in_(("stuck", "unsure")), DeliveryRow.seen.is_(False)
    )
    problems = select(func.count(ProblemRow.id)).where(ProblemRow.done.is_(False))
    return (session.scalar(stuck) or 0) + (session.scalar(problems) or 0)


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
            due, _ = _next_post(session, clock.horizon)
            if due is None:
                raise ClockError(
                    "Nothing is waiting to be posted. Buy something in the practice classroom first."
                )
            return max(due, clock.horizon)
    try:
        return calendar.resolve(PlainDateTime.parse_iso(body.until or ""), zone)
    except ValueError as error:
        raise ClockError("Choose a date and a time to move the clock to.") from error


def _next_post(session: Session, now: Instant) -> tuple[Instant | None, int]:
    """When a run goes on next, and how many do at that moment. A moment that has passed counts as now."""
    waiting = waiting_runs()
    due = session.scalar(select(RunRow.due).where(*waiting).order_by(RunRow.due).limit(1))
    if due is None:
        return None, 0
    return due, session.scalar(select(func.count(RunRow.number)).where(*waiting, RunRow.due == due)) or 0


def _clock(session: Session, post: Post) -> ClockOut:
    clock = read_clock(session)
    zone = definitions_in(post, session).school.timezone
    wall = calendar.local(clock.now, zone)
    due, count = _next_post(session, clock.now)
    return ClockOut(
        now=moment_text(clock.now),
        local=words.moment(clock.now, zone),
        wall=wall.to_plain().format_iso()[:16],
        year=wall.year,
        zone=zone,
        place=zone.rpartition("/")[2].replace("_", " "),
        practice=clock.practice,
        moving=clock.moving_to is not None,
        next_post=words.moment(due, zone) if due else None,
        next_post_count=count,
    )
