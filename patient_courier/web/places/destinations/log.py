"""What went out to destinations and by calls of steps: each message with its tries, and sent again."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel

from patient_courier.core.telling import words
from patient_courier.store.destinations import outgoing_log as stored
from patient_courier.store.destinations.hearing import lane_of
from patient_courier.store.destinations.outgoing_log import Logged
from patient_courier.web.context import (
    Reading,
    RowId,
    RowNumber,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
)
from patient_courier.web.places.destinations.destinations import the

router = APIRouter(prefix="/api/outgoing", tags=["destinations"])
PAGE = 50
# The calls of steps are no destination; they are asked for under a word that no destination can have for a key.
CALLS = "this"


class TryOut(BaseModel):
    """One try: when, the status and the beginning of the answer, and how many ms it took."""

    at: str
    status: int | None
    answer: str
    took: int


class OutgoingOut(BaseModel):
    """A message; ``student`` None is a sample. ``sequence`` and ``step`` are those of a call."""

    id: int
    message_id: str
    type: str
    at: str
    url: str
    sequence: str | None
    step: str | None
    student: str | None
    status: Literal["queued", "sent", "failed", "kept"]
    reason: str | None
    retry: str | None
    body: dict[str, Any]
    tries: list[TryOut]


class PostAgainIn(BaseModel):
    """One message, or all that were set aside or kept."""

    id: RowNumber | None = None


class AgainOut(BaseModel):
    posted: int


@router.get("/{key}")
def outgoing_log(
    key: str,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    before: Annotated[int | None, Query(ge=1, le=2**63 - 1)] = None,
    status: Literal["queued", "sent", "failed", "kept"] | None = None,
) -> list[OutgoingOut]:
    """Messages of a destination, or ``this`` for the calls of steps: fifty, the newest first; ``before`` the last id seen."""
    zone = definitions_in(post, session).school.timezone
    return [_out(one, zone) for one in stored.log(session, _whose(session, key), PAGE, before, status)]


@router.post("/{key}/again")
def post_again(key: str, body: PostAgainIn, user: SignedIn, post: ThePost, session: Writing) -> AgainOut:
    """Let messages go out once more, each under its own id, by which the receiver can tell it has had it."""
    whose = _whose(session, key)
    if whose is not None and the(session, key).state != "on":
        raise HTTPException(409, "Nothing is posted there now. Let it go on first.")
    done = stored.again(session, whose, body.id)
    if body.id is not None and not done and not stored.is_queued(session, body.id):
        raise HTTPException(404, "There is no such message. The log ends after thirty days.")
    if whose is not None:
        post.outgoing.try_now(lane_of(whose))
    return AgainOut(posted=done or int(body.id is not None))


@router.get("/{key}/{id}")
def one_message(key: str, id: RowId, user: SignedIn, post: ThePost, session: Reading) -> OutgoingOut:
    """One message, to see what became of it."""
    found = stored.log(session, _whose(session, key), 1, id + 1 if id < 2**63 - 1 else None)
    if not found or found[0].id != id:
        raise HTTPException(404, "There is no such message. The log ends after thirty days.")
    return _out(found[0], definitions_in(post, session).school.timezone)


def _whose(session: Session, key: str) -> int | None:
    return None if key == CALLS else the(session, key).id


def _out(one: Logged, zone: str) -> OutgoingOut:
    return OutgoingOut.model_validate(
        {
            "id": one.id,
            "message_id": one.key,
            "type": one.type,
            "at": words.moment(one.at, zone),
            "url": one.url,
            "sequence": one.sequence,
            "step": one.step,
            "student": one.student,
            "status": one.status,
            "reason": one.reason,
            "retry": words.moment(one.retry, zone) if one.retry else None,
            "body": one.body,
            "tries": [
                TryOut(at=words.moment(x.at, zone), status=x.status, answer=x.answer, took=x.took)
                for x in one.tries
            ],
        }
    )
