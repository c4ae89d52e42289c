"""Signing in with a code or a passkey, and showing once more that it is oneself."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.school import second_steps
from patient_courier.store.school.users import User, user_by_id
from patient_courier.web import passkeys
from patient_courier.web.context import Limits, Reading, Session, SignedIn, ThePost
from patient_courier.web.places.frame.session import SessionOut, checked, hit, let_in
from patient_courier.web.second_step import (
    PasskeyAsked,
    ShownIn,
    challenges_of,
    code_holds,
    passkey_holds,
)
from patient_courier.web.sign_in import LONGEST, token_of

router = APIRouter(prefix="/api/session", tags=["session"])
AGAIN = "That took too long, or was done already. Sign in once more."


class TicketIn(BaseModel):
    """The ticket of the password's answer; empty to sign in with a passkey and nothing else."""

    ticket: str = Field("", max_length=200)


class ProofWanted(BaseModel):
    """How somebody can show once more that it is them; the password, for whoever has no second step."""

    password: bool
    code: bool
    passkey: bool


class ShownAgain(ShownIn):
    password: str = Field("", max_length=LONGEST)


@router.post("/passkey")
def ask_for_passkey(body: TicketIn, request: Request, post: ThePost, limits: Limits) -> PasskeyAsked:
    """What the browser is to be asked for at signing in."""
    hit(request, limits, "passkey")
    if not passkeys.work_at(post.settings.address):
        raise HTTPException(
            422, "Passkeys work where the school has a name of its own. Sign in with your password."
        )
    user, known = None, []
    if body.ticket:
        waiting = challenges_of(request).look(body.ticket, "sign in")
        if waiting is None or waiting.user is None:
            raise HTTPException(403, AGAIN)
        user = waiting.user
        with post.database.reading() as session:
            known = [one.credential for one in second_steps.steps_of(session, user).passkeys]
    challenge, options = passkeys.to_show(post.settings.address, known, alone=user is None)
    return PasskeyAsked(ticket=challenges_of(request).ask("sign in", user, challenge), options=options)


@router.post("/second")
def second_step(body: ShownIn, request: Request, response: Response, post: ThePost) -> SessionOut:
    """Sign in with what was asked for after the password, or with a passkey alone."""
    asked = challenges_of(request).look(body.ticket, "sign in")
    if asked is None:
        raise HTTPException(403, AGAIN)
    with post.database.writing() as session:
        if body.passkey is not None and asked.known:
            _once(request, body)
            user = passkey_holds(post, session, asked, body.passkey, alone=asked.user is None)
        elif asked.user is not None:
            code_holds(request, session, asked.user, body.code)
            _once(request, body)
            user = asked.user
        else:
            raise HTTPException(422, "Show your passkey, or sign in with your password.")
        found = user_by_id(session, user)
        if found is None:
            raise HTTPException(403, AGAIN)
    return let_in(post, found, request, response)


def _once(request: Request, body: ShownIn) -> None:
    """A ticket that is answered has done its work, whatever the answer was."""
    if challenges_of(request).take(body.ticket, "sign in") is None:
        raise HTTPException(403, AGAIN)


@router.get("/proof")
def how_to_prove(user: SignedIn, session: Reading) -> ProofWanted:
    steps = second_steps.steps_of(session, user.id)
    return ProofWanted(
        password=not steps.any, code=steps.any and (steps.app or steps.codes > 0), passkey=bool(steps.passkeys)
    )  # fmt: skip


@router.post("/proof/passkey")
def ask_for_passkey_again(user: SignedIn, request: Request, post: ThePost, session: Reading) -> PasskeyAsked:
    known = [one.credential for one in second_steps.steps_of(session, user.id).passkeys]
    challenge, options = passkeys.to_show(post.settings.address, known, alone=False)
    return PasskeyAsked(ticket=challenges_of(request).ask("prove", user.id, challenge), options=options)


@router.post("/proof", status_code=204)
async def prove(body: ShownAgain, user: SignedIn, request: Request, post: ThePost) -> None:
    """Show once more that it is oneself; this session is believed for a quarter of an hour then."""
    with_steps = await run_in_threadpool(_has_steps, post, user)
    if not with_steps and await checked(request, user.email, body.password) is None:
        raise HTTPException(422, "That is not your password. Try again.")
    await run_in_threadpool(_prove, body, user, request, post, with_steps=with_steps)


def _has_steps(post: Post, user: User) -> bool:
    with post.database.reading() as session:
        return second_steps.steps_of(session, user.id).any


def _prove(body: ShownAgain, user: User, request: Request, post: Post, *, with_steps: bool) -> None:
    with post.database.writing() as session:
        if with_steps:
            _holds(body, user, request, post, session)
        second_steps.note_proved(session, token_of(request) or "", real_now())


def _holds(body: ShownAgain, user: User, request: Request, post: Post, session: Session) -> None:
    if body.passkey is None:
        code_holds(request, session, user.id, body.code)
        return
    asked = challenges_of(request).take(body.ticket, "prove")
    if asked is None or asked.user != user.id:
        raise HTTPException(403, "That took too long. Try once more.")
    passkey_holds(post, session, asked, body.passkey, alone=False)


@router.get("/proved", status_code=204)
def is_proved(user: SignedIn) -> None:
    """Asked before something is downloaded by a link: like all that wants a proof, refused without a fresh one."""
