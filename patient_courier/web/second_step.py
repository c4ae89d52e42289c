"""The second step at signing in, and being asked once more before what can't be taken back or opens the school."""

from __future__ import annotations

from typing import Any

from fastapi import HTTPException, Request
from limits import RateLimitItemPerMinute
from limits.strategies import MovingWindowRateLimiter
from pydantic import BaseModel, Field

from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.school import second_steps
from patient_courier.store.school.users import User
from patient_courier.web import passkeys
from patient_courier.web.challenges import Challenge, Challenges
from patient_courier.web.context import Session
from patient_courier.web.sign_in import TooOften

# Wrong codes of one person. Of the million codes of an app three hold at a time, so this is a chance in years.
WRONG_CODES = RateLimitItemPerMinute(10, 15, "codes")


class SecondStep(BaseModel):
    """The password was right, and more is wanted: a code (of the app, or a recovery code), or a passkey."""

    ticket: str
    code: bool
    passkey: bool


class PasskeyAsked(BaseModel):
    """What the browser is asked with (``options``, as Web Authentication writes it in JSON), and the ticket to answer by."""

    ticket: str
    options: dict[str, Any]


class ShownIn(BaseModel):
    """What somebody shows: a code, or a passkey as the browser gives it; with the ticket they were asked by."""

    ticket: str = Field("", max_length=200)
    code: str = Field("", max_length=60)
    passkey: dict[str, Any] | None = None


def challenges_of(request: Request) -> Challenges:
    found: Challenges = request.scope["served"].challenges
    return found


def step_wanted(request: Request, session: Session, user: User) -> SecondStep | None:
    """What is wanted after the password; None for somebody without a second step."""
    steps = second_steps.steps_of(session, user.id)
    if not steps.any:
        return None
    ticket = challenges_of(request).ask("sign in", user.id)
    return SecondStep(ticket=ticket, code=steps.app or steps.codes > 0, passkey=bool(steps.passkeys))


def code_holds(request: Request, session: Session, user: int, code: str) -> None:
    """Take a code of somebody's. Raises TooOften; 422 when it is not theirs."""
    limits: MovingWindowRateLimiter = request.scope["served"].limits
    if not limits.test(WRONG_CODES, "code", str(user)):
        raise TooOften(900)
    if second_steps.use_code(session, user, code, real_now()):
        return
    limits.hit(WRONG_CODES, "code", str(user))
    raise HTTPException(
        422,
        "This code does not hold. A code of the app works once, while it is shown: wait for the next one and see that "
        "your telephone's clock is right. Each recovery code works once.",
    )


def passkey_holds(
    post: Post, session: Session, asked: Challenge, credential: dict[str, Any], *, alone: bool
) -> int:
    """Whose passkey it is that a browser shows. Raises 422. ``alone``: nothing else was asked for."""
    try:
        key = second_steps.passkey_by_credential(session, passkeys.credential_of(credential))
        if key is None or (asked.user is not None and key.user != asked.user):
            raise passkeys.NotThatKey("This passkey does not open this school. Try another way.")
        uses = passkeys.shown(
            post.settings.address, credential, asked.known, key.public_key, key.uses, alone=alone
        )
    except passkeys.NotThatKey as error:
        raise HTTPException(422, str(error)) from error
    second_steps.note_passkey_used(session, key.id, uses, real_now())
    return key.user
