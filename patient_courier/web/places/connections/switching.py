"""Switching a connection: what the messages it has kept would set going is told before, by the engine."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.connecting import proof_of
from patient_courier.dispatch.following import Follows, what_follows
from patient_courier.dispatch.kept_messages import take_kept, take_since
from patient_courier.store.connections import connections, messages
from patient_courier.web.context import Session, SignedIn, ThePost, now_in
from patient_courier.web.places.connections.connections import (
    ConnectionOut,
    let_in_all,
    readable,
    the,
)
from patient_courier.web.written import changing

# So many are tried by the engine, the newest.
MOST_FOLLOWED = 500
router = APIRouter(prefix="/api/connections", tags=["connections"])


class SwitchIn(BaseModel):
    """Another state. On: what to do with the messages kept ``since`` (RFC 3339): leave them, take them in as the past or as now."""

    state: Literal["listening", "on", "off"]
    take: Literal["nothing", "past", "now"] = "nothing"
    since: str | None = None


class OutlookIn(BaseModel):
    take: Literal["past", "now"]
    since: str


class NamedNumber(BaseModel):
    key: str
    name: str
    number: int


class FollowsOut(BaseModel):
    """What taking something in would set going: ``sequences`` that begin, ``letters`` that go out at once, others ``stuck``.

    ``untried`` are older ones that are not in these numbers: trying holds everybody else up.
    """

    untried: int
    events: int
    waits: int
    not_for_us: int
    sequences: list[NamedNumber]
    letters: list[NamedNumber]
    stuck: list[NamedNumber]
    students: int


@router.post("/{key}/outlook")
def outlook(key: str, body: OutlookIn, user: SignedIn, post: ThePost) -> FollowsOut:
    """What taking in the messages kept since a moment would set going, by the engine; nothing of it stays."""

    def act(session: Session, definitions: Definitions) -> dict[str, int]:
        kept = the(session, key)
        readable(kept)
        numbers = messages.untaken(session, kept.id, _moment(body.since))
        there.append(len(numbers))
        newest, now = numbers[-MOST_FOLLOWED:], now_in(session)
        return take_kept(session, definitions, kept, newest, now, past=body.take == "past")

    there: list[int] = []
    counts, follows = what_follows(post.database, post.library.load, act)
    return follows_out(counts, follows, there[0])


def follows_out(counts: Mapping[str, int], follows: Follows, there: int = 0) -> FollowsOut:
    """As it is told; ``there`` is how many there are, where only the newest could be tried."""

    def named(found: Any) -> list[NamedNumber]:
        return [NamedNumber(key=one.key, name=one.name, number=one.number) for one in found]

    return FollowsOut(
        untried=max(0, there - MOST_FOLLOWED),
        events=counts.get("events", 0),
        waits=counts.get("waits", 0),
        not_for_us=counts.get("not_for_us", 0),
        sequences=named(follows.sequences),
        letters=named(follows.letters),
        stuck=named(follows.stuck),
        students=follows.students,
    )


def _moment(text: str) -> Instant:
    try:
        return Instant.parse_iso(text)
    except ValueError as error:
        raise HTTPException(422, "Since when? Give a moment such as 2026-03-02T14:05:00Z.") from error


@router.post("/{key}/state")
def switch(key: str, body: SwitchIn, user: SignedIn, post: ThePost, response: Response) -> ConnectionOut:
    """Switch it. On: it must be readable, and have a secret where its proof needs one."""
    with changing(post, user.name) as session:
        kept = the(session, key)
        if body.state == "on":
            readable(kept)
            proof = proof_of(kept)
            if proof.kind != "address" and not connections.secrets_of(session, kept.id, "proof", real_now()):
                raise HTTPException(
                    422, "It has no secret yet to prove itself by. Make one, and put it in there."
                )
        taken = body.state == "on" and body.take != "nothing"
        numbers = messages.untaken(session, kept.id, _moment(body.since or "")) if taken else []
        connections.set_state(session, kept.id, body.state)
        kept = the(session, key)
    take_since(post.database, post.library.load, kept.id, numbers, past=body.take == "past")
    return let_in_all(post, kept, response)
