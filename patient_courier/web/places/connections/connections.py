"""Connections: all of them with what came, one with its file, made, saved, switched, its secrets, taken away."""

from __future__ import annotations

import json
import secrets
from typing import Any, Literal

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, TypeAdapter, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.text import FilledLine
from patient_courier.core.telling import words
from patient_courier.core.translating.connection import Proof
from patient_courier.core.translating.missing import missing
from patient_courier.core.translating.statements import fresh_rules
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.connecting import connection_of, proof_of
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.kept_messages import let_in
from patient_courier.dispatch.silences import HABIT_DAYS, days_until, silent
from patient_courier.store.connections import connections, messages, waiting
from patient_courier.store.connections.connections import Kept
from patient_courier.web.context import (
    Reading,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.refusals import attachment
from patient_courier.web.written import changing

router = APIRouter(prefix="/api/connections", tags=["connections"])
LINE_DAYS = 30
# So many kept messages are looked at before a connection is switched on; the newest.
MOST_TRIED = 10_000
_PROOF: TypeAdapter[Proof] = TypeAdapter(Proof)
# Keys that stand for something else in an address or in the ids of events.
RESERVED = ("events", "intake", "mail", "new", "this", "any")


class ConnectionLine(BaseModel):
    """A connection in the list. Counts are those of thirty days, ``line`` its messages day by day, ``waits`` all that waits."""

    key: str
    name: str
    state: str
    proof: str
    last: str | None
    events: int
    not_for_us: int
    refused: int
    waits: int
    line: list[int]
    silence: str | None


class ConnectionOut(BaseModel):
    """A connection with its file, which may still be in the making: ``missing`` says what it lacks.

    ``own_mailbox`` is the owner's word that what comes as mail reaches only them; ``mail_folder`` is where a mail program puts it.
    """

    key: str
    name: str
    state: Literal["listening", "on", "off"]
    file: dict[str, Any]
    edition: str
    address: str
    has_secret: bool
    messages: int
    waits: int
    missing: list[str]
    refused: str | None
    own_mailbox: bool
    mail_folder: str | None


class MakeIn(BaseModel):
    """What is connected: something that sends messages of its own, or a course site that speaks xAPI."""

    name: FilledLine
    speaks: Literal["messages", "xapi"] = "messages"


class SaveIn(BaseModel):
    """A connection file in the place of the one there is; it may lack parts while the connection only listens."""

    file: dict[str, Any]


@router.get("")
def list_connections(user: SignedIn, post: ThePost, session: Reading) -> list[ConnectionLine]:
    definitions, now = definitions_in(post, session), now_in(session)
    days = days_until(definitions, now, HABIT_DAYS)
    counted, open_ones = connections.days_since(session, days[0]), waiting.numbers(session)
    return [
        _line(definitions, kept, days, counted.get(kept.id, {}), open_ones.get(kept.id, 0))
        for kept in connections.every(session)
    ]


def _line(
    definitions: Definitions, kept: Kept, days: list[str], counted: dict[str, dict[str, int]], waits: int
) -> ConnectionLine:
    def total(name: str) -> int:
        return sum(counted[day][name] for day in days[-LINE_DAYS:] if day in counted)

    line = [counted.get(day, {}).get("messages", 0) for day in days]
    return ConnectionLine(
        key=kept.key,
        name=kept.name,
        state=kept.state,
        proof=proof_of(kept).kind,
        last=words.moment(kept.last, definitions.school.timezone) if kept.last else None,
        events=total("events"),
        not_for_us=total("not_for_us"),
        refused=total("refused"),
        waits=waits,
        line=line[-LINE_DAYS:],
        silence=silent(kept, line[:-1]),
    )


@router.post("", status_code=201)
def make(body: MakeIn, user: SignedIn, post: ThePost, session: Writing) -> ConnectionOut:
    """A new connection with an address of its own. It listens, and posts nothing, until it is switched on."""
    key = free_key(body.name, {*connections.taken_keys(session), *RESERVED})
    file = {
        "format": "patient-courier.connection",
        "version": 1,
        "key": key,
        "name": body.name,
        "proof": {"kind": "address"},
        "each": None,
        "student": {"email": None},
        "at": None,
        "id": None,
        "rules": [],
        **(fresh_rules() if body.speaks == "xapi" else {}),
    }
    id = connections.add(session, file, now_in(session))
    connections.give_secret(session, id, "address", new_address(key), real_now())
    session.flush()
    return connection_out(session, post, the(session, key), Response())


def new_address(key: str) -> str:
    """The last part of an address: what it is called, and what nobody can guess."""
    return f"{key}-{secrets.token_urlsafe(24)}"


def the(session: Session, key: str) -> Kept:
    """A connection by its key. 404 when there is none."""
    found = connections.find(session, key)
    if found is None:
        raise HTTPException(404, "There is no such connection any more.")
    return found


@router.get("/{key}")
def get(key: str, user: SignedIn, post: ThePost, session: Reading, response: Response) -> ConnectionOut:
    return connection_out(session, post, the(session, key), response)


def connection_out(session: Session, post: Post, kept: Kept, response: Response) -> ConnectionOut:
    real = real_now()
    address = connections.secrets_of(session, kept.id, "address", real)[0]
    zone = definitions_in(post, session).school.timezone
    refused = (
        f"{words.moment(kept.refused_at, zone)}: {kept.refused}" if kept.refused and kept.refused_at else None
    )
    return ConnectionOut(
        key=kept.key,
        name=kept.name,
        state=kept.state,
        file=kept.file,
        edition=say(response, edition_of(kept.file)),
        address=f"{post.settings.address}/intake/{address}",
        has_secret=bool(connections.secrets_of(session, kept.id, "proof", real)),
        messages=messages.number(session, kept.id),
        waits=waiting.number(session, kept.id),
        missing=missing(kept.file),
        refused=refused,
        own_mailbox=kept.own_mailbox,
        mail_folder=str(post.settings.mails_folder / kept.key) if post.settings.mails_folder else None,
    )


@router.put("/{key}")
def save(
    key: str, body: SaveIn, user: SignedIn, post: ThePost, begun: BegunFrom, response: Response
) -> ConnectionOut:
    """Save its file. While it is on, the file must be one that can be read; what waited and fits now goes in."""
    with changing(post, user.name) as session:
        kept = the(session, key)
        begun.check(edition_of(kept.file))
        file = body.file | {"key": kept.key, "format": "patient-courier.connection", "version": 1}
        before, proof = proof_of(kept), _proof(file)
        if proof.kind != before.kind:
            if kept.state == "on":
                raise HTTPException(
                    409,
                    "While it is on, every message would be refused by another proof. Let it only listen first.",
                )
            connections.forget_secrets(session, kept.id)
        connections.save(session, kept.id, file)
        kept = the(session, key)
        if kept.state == "on":
            readable(kept)
    return let_in_all(post, kept, response)


def let_in_all(post: Post, kept: Kept, response: Response) -> ConnectionOut:
    """What waits of a connection that is on goes in where it can, some in each transaction; then the connection as it is."""
    if kept.state == "on":
        with post.database.reading() as session:
            items = waiting.of_connection(session, kept.id)
        let_in(post.database, post.library.load, kept.id, items)
    post.nudge()
    with post.database.reading() as session:
        return connection_out(session, post, the(session, kept.key), response)


def _proof(file: dict[str, Any]) -> Proof:
    proof = file.get("proof")
    try:
        return _PROOF.validate_python(proof)
    except ValidationError as error:
        fault = validation_faults(error, proof)[0]
        raise HTTPException(
            422, f"How it proves itself can't be read: {fault.pointer} {fault.sentence}."
        ) from error


def readable(kept: Kept) -> None:
    """422 with what is missing or wrong where a connection's file can't be used yet."""
    lacks = missing(kept.file)
    if lacks:
        raise HTTPException(422, " ".join(lacks))
    if connection_of(kept) is None:
        raise HTTPException(
            422, "Something in this connection can't be read. Look at what its messages would become."
        )


@router.get("/{key}/file")
def file(key: str, user: SignedIn, session: Reading) -> Response:
    """Its connection file; secrets are never in it."""
    kept = the(session, key)
    text = json.dumps(kept.file, ensure_ascii=False, indent=1)
    headers = {"Content-Disposition": attachment(f"{kept.key}.connection.json")}
    return Response(text, media_type="application/json", headers=headers)


@router.delete("/{key}", status_code=204)
def remove(key: str, user: SignedIn, session: Writing) -> None:
    """Take it away with its messages and what waits. Events that came by it stay."""
    connections.remove(session, the(session, key).id)
