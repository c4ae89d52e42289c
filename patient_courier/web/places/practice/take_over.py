"""From a practice copy to the school: what a letter or sequence would be there, and making it, as a draft."""

from __future__ import annotations

import json
from typing import Literal

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel

from patient_courier.core.helpers.taking_over import TakeOver, letter_over, sequence_over
from patient_courier.core.reading.school_file import as_data
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.base.definitions import save_sequence
from patient_courier.store.letters import pictures
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.saved_letters import keep_letter
from patient_courier.web.written import ToldLine, changing, told_lines

router = APIRouter(prefix="/api/take-over", tags=["practice"])
Taken = Literal["letter", "sequence"]


class OverPart(BaseModel):
    """A letter or a sequence that is another one here: new altogether, or what differs from the school's."""

    title: str
    fresh: bool
    lines: list[ToldLine]


class TakeOverOut(BaseModel):
    """What differs from the school, and what keeps it from being taken over (``faults``)."""

    parts: list[OverPart]
    faults: list[str]


class TakenOver(BaseModel):
    """Where the draft is in the school."""

    to: str
    name: str


@router.get("/{kind}/{key}")
def look(
    kind: Taken, key: str, user: SignedIn, request: Request, post: ThePost, session: Reading
) -> TakeOverOut:
    real = _school(request)
    with real.database.reading() as there:
        found = _found(kind, key, there, real, session, post)
    return TakeOverOut(
        parts=[
            OverPart(title=one.title, fresh=one.fresh, lines=told_lines(one.lines))
            for one in found.differences
        ],
        faults=found.faults,
    )


@router.post("/{kind}/{key}", status_code=201)
def take_over(
    kind: Taken, key: str, user: SignedIn, request: Request, post: ThePost, session: Reading
) -> TakenOver:
    """Make it in the school: beside what is there, and in nobody's way until its owner has let it run. 409 says why not."""
    real = _school(request)
    with changing(real, user.name) as there:
        found = _found(kind, key, there, real, session, post)
        if not found.differences:
            raise HTTPException(409, "It is the same in the school: there is nothing to take over.")
        if found.faults:
            raise HTTPException(409, f"The school lacks something. {' '.join(found.faults)}")
        now = read_clock(there).now
        for letter in found.letters:
            keep_letter(there, definitions_in(real, there), letter, now)
            pictures.bring(session, there, json.dumps(as_data(letter)), real_now())
        if found.sequence is not None:
            save_sequence(there, found.sequence, now)
            return TakenOver(to=f"/sequences/{found.sequence.key}", name=found.sequence.name)
        return TakenOver(to=f"/letters/{found.letters[0].key}", name=found.letters[0].name)


def _school(request: Request) -> Post:
    real: Post | None = request.scope["served"].real
    if real is None:
        raise HTTPException(409, "This is the school itself: there is nothing to take over from.")
    return real


def _found(kind: Taken, key: str, there: Session, real: Post, here: Session, post: Post) -> TakeOver:
    over = letter_over if kind == "letter" else sequence_over
    try:
        return over(definitions_in(real, there), definitions_in(post, here), key)
    except KeyError as error:
        raise HTTPException(404, f"There is no such {kind} in the practice copy.") from error
