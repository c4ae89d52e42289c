"""Where messages of connections arrive: each at its own secret address."""

from __future__ import annotations

import asyncio
from typing import Annotated, Any

from fastapi import APIRouter, Path, Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from patient_courier.dispatch.arriving import Delivered, Unproven
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.connecting import Outcome, proof_of
from patient_courier.dispatch.dispatcher import Post
from patient_courier.intake.mail_message import MOST_BYTES, NoMail
from patient_courier.intake.proofs import NotProven, prove
from patient_courier.store.connections import connections
from patient_courier.web.refusals import Said

router = APIRouter(prefix="/intake", tags=["intake"])


class Became(BaseModel):
    """What the items of a message became; all nought where a connection only listens."""

    events: int = 0
    repeats: int = 0
    waits: int = 0
    not_for_us: int = 0


BY_ADDRESS = (
    "Mails are only taken from a connection that proves itself by a secret or a signature, or whose mailbox is its "
    "owner's alone."
)
# The last part of a connection's address.
InAddress = Annotated[str, Path(max_length=200)]
_ANSWERS: dict[int | str, dict[str, Any]] = {
    200: {"model": Became},
    **{status: {"model": Said} for status in (401, 404, 413, 422, 503)},
}


@router.post("/{address}", responses=_ANSWERS)
async def post_message(address: InAddress, request: Request) -> Response:
    """Take in one message of the connection with this address: JSON or a form, as its own program writes it.

    200 when it is on the disk, whatever became of it: what waits is the owner's to solve, not the sender's. 401 when the
    proof fails, 422 when it is no message at all; 503 with Retry-After when too many come at once.
    """
    body = await request.body()
    post: Post = request.scope["served"].post
    # Two looks into indexes take less time than handing them to another thread; reads never wait for a write.
    connection, wrong = whose(post, address, body, request)
    if connection is None:
        return _said(404, "No connection takes messages at this address.")
    if wrong is not None:
        await asyncio.wrap_future(post.arrivals.submit(Unproven(connection, wrong)))
        return _said(401, wrong)
    delivered = Delivered(connection, request.headers.get("content-type", ""), body)
    return _answer(await asyncio.wrap_future(post.arrivals.submit(delivered)))


@router.post("/{address}/mail", responses={**_ANSWERS, 403: {"model": Said}})
async def post_mail(address: InAddress, request: Request) -> Response:
    """Take in one mail (RFC 5322) as a message: ``{"from", "subject", "text", "lines"}``.

    403 for a connection that proves itself by its address alone: anybody can write a mail, so who hands it over must show
    that it is the owner's own mail program, or the owner must have said that the mailbox is theirs alone.
    """
    body = await request.body()
    post: Post = request.scope["served"].post
    connection, wrong = whose(post, address, body, request, mail=True)
    if connection is None:
        return _said(404, "No connection takes messages at this address.")
    if wrong is not None:
        await asyncio.wrap_future(post.arrivals.submit(Unproven(connection, wrong)))
        return _said(403 if wrong == BY_ADDRESS else 401, wrong)
    if len(body) > MOST_BYTES:
        return _said(413, f"A mail has at most {MOST_BYTES:,} bytes.")
    try:
        mail = await run_in_threadpool(post.mails.mail, body)
    except NoMail as error:
        return _said(422, str(error))
    delivered = Delivered(connection, "application/json", mail.body())
    return _answer(await asyncio.wrap_future(post.arrivals.submit(delivered)))


def whose(
    post: Post, address: str, body: bytes, request: Request, *, mail: bool = False
) -> tuple[int | None, str | None]:
    """The connection that takes messages at an address, and what is wrong with the proof of this one.

    ``mail``: the address alone is no proof, since mails come from anybody, unless the mailbox is the owner's alone.
    """
    real = real_now()
    with post.database.looking() as connection:
        kept = connections.at_address(connection, address, real)
        if kept is None or kept.state == "off":
            return None, None
        valid = connections.secrets_of(connection, kept.id, "proof", real)
    if mail and proof_of(kept).kind == "address" and not kept.own_mailbox:
        return kept.id, BY_ADDRESS
    try:
        prove(proof_of(kept), valid, body, request.headers, real)
    except NotProven as error:
        return kept.id, str(error)
    return kept.id, None


def _answer(outcome: Outcome) -> Response:
    if outcome.gone:
        return _said(404, "No connection takes messages at this address.")
    if outcome.full:
        said = "Too much of this connection waits to be looked at. Send it again later."
        return JSONResponse({"detail": said}, status_code=503, headers={"Retry-After": "3600"})
    if outcome.refused is not None:
        return _said(422, outcome.refused)
    return JSONResponse(Became(**outcome.counts).model_dump())


def _said(status: int, sentence: str) -> Response:
    return JSONResponse({"detail": sentence}, status_code=status)
