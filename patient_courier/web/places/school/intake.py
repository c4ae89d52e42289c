"""Where events from a real course site arrive."""

from __future__ import annotations

import asyncio
from typing import Any, Literal

from fastapi import APIRouter, Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.arriving import Reports
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.receiving import Receipt
from patient_courier.intake.events import read_body
from patient_courier.intake.signature import BadSignature, verify_any
from patient_courier.web.refusals import Said

router = APIRouter(prefix="/intake", tags=["intake"])
SMALL_BYTES = 4_000


class RefusedEvent(BaseModel):
    """An event that could not be used: its place in the batch, from 0, and the reason."""

    index: int
    reason: str


class ReceiptOut(BaseModel):
    """``taken`` events are new, ``known`` ones had been reported before by their id."""

    taken: int
    known: int
    refused: list[RefusedEvent]


_ANSWERS: dict[int | str, dict[str, Any]] = {
    **{status: {"model": ReceiptOut} for status in (200, 401, 422)},
    **{status: {"model": Said} for status in (408, 413, 503)},
}


@router.post("/events", responses=_ANSWERS)
async def post_events(request: Request) -> Response:
    """Take in one event, a list, or ``{"events": […]}``, signed after Standard Webhooks.

    422 when any event can't be used: the good ones are in all the same, the bad
    ones are kept in Needs you. 503 with Retry-After when too many come at once.
    """
    body = await request.body()
    post: Post = request.scope["served"].post
    try:
        message_id = verify_any(post.intake_keys(real_now()), body, request.headers)
    except BadSignature as error:
        refused = [RefusedEvent(index=0, reason=str(error))]
        return JSONResponse(ReceiptOut(taken=0, known=0, refused=refused).model_dump(), status_code=401)
    # Reading a small body takes less time than handing it to another thread.
    small = len(body) <= SMALL_BYTES
    reports = read_body(body, message_id) if small else await run_in_threadpool(read_body, body, message_id)
    receipt = await asyncio.wrap_future(post.arrivals.submit(Reports(reports)))
    return JSONResponse(receipt_out(receipt).model_dump(), status_code=422 if receipt.refused else 200)


class ReportOut(BaseModel):
    """What a report led to: the address was ``stopped``, the report ``noted``, the student has ``complained``, it was
    ``known``, or it names ``no_letter`` of ours."""

    became: Literal["stopped", "noted", "complained", "known", "no_letter", "no_report"]


@router.post("/mail", responses={401: {"model": Said}, 422: {"model": Said}})
async def post_mail(request: Request) -> Response:
    """Take in one message of the mail world, as it came: a bounce (RFC 3464) or a complaint (RFC 5965).

    Signed like events. 422 when it is no report, or of no letter of ours; nothing happens then.
    """
    body = await request.body()
    post: Post = request.scope["served"].post
    try:
        verify_any(post.intake_keys(real_now()), body, request.headers)
    except BadSignature as error:
        return JSONResponse({"detail": str(error)}, status_code=401)
    taken = await run_in_threadpool(post.take_report, body)
    if taken.became in ("no_letter", "no_report"):
        said = {
            "no_letter": "This report brings nothing back that proves which letter it is about.",
            "no_report": "This is no report about a letter.",
        }[taken.became]
        return JSONResponse({"detail": said}, status_code=422)
    return JSONResponse(ReportOut(became=taken.became).model_dump())


def receipt_out(receipt: Receipt) -> ReceiptOut:
    refused = [RefusedEvent(index=found.index, reason=found.reason) for found in receipt.refused]
    return ReceiptOut(taken=receipt.taken.new, known=receipt.taken.known, refused=refused)
