"""Firing by hand: something that a student could do, as if it had been reported; what that posts is told before."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import of_event
from patient_courier.core.school.events import Event
from patient_courier.core.telling import words
from patient_courier.dispatch.following import what_follows
from patient_courier.dispatch.receiving import check
from patient_courier.dispatch.taking import take_events
from patient_courier.practice.classroom import ActionRefused, event_for
from patient_courier.store.students.consents import Source
from patient_courier.web.context import Session, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.connections.pretending import PretendOut
from patient_courier.web.places.connections.switching import follows_out
from patient_courier.web.places.students.page import find_student

router = APIRouter(prefix="/api/students", tags=["students"])
_EVENT: TypeAdapter[Event] = TypeAdapter(Event)


class PretendedIn(BaseModel):
    """What is to have happened: ``object`` is the offer, course, lesson or quiz, ``score`` in percent goes with a quiz."""

    do: Literal["buy", "enrol", "refund", "start", "complete", "take_quiz", "sign_in"]
    object: str = Field("", max_length=500)
    score: int | None = Field(None, ge=0, le=100)


@router.post("/{key}/pretend/outlook")
def outlook(key: str, body: PretendedIn, user: SignedIn, post: ThePost) -> PretendOut:
    """What pretending it would set going, by the engine; nothing of it stays."""

    def act(session: Session, definitions: Definitions) -> str:
        return _pretend(session, definitions, key, body, user.name)

    sentence, follows = what_follows(post.database, post.library.load, act)
    return PretendOut(sentences=[sentence], follows=follows_out({"events": 1}, follows))


@router.post("/{key}/pretend")
def pretend(key: str, body: PretendedIn, user: SignedIn, post: ThePost, session: Writing) -> list[str]:
    """Let it happen, now by the school's time: sequences react as to any event."""
    return [_pretend(session, definitions_in(post, session), key, body, user.name)]


def _pretend(session: Session, definitions: Definitions, key: str, body: PretendedIn, by: str) -> str:
    person, now = find_student(session, key), now_in(session)
    try:
        event = _EVENT.validate_python(event_for(body.do, key, body.object, body.score, now))
        check(definitions, event, now)
    except ActionRefused as error:
        raise HTTPException(422, str(error)) from error
    except ValidationError as error:
        raise HTTPException(422, "Choose what it is about.") from error
    except ValueError as error:
        raise HTTPException(422, f"{error}."[:1].upper() + f"{error}."[1:]) from error
    take_events(session, definitions, [event], now, Source("pretended by hand", by))
    return f"{person.name}: {words.what_happened(definitions, of_event(definitions, event))}."
