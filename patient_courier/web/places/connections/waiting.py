"""What of messages waits for the owner: put together by what would help, solved at once for all that wait for the same."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.telling import words
from patient_courier.core.translating.trying import with_choice
from patient_courier.core.translating.waiting import title_of
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.following import what_follows
from patient_courier.dispatch.kept_messages import let_in, take_waiting
from patient_courier.dispatch.silences import silences
from patient_courier.store.connections import connections, waiting
from patient_courier.store.connections.connections import Kept
from patient_courier.store.connections.waiting import Item
from patient_courier.web.context import (
    Reading,
    RowId,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)
from patient_courier.web.places.connections.switching import MOST_FOLLOWED, FollowsOut, follows_out
from patient_courier.web.written import changing

router = APIRouter(prefix="/api/waiting", tags=["connections"])


class WaitingGroup(BaseModel):
    """Items that wait for the same: ``field`` (offer, course …) is what ``found`` stands for and has to be chosen, if that helps."""

    id: int
    connection: str
    connection_name: str
    number: int
    title: str
    sentence: str
    at: str
    field: str | None
    found: str | None


class SilentConnection(BaseModel):
    """A connection from which nothing has come for longer than is its habit."""

    connection: str
    name: str
    sentence: str


class WaitingOut(BaseModel):
    groups: list[WaitingGroup]
    silent: list[SilentConnection]


class ChooseIn(BaseModel):
    """What the text that was found stands for: a key of the school's."""

    key: str = Field(min_length=1, max_length=200)


class SettledOut(BaseModel):
    """How many went in, and how many still wait."""

    events: int
    waits: int


@router.get("")
def list_waiting(user: SignedIn, post: ThePost, session: Reading) -> WaitingOut:
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    kept = {one.id: one for one in connections.every(session)}
    return WaitingOut(
        groups=[
            WaitingGroup(
                id=one.newest,
                connection=kept[one.connection].key,
                connection_name=kept[one.connection].name,
                number=one.number,
                title=title_of(one.waits, one.number),
                sentence=one.waits.sentence,
                at=words.moment(one.at, zone),
                field=one.waits.field if one.waits.why == "unmapped" and one.waits.field else None,
                found=one.waits.found,
            )
            for one in waiting.groups(session)
        ],
        silent=[
            SilentConnection(connection=one.key, name=one.name, sentence=said)
            for one, said in silences(definitions, session, now_in(session))
        ],
    )


@router.post("/{id}/outlook")
def outlook(id: RowId, body: ChooseIn, user: SignedIn, post: ThePost) -> FollowsOut:
    """What would be set going if this choice were made, by the engine; nothing of it stays."""
    there: list[int] = []

    def act(session: Session, definitions: Definitions) -> dict[str, int]:
        items = _choose(session, definitions, id, body.key)
        there.append(len(items))
        tried = items[-MOST_FOLLOWED:]
        kept = _kept(session, tried[0])
        done = take_waiting(session, definitions, kept, tried, now_in(session))
        return {"events": done, "waits": len(tried) - done}

    counts, follows = what_follows(post.database, post.library.load, act)
    return follows_out(counts, follows, there[0])


@router.post("/{id}/choice")
def choose(id: RowId, body: ChooseIn, user: SignedIn, post: ThePost) -> SettledOut:
    """Say what a text stands for, from now on; all that waited for it goes in, each at its own time."""
    with changing(post, user.name) as session:
        items = _choose(session, definitions_in(post, session), id, body.key)
    return _let_in(post, items)


def _choose(session: Session, definitions: Definitions, id: int, key: str) -> list[Item]:
    """Put the choice into the connection's file; returns the items that wait for it."""
    items = _like(session, id)
    first = items[0].waits
    if first.why != "unmapped" or first.found is None or not first.field:
        raise HTTPException(409, "Choosing does not help here. Open the connection and look at its message.")
    unknown = definitions.unknown({first.field: key})
    if unknown:
        raise HTTPException(422, f"There is no {unknown[0]} “{unknown[1]}” in this school.")
    kept = _kept(session, items[0])
    connections.save(session, kept.id, with_choice(kept.file, first.field, first.place, first.found, key))
    return items


def _let_in(post: Post, items: list[Item]) -> SettledOut:
    done = let_in(post.database, post.library.load, items[0].connection, items)
    post.nudge()
    return SettledOut(events=done, waits=len(items) - done)


@router.post("/{id}/aside", status_code=204)
def put_aside(id: RowId, user: SignedIn, session: Writing) -> None:
    """These are not wanted: nothing becomes of them, and their repeats are known."""
    waiting.put_aside(session, [one.id for one in _like(session, id)])


def _like(session: Session, id: int) -> list[Item]:
    items = waiting.like(session, id)
    if not items:
        raise HTTPException(409, "This waits no longer.")
    return items


def _kept(session: Session, item: Item) -> Kept:
    kept = connections.get(session, item.connection)
    if kept is None:
        raise HTTPException(409, "There is no such connection any more.")
    return kept
