"""Where events from a real course site arrive."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.receiving import Receipt, keep_problem, receive
from patient_courier.intake.reading import NotEvents, read_body
from patient_courier.intake.signature import BadSignature, verify
from patient_courier.web.context import definitions_in

router = APIRouter(prefix="/intake", tags=["intake"])
MOST_BYTES = 4_000_000


class RefusedEvent(BaseModel):
    """An event that could not be used: its place in the batch, from 0, and the reason."""

    index: int
    reason: str


class ReceiptOut(BaseModel):
    """``taken`` events are new, ``known`` ones had been reported before by their id."""

    taken: int
    known: int
    refused: list[RefusedEvent]


@router.post("/events", responses={200: {"model": ReceiptOut}, 422: {"model": ReceiptOut}, 401: {}})
async def post_events(request: Request) -> Response:
    """Take in one event, a list, or ``{"events": […]}``, signed after Standard Webhooks.

    422 when any event can't be used: the good ones are in all the same, the bad
    ones are kept in Needs you.
    """
    body = await request.body()
    if len(body) > MOST_BYTES:
        return _answer(413, "Send fewer events at once.")
    post: Post = request.app.state.post
    try:
        message_id = verify(post.secrets["intake"], body, request.headers)
    except BadSignature as error:
        return _answer(401, str(error))
    return await run_in_threadpool(_take, post, body, message_id)


def _take(post: Post, body: bytes, message_id: str) -> Response:
    with post.database.writing() as session:
        now = read_clock(session).now
        try:
            receipt = receive(session, definitions_in(post, session), read_body(body, message_id), now)
        except NotEvents as error:
            keep_problem(session, body.decode("utf-8", "replace")[:10_000], str(error), now)
            return _answer(422, str(error))
    post.nudge()
    return JSONResponse(_receipt(receipt).model_dump(), status_code=422 if receipt.refused else 200)


def _receipt(receipt: Receipt) -> ReceiptOut:
    refused = [RefusedEvent(index=found.index, reason=found.reason) for found in receipt.refused]
    return ReceiptOut(taken=receipt.taken.new, known=receipt.taken.known, refused=refused)


def _answer(status: int, reason: str) -> Response:
    receipt = ReceiptOut(taken=0, known=0, refused=[RefusedEvent(index=0, reason=reason)])
    return JSONResponse(receipt.model_dump(), status_code=status)
