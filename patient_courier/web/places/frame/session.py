"""Signing in and out, and a new password."""

from __future__ import annotations

import asyncio
from html import escape
from threading import Thread

import structlog
from fastapi import APIRouter, HTTPException, Request, Response
from limits import RateLimitItemPerMinute
from limits.strategies import MovingWindowRateLimiter
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool
from whenever import Instant

from patient_courier.core.helpers.places import browser_words, network_of
from patient_courier.core.helpers.rights import RIGHTS, Right, may
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.school.second_steps import proved_at
from patient_courier.store.school.users import (
    User,
    begin_session,
    end_session,
    end_session_of,
    id_of,
    is_new_place,
    owner,
    sessions_of,
    set_password,
    user_of_session,
)
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.public.own_letters import own_letter, post_own
from patient_courier.web.second_step import SecondStep, step_wanted
from patient_courier.web.sign_in import (
    Passwords,
    TooOften,
    clear_cookie,
    csrf_of,
    hash_password,
    set_cookie,
    token_of,
)
from patient_courier.web.written import changing

log = structlog.get_logger()
router = APIRouter(prefix="/api", tags=["session"])
# What somebody who is not signed in may ask for, from one network.
BY_STRANGERS = RateLimitItemPerMinute(10, 15, "strangers")


class SignIn(BaseModel):
    email: str = Field(max_length=320)
    password: str = Field(max_length=1000)


class NewPassword(BaseModel):
    current: str = Field(max_length=1000)
    new: str = Field(max_length=1000)


class SessionOut(BaseModel):
    """The person who is signed in (``by_itself``: as the demo does it), whether this is a practice copy, what their role may; ``csrf`` goes into the X-CSRF-Token header of every change."""

    name: str
    email: str
    csrf: str
    school: str
    practice: bool
    by_itself: bool
    copy_of_school: bool
    role: str
    rights: list[Right]


@router.get("/session")
def get_session(request: Request, response: Response, post: ThePost) -> SessionOut:
    """Who is signed in. The demo signs its owner in by itself."""
    token, served = token_of(request), request.scope["served"]
    with served.people.reading() as people:
        user = user_of_session(people, token, real_now()) if token else None
    if user is not None and token is not None:
        with post.database.reading() as session:
            return _session(session, post, user, token, copy=served.real is not None)
    if not post.settings.demo:
        raise HTTPException(401, "Please sign in.")
    with post.database.writing() as session:
        user = owner(session)
        if user is None:
            raise HTTPException(401, "Please sign in.")
        return begin(session, post, user, request, response)


@router.post("/session")
async def sign_in(
    body: SignIn, request: Request, response: Response, post: ThePost
) -> SessionOut | SecondStep:
    """Sign in with a password; for whoever has a second step, that is asked for next."""
    user = await checked(request, body.email, body.password)
    if user is None:
        raise HTTPException(401, "That address and password don't belong together. Try again.")
    return await run_in_threadpool(_sign_in, post, user, request, response)


async def checked(request: Request, email: str, password: str) -> User | None:
    """Who has this address and password; waits for its turn among those who try. Raises TooOften."""
    passwords: Passwords = request.scope["served"].passwords
    place = place_of(request)
    passwords.enter()
    loop = asyncio.get_running_loop()
    return await loop.run_in_executor(passwords.worker, passwords.check, email, password, place)


def _sign_in(post: Post, user: User, request: Request, response: Response) -> SessionOut | SecondStep:
    with post.database.reading() as session:
        wanted = step_wanted(request, session, user)
    return wanted or let_in(post, user, request, response)


def let_in(post: Post, user: User, request: Request, response: Response) -> SessionOut:
    """Sign somebody in who has shown all that is asked for; from a place they never were before, they are told."""
    with post.database.writing() as session:
        elsewhere = is_new_place(session, user.id, network_of(place_of(request)))
        signed_in = begin(session, post, user, request, response)
    if elsewhere:
        told = f"It was with {where(request)}, where you never signed in before."
        tell(post, user, "Somebody signed in as you", told)
    return signed_in


def where(request: Request) -> str:
    """The browser and the address, in words."""
    return f"{program_of(request) or 'a browser'}, from the address {place_of(request)}"


def tell(post: Post, user: User, subject: str, said: str) -> None:
    """Tell somebody by letter what was done in their name, while the answer goes out."""
    Thread(target=_tell, args=(post, user, subject, said), name="telling", daemon=True).start()


def _tell(post: Post, user: User, subject: str, said: str) -> None:
    what_to_do = "If it was you, there is nothing to do. If not, change your password at once: that ends every session."
    blocks = [{"kind": "text", "html": f"<p>{escape(part)}</p>"} for part in (said, what_to_do)]
    try:
        with post.database.reading() as session:
            post_own(post, session, own_letter(subject, blocks), user.email)
    except Exception:
        log.exception("what was done in somebody's name could not be told")


def begin(session: Session, post: Post, user: User, request: Request, response: Response) -> SessionOut:
    """Sign somebody in who has just shown that it is them: a session of their own, and its cookie."""
    return _begin(session, post, user, request, response, real_now())


def _begin(
    session: Session, post: Post, user: User, request: Request, response: Response, proved: Instant | None
) -> SessionOut:
    token = begin_session(session, user.id, real_now(), place_of(request), program_of(request), proved=proved)
    set_cookie(response, token, secure=post.settings.address.startswith("https://"))
    return _session(session, post, user, token)


@router.delete("/session", status_code=204)
def sign_out(user: SignedIn, request: Request, response: Response, session: Writing) -> None:
    """End this session: its cookie is worth nothing afterwards."""
    end_session(session, token_of(request) or "")
    clear_cookie(response)


@router.put("/session/password")
async def change_password(
    body: NewPassword, user: SignedIn, request: Request, response: Response, post: ThePost
) -> SessionOut:
    """A new password for oneself. Every session of this person ends, and a new one begins here."""
    if await checked(request, user.email, body.current) is None:
        raise HTTPException(422, "The current password is another one. Try again.")
    hashed = await hashed_password(request, body.new)
    return await run_in_threadpool(_set_password, post, user, hashed, request, response)


async def hashed_password(request: Request, password: str) -> str:
    """The hash of a new password, made in its turn. 422 for one that is too short."""
    passwords: Passwords = request.scope["served"].passwords
    try:
        return await asyncio.get_running_loop().run_in_executor(passwords.worker, hash_password, password)
    except ValueError as error:
        raise HTTPException(422, str(error)) from error


def _set_password(post: Post, user: User, hashed: str, request: Request, response: Response) -> SessionOut:
    with changing(post, user.name) as session:
        # The password alone is no proof where there is a second step: what this session had shown goes along, no more.
        proved = proved_at(session, token_of(request) or "")
        set_password(session, user.id, hashed)
        return _begin(session, post, user, request, response, proved)


class OwnSession(BaseModel):
    """A session of oneself: when it began and was last used, from which address, with which browser by its own word."""

    id: str
    began: str
    seen: str | None
    place: str
    program: str
    this: bool


@router.get("/session/all")
def own_sessions(user: SignedIn, request: Request, post: ThePost, session: Reading) -> list[OwnSession]:
    """Where one is signed in, the newest first."""
    zone, here = definitions_in(post, session).school.timezone, id_of(token_of(request) or "")
    return [
        OwnSession(
            id=one.id,
            began=words.moment(one.began, zone),
            seen=words.moment(one.seen, zone) if one.seen else None,
            place=one.place,
            program=one.program,
            this=one.id == here,
        )
        for one in sessions_of(session, user.id)
    ]


@router.delete("/session/all/{id}", status_code=204)
def end_own_session(id: str, user: SignedIn, session: Writing) -> None:
    """Sign out somewhere else."""
    if not end_session_of(session, user.id, id):
        raise HTTPException(404, "That session has ended already.")


def place_of(request: Request) -> str:
    """The address a request comes from."""
    return request.client.host if request.client else ""


def program_of(request: Request) -> str:
    """The browser and the system, by their own word."""
    return browser_words(request.headers.get("user-agent", ""))


def hit(request: Request, limits: MovingWindowRateLimiter, what: str) -> None:
    """Count what strangers may do, by place. Raises TooOften."""
    if not limits.hit(BY_STRANGERS, what, network_of(place_of(request))):
        raise TooOften(900)


def _session(session: Session, post: Post, user: User, token: str, *, copy: bool = False) -> SessionOut:
    school = definitions_in(post, session).school
    practice = read_clock(session).practice
    return SessionOut(
        name=user.name,
        email=user.email,
        csrf=csrf_of(token),
        school=school.name,
        practice=practice,
        by_itself=post.settings.demo,
        copy_of_school=copy,
        role=user.role,
        rights=[right for right in RIGHTS if may(user.role, right)],
    )
