"""The library: starters, duplicates, letters from files and as files, proof copies, throwing away what nothing uses."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Request, Response
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field, field_validator

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.text import Line
from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.letter_files import NoLetter
from patient_courier.post.headers import Unfit
from patient_courier.post.message import message, message_id
from patient_courier.store.letters import proofs, versions
from patient_courier.store.letters.starters import letter_starters
from patient_courier.store.sequences.counts import letters_sent
from patient_courier.store.students import people
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.letters.letters import letter_users
from patient_courier.web.preview import Seen, rendered_for
from patient_courier.web.refusals import attachment
from patient_courier.web.saved_letters import keep_letter
from patient_courier.web.test_letters import MOST_PROOFREADERS

router = APIRouter(prefix="/api/letters", tags=["letters"])


class LetterKey(BaseModel):
    """The letter that was made; open it to read and change it."""

    key: str


class LetterStarter(BaseModel):
    key: str
    name: str
    purpose: str
    subject: str


class StarterIn(BaseModel):
    """Which starter, and the course it is for: its own then takes the place of “the course”."""

    starter: str = Field(max_length=200)
    name: Line = Field("", max_length=200)


class TwinIn(BaseModel):
    name: Line = Field("", max_length=200)


class ReadLetter(BaseModel):
    """A letter out of a file, not saved yet."""

    subject: str
    blocks: list[dict[str, Any]]


class ProofsOut(BaseModel):
    """Who is shown copies, and of how many more deliveries."""

    readers: list[str]
    left: int


class ProofsIn(BaseModel):
    readers: list[str] = Field(max_length=MOST_PROOFREADERS)
    number: int = Field(ge=0, le=100)

    @field_validator("readers")
    @classmethod
    def _readers(cls, value: list[str]) -> list[str]:
        return list(dict.fromkeys(check_email(one.strip()) for one in value if one.strip()))


@router.get("/starters")
def list_starters(user: SignedIn) -> list[LetterStarter]:
    """Ready-made letters to begin from."""
    return [
        LetterStarter(key=one.key, name=one.name, purpose=one.purpose, subject=one.subject)
        for one in letter_starters()
    ]


@router.post("/starters", status_code=201)
def from_starter(body: StarterIn, user: SignedIn, post: ThePost, session: Writing) -> LetterKey:
    """A letter of one's own, begun from a starter."""
    found = next((one for one in letter_starters() if one.key == body.starter), None)
    if found is None:
        raise HTTPException(404, "There is no such starter.")
    return _saved(session, post, found, body.name or found.name)


@router.post("/{key}/duplicate", status_code=201)
def duplicate(key: str, body: TwinIn, user: SignedIn, post: ThePost, session: Writing) -> LetterKey:
    """A letter like this one."""
    letter = _known(definitions_in(post, session), key)
    return _saved(session, post, letter, body.name or f"{letter.name or key} (copy)")


def _saved(session: Session, post: Post, letter: Letter, name: str) -> LetterKey:
    definitions = definitions_in(post, session)
    key = free_key(name, set(definitions.letters))
    keep_letter(session, definitions, letter.model_copy(update={"key": key, "name": name}), now_in(session))
    return LetterKey(key=key)


@router.delete("/{key}", status_code=204)
def throw_away(key: str, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Throw away a letter that nothing uses and nobody was sent. 409 says what stands against it."""
    definitions = definitions_in(post, session)
    _known(definitions, key)
    used = letter_users(session, definitions, key)
    if used:
        raise HTTPException(409, f"This letter is used by {', '.join(used)}. Take it out there first.")
    if letters_sent(session).get(key) or versions.has_deliveries(session, key):
        raise HTTPException(
            409, "This letter has been posted, so it stays: what students got can be read here."
        )
    versions.remove(session, key)


@router.post(
    "/read",
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def read_file(
    request: Request, user: SignedIn, post: ThePost, name: Annotated[str, Query(max_length=300)]
) -> ReadLetter:
    """What a .eml, .html or .md file says, the body as it is, as a subject and blocks. Saves nothing. 422 says why not."""
    raw = await request.body()
    try:
        found = await run_in_threadpool(post.files.letter, name, raw)
    except NoLetter as error:
        raise HTTPException(422, str(error)) from error
    return ReadLetter(subject=found.subject, blocks=found.blocks)


@router.get("/{key}/file", response_class=Response, responses={200: {"content": {"text/html": {}}}})
def as_file(
    key: str,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    form: Annotated[str, Query(pattern="^(eml|html)$")],
    student: Annotated[str, Query(max_length=200)],
) -> Response:
    """The saved letter as a mail (RFC 5322) or as HTML, as this student would see it."""
    definitions = definitions_in(post, session)
    letter, person = _known(definitions, key), people.find(session, student)
    if person is None:
        raise HTTPException(404, "There is no such student.")
    seen = rendered_for(session, definitions, letter, person.id, None)
    if form == "html":
        headers = {"Content-Disposition": attachment(f"{key}.html")}
        return Response(seen.rendered.html, media_type="text/html; charset=utf-8", headers=headers)
    headers = {"Content-Disposition": attachment(f"{key}.eml")}
    return Response(_mail(post, session, seen, user.email), media_type="message/rfc822", headers=headers)


def _mail(post: Post, session: Session, seen: Seen, to: str) -> bytes:
    try:
        return message(
            seen.rendered,
            seen.sender,
            post.signer.nowhere(),
            message_id=message_id(0, seen.sender.email).replace("delivery-0", "file"),
            to=[("", to)],
            date=now_in(session),
            calendar=seen.files,
        ).raw
    except Unfit as error:
        raise HTTPException(409, str(error)) from error


@router.get("/{key}/proofs")
def get_proofs(key: str, user: SignedIn, session: Reading) -> ProofsOut:
    readers, left = proofs.of_letter(session, key)
    return ProofsOut(readers=readers, left=left)


@router.put("/{key}/proofs")
def ask_for_proofs(key: str, body: ProofsIn, user: SignedIn, post: ThePost, session: Writing) -> ProofsOut:
    """Show the next real deliveries of a letter to chosen people too; none, or no number, ends it."""
    _known(definitions_in(post, session), key)
    proofs.ask(session, key, body.readers, body.number)
    return get_proofs(key, user, session)


def _known(definitions: Definitions, key: str) -> Letter:
    found = definitions.letters.get(key)
    if found is None:
        raise HTTPException(404, "There is no such letter.")
    return found.letter
