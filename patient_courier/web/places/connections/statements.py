"""Where xAPI statements arrive (IEEE 9274.1.1; xAPI 1.0.3, part 3): statements in, and about; nothing is given out."""

from __future__ import annotations

import asyncio
from typing import Any
from uuid import UUID

from fastapi import APIRouter, Request, Response
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool

from patient_courier.core.translating.statements import VERSIONS, BadStatement, Statement, read_statements
from patient_courier.dispatch.arriving import Stated, Unproven
from patient_courier.dispatch.dispatcher import Post
from patient_courier.web.places.connections.incoming import InAddress, whose
from patient_courier.web.refusals import Said

router = APIRouter(prefix="/intake/{address}/xapi", tags=["intake"])
VERSION_HEADER = "X-Experience-API-Version"
_SAID: dict[int | str, dict[str, Any]] = {
    status: {"model": Said} for status in (400, 401, 404, 409, 413, 503)
}


class AboutOut(BaseModel):
    """The versions of xAPI that are spoken here."""

    version: list[str]


@router.get("/about")
async def about(address: InAddress) -> Response:
    """The versions; asked without proof (xAPI 1.0.3, part 3, 2.8)."""
    body = AboutOut(version=list(VERSIONS)).model_dump()
    return JSONResponse(body, headers={VERSION_HEADER: VERSIONS[-1]})


@router.post("/statements", responses={200: {"model": list[UUID]}, **_SAID})
async def post_statements(address: InAddress, request: Request) -> Response:
    """Take in one statement or a list, all or none; answers with their ids."""
    return await _take(address, request, None)


@router.put("/statements", status_code=204, responses=_SAID)
async def put_statement(address: InAddress, request: Request, statementId: str = "") -> Response:
    """Take in the statement with this id; 409 when another one has it already."""
    return await _take(address, request, statementId)


@router.get("/statements", status_code=405, responses=_SAID)
async def get_statements(address: InAddress) -> Response:
    """Statements are taken in here, and not given out."""
    return _said(405, "Statements are taken in here, and not given out.", VERSIONS[-1])


async def _take(address: str, request: Request, only: str | None) -> Response:
    body = await request.body()
    post: Post = request.scope["served"].post
    version = request.headers.get(VERSION_HEADER, "")
    connection, wrong = await run_in_threadpool(whose, post, address, body, request)
    if connection is None:
        return _said(404, "No connection takes statements at this address.", VERSIONS[-1])
    if wrong is not None:
        await asyncio.wrap_future(post.arrivals.submit(Unproven(connection, wrong)))
        answer = _said(401, wrong, VERSIONS[-1])
        answer.headers["WWW-Authenticate"] = 'Basic realm="xAPI", charset="UTF-8"'
        return answer
    if not version.startswith(("1.0", "2.0")):
        return _said(
            400, f"Say in {VERSION_HEADER} which version this is: {' or '.join(VERSIONS)}.", VERSIONS[-1]
        )
    spoken = VERSIONS[0] if version.startswith("1.0") else VERSIONS[1]
    try:
        found = await run_in_threadpool(read_statements, body, only)
    except BadStatement as error:
        return _said(400, str(error), spoken)
    return await _answer(post, connection, found, spoken, put=only is not None)


async def _answer(
    post: Post, connection: int, found: list[Statement], version: str, *, put: bool
) -> Response:
    outcome = await asyncio.wrap_future(post.arrivals.submit(Stated(connection, found)))
    if outcome.conflict is not None:
        return _said(409, f"Another statement has the id {outcome.conflict} already.", version)
    if outcome.gone:
        return _said(404, "No connection takes statements at this address.", version)
    if outcome.full:
        answer = _said(
            503, "Too much of this connection waits to be looked at. Send it again later.", version
        )
        answer.headers["Retry-After"] = "3600"
        return answer
    if put:
        return Response(status_code=204, headers={VERSION_HEADER: version})
    return JSONResponse([one.id for one in found], headers={VERSION_HEADER: version})


def _said(status: int, sentence: str, version: str) -> Response:
    return JSONResponse({"detail": sentence}, status_code=status, headers={VERSION_HEADER: version})
