"""Signing in and out, and the frame round every place: who, which school, what time."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant, PlainDateTime

from patient_courier.core import calendar, words
from patient_courier.core.school.values import moment_text
from patient_courier.dispatch.clock import ClockError, move_clock, read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import waiting_runs
from patient_courier.store.tables import DeliveryRow, ProblemRow, RunRow, StudentRow, UserRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.sign_in import begin_session, check_password, end_session, read_session

router = APIRouter(prefix="/api", tags=["session"])


class SignIn(BaseModel):
    email: str
    password: str


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


@router.get("/session")
def get_session(request: Request, response: Response, post: ThePost) -> SessionOut:
    """Who is signed in. The demo signs its owner in by itself."""
    found = read_session(request, post.secrets["sessions"])
    with post.database.reading() as session:
        user = session.get(UserRow, found.user) if found else None
        if user is None and post.settings.demo:
            user = session.scalars(select(UserRow).where(UserRow.role == "owner")).first()
            if user is not None:
                found = begin_session(response, post.secrets["sessions"], user.id, secure=_secure(post))
        if user is None or found is None:
            raise HTTPException(401, "Please sign in.")
        return _session(session, post, user, found.csrf)


@router.post("/session")
def sign_in(body: SignIn, response: Response, post: ThePost) -> SessionOut:
    with post.database.reading() as session:
        user = check_password(session, body.email, body.password)
        if user is None:
            raise HTTPException(401, "That address and password don't belong together. Try again.")
        found = begin_session(response, post.secrets["sessions"], user.id, secure=_secure(post))
        return _session(session, post, user, found.csrf)


@router.delete("/session", status_code=204)
def sign_out(user: SignedIn, response: Response) -> None:
    end_session(response)


def _secure(post: Post) -> bool:
    return post.settings.address.startswith("https://")


def _session(session: Session, post: Post, user: UserRow, csrf: str) -> SessionOut:
    school = definitions_in(post, session).school
    practice = read_clock(session).practice
    return SessionOut(name=user.name, email=user.email, csrf=csrf, school=school.name, practice=practice)


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
