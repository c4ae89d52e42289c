"""Helpers: who may sign in and in which role, invitations that work once, and letting somebody go."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter, HTTPException, Request, Response
from pydantic import BaseModel, Field, field_validator
from starlette.concurrency import run_in_threadpool

from patient_courier.core.helpers.rights import Role
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.text import clean_line
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.school import second_steps, users
from patient_courier.store.school.users import Invitation, User
from patient_courier.web.context import (
    Limits,
    Reading,
    RowId,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
)
from patient_courier.web.places.frame.session import SessionOut, begin, hashed_password, hit, tell
from patient_courier.web.public.own_letters import own_letter, post_own
from patient_courier.web.sign_in import LONGEST
from patient_courier.web.written import changing

router = APIRouter(prefix="/api", tags=["session"])


class HelperOut(BaseModel):
    id: int
    name: str
    email: str
    role: str
    you: bool
    second_step: bool


class InvitationOut(BaseModel):
    id: int
    email: str
    role: str
    made: str


class HelpersOut(BaseModel):
    helpers: list[HelperOut]
    invitations: list[InvitationOut]


class InviteIn(BaseModel):
    email: str = Field(max_length=320)
    role: Role

    @field_validator("email")
    @classmethod
    def _email(cls, value: str) -> str:
        return check_email(value.strip())


class Invited(BaseModel):
    """The link, shown this once, and whether a letter with it was taken by the mail server."""

    link: str
    posted: bool


class RoleIn(BaseModel):
    role: Role


class InvitationLink(BaseModel):
    key: str = Field(max_length=200)


class InvitationSeen(BaseModel):
    school: str
    email: str
    role: str


class AcceptIn(InvitationLink):
    name: str = Field(max_length=200)
    password: str = Field(max_length=LONGEST)

    @field_validator("name")
    @classmethod
    def _name(cls, value: str) -> str:
        found = clean_line(value).strip()
        if not found:
            raise ValueError("Write your name: it stands beside what you change.")
        return found


@router.get("/helpers")
def get_helpers(user: SignedIn, post: ThePost, session: Reading) -> HelpersOut:
    zone = definitions_in(post, session).school.timezone
    return HelpersOut(
        helpers=[
            HelperOut(
                id=one.id,
                name=one.name,
                email=one.email,
                role=one.role,
                you=one.id == user.id,
                second_step=second_steps.steps_of(session, one.id).any,
            )
            for one in users.everyone(session)
        ],
        invitations=[
            InvitationOut(id=one.id, email=one.email, role=one.role, made=words.moment(one.made, zone))
            for one in users.invitations(session, real_now())
        ],
    )


@router.post("/helpers/invitations", status_code=201)
def invite(body: InviteIn, user: SignedIn, post: ThePost) -> Invited:
    """A link that works once, for a week; it is posted to the address, and shown."""
    with changing(post, user.name) as session:
        if users.user_by_email(session, body.email) is not None:
            raise HTTPException(
                409, "Somebody with this address may sign in already. Change their role instead."
            )
        token = users.invite(session, body.email, body.role, real_now())
        link = f"{post.settings.address}/invited#{token}"
        school = definitions_in(post, session).school
        letter = own_letter(
            f"{user.name} invites you to {school.name}",
            [
                {
                    "kind": "text",
                    "html": f"<p>{escape(user.name)} would like your help with the letters of the school.</p>",
                },
                {"kind": "button", "label": "Come in", "url": link},
                {"kind": "text", "html": "<p>The link works once, for a week.</p>"},
            ],
        )
    with post.database.reading() as session:
        posted = post_own(post, session, letter, body.email)
    # What the mailroom has taken nobody but the owner reads.
    return Invited(link=link, posted=posted and post.servers.own is not None)


@router.delete("/helpers/invitations/{id}", status_code=204)
def take_back(id: RowId, user: SignedIn, session: Writing) -> None:
    users.end_invitation(session, id)


@router.put("/helpers/{id}")
def change_role(id: RowId, body: RoleIn, user: SignedIn, post: ThePost, session: Writing) -> HelpersOut:
    """Another role for somebody, from their next click on."""
    _other(session, user, id)
    users.change_role(session, id, body.role)
    session.flush()
    return get_helpers(user, post, session)


@router.delete("/helpers/{id}")
def let_go(id: RowId, user: SignedIn, post: ThePost, session: Writing) -> HelpersOut:
    """Somebody may not sign in any more; they are signed out everywhere at once."""
    _other(session, user, id)
    users.remove_user(session, id)
    session.flush()
    return get_helpers(user, post, session)


@router.delete("/helpers/{id}/second-step")
def forget_second_step(
    id: RowId, user: SignedIn, request: Request, post: ThePost, session: Writing
) -> HelpersOut:
    """Somebody who has lost their telephone and their codes signs in with the password alone again, and is told so."""
    other = _other(session, user, id)
    second_steps.forget_all(session, other.id)
    session.flush()
    tell(post, other, "Your second step was taken away", f"{user.name} did it. Set it up anew at “You”.")
    return get_helpers(user, post, session)


def _other(session: Session, user: User, id: int) -> User:
    found = users.user_by_id(session, id)
    if found is None:
        raise HTTPException(404, "They may not sign in any more.")
    if found.id == user.id:
        raise HTTPException(409, "You can't change your own place here: a school needs its owner.")
    return found


@router.post("/invitations/look")
def look(body: InvitationLink, request: Request, post: ThePost, limits: Limits) -> InvitationSeen:
    """What a link invites to. 403 with what to do when it does not work."""
    hit(request, limits, "invitation")
    with post.database.reading() as session:
        found = _invitation(session, body.key)
        school = definitions_in(post, session).school.name
    return InvitationSeen(school=school, email=found.email, role=found.role)


@router.post("/invitations")
async def accept(
    body: AcceptIn, request: Request, response: Response, post: ThePost, limits: Limits
) -> SessionOut:
    """Come in: with a name and a password of one's own. The link has done its work then."""
    hit(request, limits, "invitation")
    hashed = await hashed_password(request, body.password)
    return await run_in_threadpool(_accept, body, hashed, request, response, post)


def _accept(body: AcceptIn, hashed: str, request: Request, response: Response, post: Post) -> SessionOut:
    with changing(post, body.name) as session:
        found = _invitation(session, body.key)
        if users.user_by_email(session, found.email) is not None:
            raise HTTPException(409, "Somebody with this address may sign in already.")
        users.add_user(session, email=found.email, name=body.name, role=found.role, password=hashed)
        users.end_invitation(session, found.id)
        session.flush()
        user = users.user_by_email(session, found.email)
        assert user is not None
        return begin(session, post, user, request, response)


def _invitation(session: Session, key: str) -> Invitation:
    found = users.invitation(session, key, real_now())
    if found is None:
        raise HTTPException(
            403,
            "This invitation does not work any more: it was used, taken back, or is older than a week. Ask for a new one.",
        )
    return found
