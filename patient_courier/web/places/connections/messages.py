"""Messages as they came, and what a connection file, saved or still being made, would make of them."""

from __future__ import annotations

from itertools import accumulate
from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.json_text import keepable
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.telling import words
from patient_courier.core.translating.connection import Connection
from patient_courier.core.translating.guessing import guesses
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Refused, data_of
from patient_courier.core.translating.missing import missing
from patient_courier.core.translating.told import happened
from patient_courier.core.translating.translate import Became, NotForUs, Reported, translate
from patient_courier.core.translating.trying import lines, seen
from patient_courier.store.connections import messages
from patient_courier.store.connections.messages import KeptMessage
from patient_courier.web.context import Reading, RowId, SignedIn, ThePost, definitions_in
from patient_courier.web.places.connections.connections import MOST_TRIED, the

router = APIRouter(prefix="/api/connections", tags=["connections"])
PAGE = 20
MOST_TRIED_BYTES = 5_000_000
# Values at places are gathered from so many messages, the newest.
MOST_SEEN = 200


class GuessOut(BaseModel):
    """What a value probably is: ``what`` (email, at, each …), where (a JSON Pointer), the text there, and how a time is written."""

    what: str
    pointer: str
    text: str
    shape: str
    line: str | None


class MessageShort(BaseModel):
    """A kept message in the list; ``became`` counts its items, None while nothing of it was taken in."""

    id: int
    at: str
    size: int
    became: dict[str, int] | None


class MessagesOut(BaseModel):
    """Messages, the newest first; ``before`` asks for the next page."""

    items: list[MessageShort]
    before: int | None


class MessageOut(MessageShort):
    """A message as it came: its content type, its data (numbers as the texts that stand in it), and what is likely in it."""

    type: str
    data: Any
    refused: str | None
    guesses: list[GuessOut]


class TryIn(BaseModel):
    """A connection file to be tried, and the places whose texts are asked for."""

    file: dict[str, Any]
    places: Annotated[list[Annotated[str, Field(max_length=500)]], Field(max_length=200)] = []


class TriedItem(BaseModel):
    """What an item would be: an event in words, why it waits, or that it is not for us."""

    kind: Literal["event", "waits", "not_for_us"]
    sentence: str
    place: str | None = None
    found: str | None = None
    why: str = ""
    field: str = ""


class TriedMessage(BaseModel):
    """A kept message and what it would be; ``lines`` are the pointers to its items, where it has several.

    ``taken``: something of it has been taken in already.
    """

    id: int
    at: str
    taken: bool
    refused: str | None
    lines: list[str]
    items: list[TriedItem]


class WouldBeOut(BaseModel):
    """A file tried on what was kept: what it lacks, what is wrong with it, the newest messages one by one, and counts of all.

    ``seen`` are the texts at the places that were asked for.
    """

    missing: list[str]
    faults: list[str]
    messages: list[TriedMessage]
    events: int
    waits: int
    not_for_us: int
    refused: int
    seen: dict[str, list[str]]


@router.get("/{key}/messages")
def list_messages(
    key: str,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    before: Annotated[int | None, Query(ge=1, le=2**63 - 1)] = None,
) -> MessagesOut:
    zone = definitions_in(post, session).school.timezone
    found = messages.newest(session, the(session, key).id, PAGE + 1, before)
    page = found[:PAGE]
    return MessagesOut(
        items=[_short(one, zone) for one in page],
        before=page[-1].id if len(found) > PAGE else None,
    )


def _short(one: KeptMessage, zone: str) -> MessageShort:
    return MessageShort(
        id=one.id, at=words.moment(one.message.received, zone), size=len(one.message.body), became=one.became
    )


@router.get("/{key}/messages/{id}")
def get_message(key: str, id: RowId, user: SignedIn, post: ThePost, session: Reading) -> MessageOut:
    """One message as it came, as data, with what is likely in it."""
    kept, found = the(session, key), messages.get(session, id)
    if found is None or found.connection != kept.id:
        raise HTTPException(404, "This message is no longer kept.")
    short = _short(found, definitions_in(post, session).school.timezone).model_dump()
    try:
        # Half characters stand in no answer (RFC 8259, section 8.2).
        data = keepable(data_of(found.message))
    except Refused as refused:
        return MessageOut(**short, type=found.message.type, data=None, refused=str(refused), guesses=[])
    likely = [
        GuessOut(what=x.what, pointer=x.pointer, text=x.text, shape=x.shape, line=x.line)
        for x in guesses(data)
    ]
    return MessageOut(**short, type=found.message.type, data=data, refused=None, guesses=likely)


@router.post("/{key}/try")
def try_file(key: str, body: TryIn, user: SignedIn, post: ThePost, session: Reading) -> WouldBeOut:
    """What the kept messages would become by this file. Nothing is taken in."""
    kept, definitions = the(session, key), definitions_in(post, session)
    newest = _not_too_much(messages.newest(session, kept.id, MOST_TRIED))
    each = body.file.get("each")
    places = [one.message for one in newest[:MOST_SEEN]]
    texts = seen(places, each if isinstance(each, str) else None, body.places)
    lacks, connection, faults = missing(body.file), None, []
    if not lacks:
        try:
            connection = Connection.model_validate(body.file | {"key": kept.key})
        except ValidationError as error:
            found = validation_faults(error, body.file)
            faults = [f"{one.pointer}: {one.sentence}" for one in found]
    tried = [_tried(definitions, connection, one) for one in newest]
    kinds = [item.kind for one in tried for item in one.items]
    return WouldBeOut(
        missing=lacks,
        faults=faults,
        messages=tried[:PAGE],
        events=kinds.count("event"),
        waits=kinds.count("waits"),
        not_for_us=kinds.count("not_for_us") + sum(not one.items and not one.refused for one in tried),
        refused=sum(one.refused is not None for one in tried),
        seen=texts,
    )


def _not_too_much(found: list[KeptMessage]) -> list[KeptMessage]:
    """The newest of them, as many as can be tried while one waits; at least one."""
    total = accumulate(len(one.message.body) for one in found)
    return [one for one, size in zip(found, total, strict=True) if size <= MOST_TRIED_BYTES] or found[:1]


def _tried(definitions: Definitions, connection: Connection | None, one: KeptMessage) -> TriedMessage:
    at = words.moment(one.message.received, definitions.school.timezone)
    taken = one.became is not None
    if connection is None:
        return TriedMessage(id=one.id, at=at, taken=taken, refused=None, lines=[], items=[])
    became = translate(connection, definitions, one.message)
    return TriedMessage(
        id=one.id,
        at=at,
        taken=taken,
        refused=became.refused,
        lines=lines(one.message, connection.each),
        items=[_item(definitions, item) for item in became.items],
    )


def _item(definitions: Definitions, item: Became) -> TriedItem:
    match item:
        case Reported():
            return TriedItem(kind="event", sentence=f"{happened(definitions, item.event)}.")
        case Waits():
            return TriedItem(
                kind="waits",
                sentence=item.sentence,
                place=item.place,
                found=item.found,
                why=item.why,
                field=item.field,
            )
        case NotForUs():
            return TriedItem(kind="not_for_us", sentence="No rule is for this: it is not for us.")
