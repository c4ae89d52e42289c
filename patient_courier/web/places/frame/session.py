"""Signing in and out, and a new password."""

from __future__ import annotations

import asyncio

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.school.users import (
    User,
    begin_session,
    end_session,
    owner,
    set_password,
    user_of_session,
)
from patient_courier.web.context import Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.sign_in import Passwords, clear_cookie, csrf_of, hash_password, set_cookie, token_of

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


@router.get("/session")
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
        return begin(session, post, user, response)


@router.post("/session")
async def sign_in(body: SignIn, request: Request, response: Response, post: ThePost) -> SessionOut:
    user = await _checked(request, body.email, body.password)
    if user is None:
        raise HTTPException(401, "That address and password don't belong together. Try again.")
    return await run_in_threadpool(_sign_in, post, user, response)


async def _checked(request: Request, email: str, password: str) -> User | None:
    """Who has this address and password; waits for its turn among those who try. Raises TooOften."""
    passwords: Passwords = request.scope["served"].passwords
    place = request.client.host if request.client else ""
    passwords.enter()
    loop = asyncio.get_running_loop()
    return await loop.run_in_executor(passwords.worker, passwords.check, email, password, place)


def _sign_in(post: Post, user: User, response: Response) -> SessionOut:
    with post.database.writing() as session:
        return begin(session, post, user, response)


def begin(session: Session, post: Post, user: User, response: Response) -> SessionOut:
    """Sign somebody in: a session of their own, and its cookie."""
    token = begin_session(session, user.id, real_now())
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
    if await _checked(request, user.email, body.current) is None:
        raise HTTPException(422, "The current password is another one. Try again.")
    passwords: Passwords = request.scope["served"].passwords
    try:
        hashed = await asyncio.get_running_loop().run_in_executor(passwords.worker, hash_password, body.new)
    except ValueError as error:
        raise HTTPException(422, str(error)) from error
    return await run_in_threadpool(_set_password, post, user, hashed, response)


def _set_password(post: Post, user: User, hashed: str, response: Response) -> SessionOut:
    with post.database.writing() as session:
        set_password(session, user.id, hashed)
        return begin(session, post, user, response)


def _session(session: Session, post: Post, user: User, token: str) -> SessionOut:
    school = definitions_in(post, session).school
    practice = read_clock(session).practice
    return SessionOut(
        name=user.name, email=user.email, csrf=csrf_of(token), school=school.name, practice=practice
    )
