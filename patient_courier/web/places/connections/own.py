"""Our own intake as one of the connections: where it is, what came lately, what could not be used, and its key."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from patient_courier.core.engine.happening import Happening
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.silences import days_until
from patient_courier.store.connections import connections
from patient_courier.store.engine.lately import reported
from patient_courier.store.outbox import needs
from patient_courier.store.school.secrets import read_older_keys, replace_intake_key
from patient_courier.web.context import Reading, SignedIn, ThePost, definitions_in, now_in
from patient_courier.web.places.connections.connections import LINE_DAYS
from patient_courier.web.places.connections.secrets import SecretOut
from patient_courier.web.written import changing

router = APIRouter(prefix="/api/own-intake", tags=["connections"])
LATELY = 10


class LatelyOut(BaseModel):
    """An event that was reported: whose it is, and what happened, at its own time."""

    at: str
    student: str
    name: str
    words: str


class ProblemOut(BaseModel):
    at: str
    reason: str


class OwnIntakeOut(BaseModel):
    """Counts are those of thirty days, ``line`` the messages day by day; ``unusable`` events stand in Needs you."""

    address: str
    line: list[int]
    events: int
    repeats: int
    unusable: int
    lately: list[LatelyOut]
    problems: list[ProblemOut]
    replaced: bool


@router.get("")
def own_intake(user: SignedIn, post: ThePost, session: Reading) -> OwnIntakeOut:
    definitions, now = definitions_in(post, session), now_in(session)
    zone, days = definitions.school.timezone, days_until(definitions, now, LINE_DAYS)
    counted = connections.days_since(session, days[0]).get(connections.own_id(session) or 0, {})
    problems = [one for one in needs.problems(session) if one.kind == "event"]
    keys = [one.key for one in connections.every(session)]
    return OwnIntakeOut(
        address=f"{post.settings.address}/intake/events",
        line=[counted.get(day, {}).get("messages", 0) for day in days],
        events=sum(day["events"] for day in counted.values()),
        repeats=sum(day["repeats"] for day in counted.values()),
        unusable=sum(day["waits"] for day in counted.values()),
        lately=[
            LatelyOut(
                at=words.moment(one.at, zone),
                student=one.student.key,
                name=one.student.name,
                words=words.what_happened(definitions, Happening(one.type, one.at, one.names)),
            )
            for one in reported(session, LATELY, keys)
        ],
        problems=[ProblemOut(at=words.moment(one.at, zone), reason=one.reason) for one in problems[:LATELY]],
        replaced=len(post.intake_keys(real_now())) > 1,
    )


@router.post("/key")
def replace_key(user: SignedIn, post: ThePost) -> SecretOut:
    """A new key for our own intake, shown this once; the one before holds for another day."""
    with changing(post, user.name) as session:
        key = replace_intake_key(session, now_in(session), real_now())
    post.secrets["intake"] = key
    post.older_keys = read_older_keys(post.database)
    return SecretOut(secret=key)
