"""Destinations: all of them with how they stand; made, changed, paused, given a new secret, tried, taken away."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field, field_validator

from patient_courier.core.destinations.sample import sample
from patient_courier.core.destinations.told import KINDS, Kind, Told
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import check_web_address
from patient_courier.core.school.text import AddressText, FilledLine, KeyText
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.store.destinations import destinations, outgoing
from patient_courier.store.destinations.destinations import MOST, Destination
from patient_courier.store.destinations.hearing import lane_of
from patient_courier.store.school.secrets import signing_key
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in, now_in

router = APIRouter(prefix="/api/destinations", tags=["destinations"])


class DestinationIn(BaseModel):
    """What it is called, where it is, which kinds of news it hears, about which courses (none: all)."""

    name: Annotated[FilledLine, Field(max_length=100)]
    url: Annotated[AddressText, Field(max_length=2000)]
    kinds: list[Kind] = Field(min_length=1, max_length=len(KINDS))
    courses: list[KeyText] = Field([], max_length=200)

    @field_validator("url")
    @classmethod
    def _url(cls, value: str) -> str:
        return check_web_address(value)


class DestinationOut(BaseModel):
    """A destination, and how it stands. ``waits`` are queued, ``aside`` set aside, ``kept`` by a practice school."""

    key: str
    name: str
    url: str
    kinds: list[Kind]
    courses: list[str]
    state: Literal["on", "paused", "ended"]
    why: str | None
    failing: str | None
    last: str | None
    sent: int
    waits: int
    aside: int
    kept: int


class DestinationsOut(BaseModel):
    """All destinations; in a ``practice`` school only those on this machine are posted to."""

    practice: bool
    items: list[DestinationOut]


class MadeOut(BaseModel):
    """A destination with its secret, which is shown this once."""

    destination: DestinationOut
    secret: str


class NewSecretOut(BaseModel):
    """A new secret, shown this once; for another day the one before signs as well."""

    secret: str


class StateIn(BaseModel):
    state: Literal["on", "paused"]


class SampleIn(BaseModel):
    kind: Kind


class SampleOut(BaseModel):
    """The message that goes out now, by its row in the log."""

    id: int
    body: dict[str, Any]


@router.get("")
def list_destinations(user: SignedIn, post: ThePost, session: Reading) -> DestinationsOut:
    definitions, counts = definitions_in(post, session), destinations.counts(session)
    items = [_out(definitions, one, counts.get(one.id, {})) for one in destinations.every(session)]
    return DestinationsOut(practice=read_clock(session).practice, items=items)


@router.post("", status_code=201)
def make_destination(body: DestinationIn, user: SignedIn, post: ThePost, session: Writing) -> MadeOut:
    """A new destination. It hears of what happens from now on."""
    if len(destinations.every(session)) >= MOST:
        raise HTTPException(409, f"There are {MOST} destinations already. Take one away first.")
    definitions, secret = definitions_in(post, session), signing_key()
    _check_courses(definitions, body.courses)
    key = destinations.add(session, body.name, body.url, body.kinds, body.courses, secret)
    return MadeOut(destination=_out(definitions, the(session, key), {}), secret=secret)


@router.put("/{key}")
def save_destination(
    key: str, body: DestinationIn, user: SignedIn, post: ThePost, session: Writing
) -> DestinationOut:
    """What already waits goes to the new address too."""
    found, definitions = the(session, key), definitions_in(post, session)
    _check_courses(definitions, body.courses)
    destinations.save(session, found.id, body.name, body.url, body.kinds, body.courses)
    post.outgoing.try_now(lane_of(found.id))
    return _out(definitions, the(session, key), destinations.counts(session).get(found.id, {}))


@router.delete("/{key}", status_code=204)
def remove_destination(key: str, user: SignedIn, session: Writing) -> None:
    """It hears no more; its log goes with it, and what waits is not posted."""
    destinations.remove(session, the(session, key).id)


@router.post("/{key}/state")
def set_state(key: str, body: StateIn, user: SignedIn, post: ThePost, session: Writing) -> DestinationOut:
    """Let it wait, or go on: what has waited is posted then, in its order."""
    found = the(session, key)
    if body.state == "paused":
        destinations.pause(session, found.id)
    else:
        destinations.go_on(session, found.id)
        post.outgoing.try_now(lane_of(found.id))
    return _out(
        definitions_in(post, session), the(session, key), destinations.counts(session).get(found.id, {})
    )


@router.post("/{key}/secret")
def renew_secret(key: str, user: SignedIn, session: Writing) -> NewSecretOut:
    """A new secret, shown this once; for another day the one before signs as well."""
    secret = signing_key()
    destinations.replace_secret(session, the(session, key).id, secret, real_now())
    return NewSecretOut(secret=secret)


@router.post("/{key}/sample", status_code=201)
def post_sample(key: str, body: SampleIn, user: SignedIn, post: ThePost, session: Writing) -> SampleOut:
    """Post a message that nothing has caused, about an invented student."""
    found, now = the(session, key), now_in(session)
    if found.state != "on":
        raise HTTPException(409, "Nothing is posted there now. Let it go on first.")
    text = sample(definitions_in(post, session), body.kind, found.courses, now)
    id = outgoing.put_sample(session, found.id, body.kind, text, now)
    post.outgoing.try_now(lane_of(found.id))
    return SampleOut(id=id, body=Told.model_validate_json(text).model_dump(exclude_none=True))


def the(session: Session, key: str) -> Destination:
    """The destination of an address. 404 when there is none."""
    found = destinations.find(session, key)
    if found is None:
        raise HTTPException(404, "There is no such destination. Somebody may have taken it away.")
    return found


def _check_courses(definitions: Definitions, courses: list[str]) -> None:
    for course in courses:
        if course not in definitions.courses:
            raise HTTPException(422, f"There is no course “{course}”. Choose among the school's courses.")


def _out(definitions: Definitions, one: Destination, counts: dict[str, int]) -> DestinationOut:
    zone = definitions.school.timezone
    return DestinationOut.model_validate(
        {
            "key": one.key,
            "name": one.name,
            "url": one.url,
            "kinds": [kind for kind in KINDS if kind in one.kinds],
            "courses": list(one.courses),
            "state": one.state,
            "why": one.why,
            "failing": words.moment(one.failing, zone) if one.failing else None,
            "last": words.moment(one.last, zone) if one.last else None,
            "sent": counts.get("sent", 0),
            "waits": counts.get("queued", 0),
            "aside": counts.get("failed", 0),
            "kept": counts.get("kept", 0),
        }
    )
