"""One's own second step: an app that shows codes, passkeys, recovery codes."""

from __future__ import annotations

from typing import Any

import segno
from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel, Field, field_validator

from patient_courier.core.helpers.codes import app_address, fresh_secret, step_shown
from patient_courier.core.school.text import clean_line
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.store.school import second_steps
from patient_courier.web import passkeys
from patient_courier.web.context import Reading, RowId, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.frame.session import tell, where
from patient_courier.web.second_step import PasskeyAsked, challenges_of

router = APIRouter(prefix="/api/session", tags=["session"])
MOST_PASSKEYS = 20
TOO_LATE = "That took too long. Begin once more."


class PasskeyOut(BaseModel):
    id: int
    name: str
    made: str
    used: str | None


class StepsOut(BaseModel):
    """What one has for a second step; ``codes`` recovery codes are left. ``no_passkeys``: why there can be none here."""

    app: bool
    passkeys: list[PasskeyOut]
    codes: int
    no_passkeys: str | None


class AppAsked(BaseModel):
    """A secret for an app that shows codes: to type, and in ``picture`` (SVG, as a data URI) to photograph."""

    ticket: str
    secret: str
    picture: str


class AppIn(BaseModel):
    ticket: str = Field(max_length=200)
    code: str = Field(max_length=60)


class PasskeyIn(BaseModel):
    ticket: str = Field(max_length=200)
    name: str = Field(max_length=100)
    passkey: dict[str, Any]

    @field_validator("name")
    @classmethod
    def _name(cls, value: str) -> str:
        return clean_line(value).strip() or "A passkey"


class RecoveryCodes(BaseModel):
    """Recovery codes, shown this once; none when there were some already."""

    codes: list[str]


@router.get("/steps")
def get_steps(user: SignedIn, post: ThePost, session: Reading) -> StepsOut:
    zone = definitions_in(post, session).school.timezone
    steps = second_steps.steps_of(session, user.id)
    works = passkeys.work_at(post.settings.address)
    return StepsOut(
        app=steps.app,
        passkeys=[
            PasskeyOut(
                id=one.id,
                name=one.name,
                made=words.moment(one.made, zone),
                used=words.moment(one.used, zone) if one.used else None,
            )
            for one in steps.passkeys
        ],
        codes=steps.codes,
        no_passkeys=None if works else f"They work where the school has a name of its own, not at {post.settings.address}.",
    )  # fmt: skip


@router.post("/app")
def begin_app(user: SignedIn, request: Request, post: ThePost, session: Reading) -> AppAsked:
    """A secret for an app. It is kept once a code of it has been given."""
    secret = fresh_secret()
    address = app_address(secret, user.email, definitions_in(post, session).school.name)
    picture = segno.make(address, error="m").svg_data_uri(scale=5, border=3)
    ticket = challenges_of(request).ask("app", user.id, secret.encode())
    return AppAsked(ticket=ticket, secret=secret, picture=picture)


@router.put("/app")
def keep_app(body: AppIn, user: SignedIn, request: Request, post: ThePost, session: Writing) -> RecoveryCodes:
    asked = challenges_of(request).look(body.ticket, "app")
    if asked is None or asked.user != user.id:
        raise HTTPException(403, TOO_LATE)
    secret = asked.known.decode()
    step = step_shown(secret, body.code, real_now())
    if step is None:
        raise HTTPException(
            422,
            "This is not the code that the app shows now. Wait for the next one, and see that your telephone's clock is right.",
        )
    challenges_of(request).take(body.ticket, "app")
    codes = _first_codes(session, user.id)
    second_steps.keep_app(session, user.id, secret, step)
    return RecoveryCodes(codes=codes)


@router.delete("/app", status_code=204)
def forget_app(user: SignedIn, request: Request, post: ThePost, session: Writing) -> None:
    second_steps.forget_app(session, user.id)
    tell(post, user, "The codes of your app are not asked for any more", f"It was with {where(request)}.")


@router.post("/recovery-codes")
def fresh_codes(user: SignedIn, session: Writing) -> RecoveryCodes:
    """Ten fresh recovery codes; those from before end."""
    if not second_steps.steps_of(session, user.id).any:
        raise HTTPException(409, "Set up an app or a passkey first: recovery codes stand in for them.")
    return RecoveryCodes(codes=second_steps.give_recovery_codes(session, user.id))


@router.post("/passkeys/begin")
def begin_passkey(user: SignedIn, request: Request, post: ThePost, session: Reading) -> PasskeyAsked:
    """What the browser is to be asked for, to make a passkey."""
    if not passkeys.work_at(post.settings.address):
        raise HTTPException(422, "Passkeys work where the school has a name of its own.")
    known = [one.credential for one in second_steps.steps_of(session, user.id).passkeys]
    if len(known) >= MOST_PASSKEYS:
        raise HTTPException(409, "You have very many passkeys. Forget one that you don't use first.")
    school = definitions_in(post, session).school.name
    whom = (user.id, user.email, user.name)
    challenge, options = passkeys.to_make(post.settings.address, school, whom, known)
    return PasskeyAsked(ticket=challenges_of(request).ask("passkey", user.id, challenge), options=options)


@router.post("/passkeys", status_code=201)
def keep_passkey(
    body: PasskeyIn, user: SignedIn, request: Request, post: ThePost, session: Writing
) -> RecoveryCodes:
    asked = challenges_of(request).take(body.ticket, "passkey")
    if asked is None or asked.user != user.id:
        raise HTTPException(403, TOO_LATE)
    try:
        credential, key, uses = passkeys.made(post.settings.address, body.passkey, asked.known)
    except passkeys.NotThatKey as error:
        raise HTTPException(422, str(error)) from error
    if second_steps.passkey_by_credential(session, credential) is not None:
        raise HTTPException(409, "This passkey is known here already.")
    codes = _first_codes(session, user.id)
    second_steps.keep_passkey(session, user.id, credential, key, uses, body.name, real_now())
    return RecoveryCodes(codes=codes)


@router.delete("/passkeys/{id}", status_code=204)
def forget_passkey(id: RowId, user: SignedIn, request: Request, post: ThePost, session: Writing) -> None:
    if not second_steps.forget_passkey(session, user.id, id):
        raise HTTPException(404, "That passkey has been forgotten already.")
    tell(post, user, "A passkey of yours was forgotten", f"It was with {where(request)}.")


def _first_codes(session: Session, user: int) -> list[str]:
    """Recovery codes with the first second step, so that a lost telephone locks nobody out."""
    return [] if second_steps.steps_of(session, user).any else second_steps.give_recovery_codes(session, user)
