"""A forgotten password: a link by mail that works once, for an hour. The answer tells a stranger nothing."""

from __future__ import annotations

from threading import Thread

import structlog
from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.school.users import set_password, user_by_email, user_by_id
from patient_courier.web.context import Limits, ThePost
from patient_courier.web.places.frame.session import SessionOut, begin, hashed_password, hit
from patient_courier.web.public.own_letters import own_letter, post_own
from patient_courier.web.second_step import SecondStep, step_wanted
from patient_courier.web.sign_in import LONGEST
from patient_courier.web.written import write_down

log = structlog.get_logger()
router = APIRouter(prefix="/api/session", tags=["session"])


class ForgottenIn(BaseModel):
    email: str = Field(max_length=320)


class ForgottenOut(BaseModel):
    """The same whoever asks."""

    said: str


class FreshPassword(BaseModel):
    key: str = Field(max_length=2000)
    password: str = Field(max_length=LONGEST)


@router.post("/forgotten", status_code=202)
def forgotten(body: ForgottenIn, request: Request, post: ThePost, limits: Limits) -> ForgottenOut:
    """Post a link to this address if somebody signs in with it. Whether anybody does is not told, nor by how long it takes."""
    hit(request, limits, "forgotten")
    Thread(target=_post_link, args=(post, body.email), name="forgotten", daemon=True).start()
    return ForgottenOut(
        said="If somebody signs in here with that address, a letter with a link is on its way. It works for an hour."
    )


def _post_link(post: Post, email: str) -> None:
    try:
        with post.database.reading() as session:
            user = user_by_email(session, email)
            if user is None:
                return
            link = post.signer.password_address(user.id, user.password)
            letter = own_letter(
                "A new password",
                [
                    {
                        "kind": "text",
                        "html": "<p>You, or somebody else, asked for a new password. If it was not you, do nothing.</p>",
                    },
                    {"kind": "button", "label": "Choose a new password", "url": link},
                    {"kind": "text", "html": "<p>The link works once, for an hour.</p>"},
                ],
            )
            if not post_own(post, session, letter, user.email):
                log.warning("the letter with a link for a new password was not taken")
    except Exception:
        log.exception("a link for a new password could not be posted")


@router.post("/new-password")
async def new_password(
    body: FreshPassword, request: Request, response: Response, post: ThePost, limits: Limits
) -> SessionOut | SecondStep:
    """A new password by such a link. Every session of that person ends, and a new one begins here, after their second
    step."""
    hit(request, limits, "forgotten")
    hashed = await hashed_password(request, body.password)
    return await run_in_threadpool(_set, body.key, hashed, request, response, post)


def _set(key: str, hashed: str, request: Request, response: Response, post: Post) -> SessionOut | SecondStep:
    with post.database.watching() as session:
        id = post.signer.password_user(key)
        user = user_by_id(session, id) if id is not None else None
        # Signed over the password of then: once it has been changed, the link has done its work.
        if user is None or not post.signer.password_holds(key, user.password):
            raise HTTPException(403, "This link does not work any more. Ask for a new one where you sign in.")
        set_password(session, user.id, hashed)
        write_down(session, user.name)
        wanted = step_wanted(request, session, user)
        return wanted or begin(session, post, user, request, response)
