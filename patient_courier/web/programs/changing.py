"""What programs change: events they report, tags and enrolments. No letter is posted by any of it but by the sequences."""

from __future__ import annotations

import asyncio
from typing import Annotated, Any
from uuid import uuid4

from fastapi import APIRouter, Body, Depends, HTTPException, Path, Request, Response
from pydantic import BaseModel, TypeAdapter, ValidationError
from starlette.concurrency import run_in_threadpool

from patient_courier.core.school.text import KeyText
from patient_courier.core.school.values import TagName
from patient_courier.dispatch.arriving import Reports
from patient_courier.dispatch.by_hand import Act, do
from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.events import read_body
from patient_courier.store.destinations.api_keys import ApiKey
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import people
from patient_courier.web.context import Session, ThePost, Writing, definitions_in, now_in
from patient_courier.web.places.school.intake import ReceiptOut, receipt_out
from patient_courier.web.programs.keyed import IdempotencyKey, answer, before, digest_of, may
from patient_courier.web.programs.problems import PLACE, PROBLEMS
from patient_courier.web.programs.reading import ProgramStudent, program_student

router = APIRouter(prefix=PLACE, tags=["programs"], responses=PROBLEMS)
Reporter = Annotated[ApiKey, Depends(may("report"))]
Changer = Annotated[ApiKey, Depends(may("change"))]
StudentKey = Annotated[str, Path(max_length=200)]
_TAG: TypeAdapter[str] = TypeAdapter(TagName)
_EXAMPLES: dict[str, Any] = {
    "finished": {
        "summary": "A lesson was finished",
        "value": {
            "events": [
                {
                    "type": "lesson_completed",
                    "student": {"email": "ana.reis@example.org", "first_name": "Ana"},
                    "lesson": "first-hive/choosing/sunny-side",
                    "at": "2026-03-01T18:20:00Z",
                    "id": "site-4711",
                }
            ]
        },
    }
}


@router.post(
    "/events",
    operation_id="report_events",
    response_model=ReceiptOut,
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/json": {"schema": {"type": "object"}, "examples": _EXAMPLES}},
        }
    },
)
async def report_events(program: Reporter, request: Request, idempotency: IdempotencyKey = None) -> Response:
    """Report one event, a list, or ``{"events": […]}``, in the form of the school file.

    What can't be used is named in ``refused`` and kept in Needs you; the others are in all the same.
    """
    post: Post = request.scope["served"].post
    body = await request.body()
    asked = digest_of("events", body.decode("utf-8", "replace"))
    found = await run_in_threadpool(_known, post, program, idempotency, asked)
    if found is not None:
        return found
    # Under its own id an event is taken in once, even should this answer be lost before it is remembered.
    name = f"api-{program.id}-{idempotency}" if idempotency else f"api-{uuid4()}"
    reports = await run_in_threadpool(read_body, body, name)
    receipt = await asyncio.wrap_future(post.arrivals.submit(Reports(reports)))
    return await run_in_threadpool(_remember, post, program, idempotency, asked, receipt_out(receipt))


def _known(post: Post, program: ApiKey, key: str | None, asked: str) -> Response | None:
    with post.database.reading() as session:
        return before(session, program, key, asked)


def _remember(post: Post, program: ApiKey, key: str | None, asked: str, what: ReceiptOut) -> Response:
    with post.database.writing() as session:
        return answer(session, program, key, asked, what)


@router.put("/students/{key}/tags/{tag}", operation_id="add_tag", response_model=ProgramStudent)
def add_tag(
    key: StudentKey,
    tag: str,
    program: Changer,
    post: ThePost,
    session: Writing,
    idempotency: IdempotencyKey = None,
) -> Response:
    """Give a student a tag; sequences that begin with it begin."""
    return _act(session, post, program, key, Act("tag", _tag(tag)), idempotency)


@router.delete("/students/{key}/tags/{tag}", operation_id="remove_tag", response_model=ProgramStudent)
def remove_tag(
    key: StudentKey,
    tag: str,
    program: Changer,
    post: ThePost,
    session: Writing,
    idempotency: IdempotencyKey = None,
) -> Response:
    """Take a tag off a student."""
    return _act(session, post, program, key, Act("untag", _tag(tag)), idempotency)


class CourseToEnrol(BaseModel):
    course: KeyText


@router.post("/students/{key}/enrolments", operation_id="enrol", response_model=ProgramStudent)
def enrol(
    key: StudentKey,
    body: Annotated[CourseToEnrol, Body(openapi_examples={"course": {"value": {"course": "first-hive"}}})],
    program: Changer,
    post: ThePost,
    session: Writing,
    idempotency: IdempotencyKey = None,
) -> Response:
    """Enrol a student in a course, as the owner does by hand."""
    _check_course(session, post, body.course)
    return _act(session, post, program, key, Act("enrol", body.course), idempotency)


@router.delete(
    "/students/{key}/enrolments/{course}", operation_id="end_enrolment", response_model=ProgramStudent
)
def end_enrolment(
    key: StudentKey,
    course: str,
    program: Changer,
    post: ThePost,
    session: Writing,
    idempotency: IdempotencyKey = None,
) -> Response:
    """End a student's access to a course, as the owner does by hand."""
    asked = digest_of("end", key, course)
    found = before(session, program, idempotency, asked)
    if found is not None:
        return found
    person = people.find(session, key)
    if person is None:
        raise HTTPException(404, "There is no student with this key.")
    _check_course(session, post, course)
    definitions = definitions_in(post, session)
    facts = load_states(session, [person.id], definitions)[person.id].facts
    if facts.status(course) in ("active", "completed", "preview"):
        people.end_enrolment(session, person.id, course, now_in(session))
        session.flush()
    return answer(session, program, idempotency, asked, _student(session, post, person.id))


def _act(
    session: Session, post: Post, program: ApiKey, key: str, act: Act, idempotency: str | None
) -> Response:
    asked = digest_of(act.what, key, act.name)
    found = before(session, program, idempotency, asked)
    if found is not None:
        return found
    person = people.find(session, key)
    if person is None:
        raise HTTPException(404, "There is no student with this key.")
    do(session, definitions_in(post, session), act, [person.id], now_in(session), f"the key “{program.name}”")
    session.flush()
    return answer(session, program, idempotency, asked, _student(session, post, person.id))


def _student(session: Session, post: Post, id: int) -> ProgramStudent:
    definitions = definitions_in(post, session)
    return program_student(definitions, load_states(session, [id], definitions)[id])


def _check_course(session: Session, post: Post, course: str) -> None:
    if course not in definitions_in(post, session).courses:
        raise HTTPException(404, f"There is no course “{course}”.")


def _tag(value: str) -> str:
    try:
        return _TAG.validate_python(value)
    except ValidationError as error:
        said = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
        raise HTTPException(422, f"This can't be a tag: {said}.") from error
