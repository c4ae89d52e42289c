"""What became of a broadcast, by name."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query
from pydantic import BaseModel

from patient_courier.store.letters import outcomes
from patient_courier.store.students.people import Person
from patient_courier.web.compared import ComparedOut, compared_letters
from patient_courier.web.context import PageNumber, Reading, Search, SignedIn, ThePost, definitions_in
from patient_courier.web.places.broadcasts.broadcasts import found_broadcast

router = APIRouter(prefix="/api/broadcasts", tags=["broadcasts"])
Outcome = Literal[
    "posted",
    "delivered",
    "opened",
    "not_opened",
    "clicked",
    "answered",
    "stopped",
    "complained",
    "bounced",
    "on_its_way",
    "kept_back",
    "not_posted",
    "waits_for_you",
]


class OutcomePerson(BaseModel):
    key: str
    name: str
    email: str
    delivery: int


class OutcomePage(BaseModel):
    total: int
    items: list[OutcomePerson]


def outcome_page(total: int, found: list[tuple[Person, int]]) -> OutcomePage:
    """Students with their deliveries as a page."""
    items = [OutcomePerson(key=x.key, name=x.name, email=x.email, delivery=id) for x, id in found]
    return OutcomePage(total=total, items=items)


@router.get("/{key}/outcome/{outcome}")
def outcome_people(
    key: str,
    outcome: Outcome,
    user: SignedIn,
    session: Reading,
    reason: Annotated[str, Query(max_length=300)] = "",
    q: Search = "",
    page: PageNumber = 1,
) -> OutcomePage:
    """The students behind a number."""
    found_broadcast(session, key)
    total, found = outcomes.people(
        session, outcomes.of_broadcast(key), outcome, reason=reason or None, words=q, page=page
    )
    return outcome_page(total, found)


@router.get("/{key}/versions")
def versions_of_a_broadcast(key: str, user: SignedIn, post: ThePost, session: Reading) -> ComparedOut:
    """Which of the letters of a broadcast does better: by openings, clicks and answers."""
    broadcast = found_broadcast(session, key).broadcast
    if not broadcast.versions:
        return ComparedOut(items=[])
    known = definitions_in(post, session).letters
    names = {one: known[one].letter.called for one in broadcast.letters if one in known}
    counts = {one: outcomes.students(session, outcomes.of_letter(one, broadcast=key)) for one in names}
    return ComparedOut(items=compared_letters(counts, names))
