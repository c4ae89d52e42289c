"""Practice classroom: be a student. What one does here goes through the same intake as from a real course site."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from urllib.parse import quote

import httpx
from fastapi import APIRouter, HTTPException, Query, Request
from pydantic import BaseModel, Field

from patient_courier.core.completion.request import Open, Standing, claim, what_is_open
from patient_courier.core.people.classroom import Classroom, seen_by
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.practice.classroom import ActionRefused, event_for, events_to_finish, signed_report
from patient_courier.store.completion import certificates as prints
from patient_courier.store.engine.loading import load_states
from patient_courier.store.outbox import log
from patient_courier.web.context import (
    Reading,
    Session,
    SignedIn,
    ThePost,
    definitions_in,
)
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.places.students.page import find_student

RowIdQuery = Annotated[int | None, Query(ge=1, le=2**63 - 1)]
router = APIRouter(prefix="/api/practice", tags=["practice"])


class Action(BaseModel):
    """What the pretend student does. ``object`` is the offer, course, lesson or quiz; ``score`` goes with a quiz.

    ``finish``: everything of a course that is still open, at once.
    """

    student: str = Field(max_length=200)
    do: Literal["buy", "enrol", "refund", "start", "complete", "take_quiz", "sign_in", "finish"]
    object: str = Field("", max_length=500)
    score: int | None = Field(None, ge=-1000, le=1000)


class Done(BaseModel):
    """What the intake answered."""

    taken: int
    known: int


def _practice_only(session: Session) -> None:
    if not read_clock(session).practice:
        raise HTTPException(409, "The practice classroom works in a practice school only.")


@router.get("/classroom/{student}")
def classroom(student: str, user: SignedIn, post: ThePost, session: Reading) -> Classroom:
    _practice_only(session)
    definitions = definitions_in(post, session)
    person = find_student(session, student)
    return seen_by(definitions, load_states(session, [person.id], definitions)[person.id])


@router.post("/do")
async def do(body: Action, request: Request, user: SignedIn, post: ThePost) -> Done:
    """Let the pretend student do something: a signed report to this application's own intake."""
    with post.database.reading() as session:
        _practice_only(session)
        find_student(session, body.student)
        now = read_clock(session).now
        open_ = _open(session, post, body) if body.do == "finish" else []
    try:
        events = events_to_finish(open_, body.student, now) or [
            event_for(body.do, body.student, body.object, body.score, now)
        ]
    except ActionRefused as error:
        raise HTTPException(422, str(error)) from error
    content, headers = signed_report(post.secrets["intake"], events)
    transport = httpx.ASGITransport(app=request.scope["served"])
    async with httpx.AsyncClient(transport=transport, base_url=f"http://{request.headers['host']}") as site:
        answer = await site.post("/intake/events", content=content, headers=headers)
    receipt: dict[str, Any] = answer.json()
    if answer.status_code != 200:
        raise HTTPException(422, receipt["refused"][0]["reason"])
    return Done(taken=receipt["taken"], known=receipt["known"])


def _open(session: Session, post: Post, body: Action) -> list[Open]:
    """What is open of the course that is to be finished. 409 when nothing is, or the student is not in it."""
    definitions = definitions_in(post, session)
    person = find_student(session, body.student)
    state = load_states(session, [person.id], definitions)[person.id]
    known_course(definitions, body.object)
    found = what_is_open(definitions, state, body.object)
    if state.facts.status(body.object) is None or not found:
        raise HTTPException(409, "There is nothing of this course that they could still finish.")
    return found


class CertificateHere(BaseModel):
    """Where the student stands with a course's certificate, and the pages they would get to by their letters.

    ``standing`` as they would read it; ``name_page`` and ``claim_page`` None until they have got a letter.
    """

    course: str
    standing: Standing
    code: str | None
    taken_back: bool
    claim_page: str | None
    name_page: str | None


@router.get("/certificates/{student}")
def certificates(student: str, user: SignedIn, post: ThePost, session: Reading) -> list[CertificateHere]:
    """Every certificate this student could have or has."""
    _practice_only(session)
    definitions = definitions_in(post, session)
    person = find_student(session, student)
    state = load_states(session, [person.id], definitions)[person.id]
    letters = [one.id for one in log.of_student(session, person.id) if one.status == "sent"]
    printed = {one.course: one for one in prints.of_student(session, person.id)}
    found = []
    for key, course in definitions.courses.items():
        if course.certificate is None or state.facts.status(key) is None:
            continue
        one = printed.get(key)
        pages = {
            place: f"{post.signer.address(place, letters[-1])}/{quote(key)}" if letters else None
            for place in ("claim", "name")
        }
        found.append(
            CertificateHere(
                course=key,
                standing=claim(definitions, state, key).standing,
                code=one.code if one else None,
                taken_back=one is not None and one.revoked,
                claim_page=pages["claim"],
                name_page=pages["name"],
            )
        )
    return found
