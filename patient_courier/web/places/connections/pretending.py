"""Firing by hand: a message that came, said once more about somebody else; what that posts is told before."""

from __future__ import annotations

import secrets
from typing import Annotated

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import check_email
from patient_courier.core.translating.item import Waits
from patient_courier.core.translating.message import Refused
from patient_courier.core.translating.pretending import pretended
from patient_courier.core.translating.told import happened
from patient_courier.core.translating.translate import Reported, translate
from patient_courier.dispatch.connecting import connection_of, source_of, take_described
from patient_courier.dispatch.following import what_follows
from patient_courier.store.connections import messages
from patient_courier.web.context import RowId, Session, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.connections.connections import the
from patient_courier.web.places.connections.switching import FollowsOut, follows_out

router = APIRouter(prefix="/api/connections", tags=["connections"])


class PretendIn(BaseModel):
    """Whom it is about this time."""

    email: Annotated[str, Field(max_length=320)]


class PretendOut(BaseModel):
    """What it would be, or is now, in sentences; and what that sets going."""

    sentences: list[str]
    follows: FollowsOut


@router.post("/{key}/messages/{id}/pretend/outlook")
def outlook(key: str, id: RowId, body: PretendIn, user: SignedIn, post: ThePost) -> PretendOut:
    """What pretending it would set going, by the engine; nothing of it stays."""

    def act(session: Session, definitions: Definitions) -> list[str]:
        return _pretend(session, definitions, key, id, body.email)

    sentences, follows = what_follows(post.database, post.library.load, act)
    return PretendOut(sentences=sentences, follows=follows_out({"events": len(sentences)}, follows))


@router.post("/{key}/messages/{id}/pretend")
def pretend(
    key: str, id: RowId, body: PretendIn, user: SignedIn, post: ThePost, session: Writing
) -> list[str]:
    """Let it happen: the student becomes known if they are not, and sequences react as to any event."""
    return _pretend(session, definitions_in(post, session), key, id, body.email)


def _pretend(session: Session, definitions: Definitions, key: str, id: int, email: str) -> list[str]:
    kept, found, now = the(session, key), messages.get(session, id), now_in(session)
    if found is None or found.connection != kept.id:
        raise HTTPException(404, "This message is no longer kept.")
    connection = connection_of(kept)
    if connection is None:
        raise HTTPException(422, "Point at the values in the messages first, and save that.")
    try:
        address = check_email(email.strip())
        number = f"pretended-{secrets.token_hex(6)}"
        translated = translate(
            connection, definitions, pretended(connection, found.message, address, now, number)
        )
    except (Refused, ValueError) as error:
        raise HTTPException(422, f"{error}".rstrip(".") + ".") from error
    events = [item.event for item in translated.items if isinstance(item, Reported)]
    if not events:
        waits = [item.sentence for item in translated.items if isinstance(item, Waits)]
        raise HTTPException(422, " ".join(waits) or "No rule is for this message, so nothing would happen.")
    take_described(session, definitions, events, now, source_of(kept))
    return [f"{happened(definitions, event)}." for event in events]
