"""Refusals to programs as problem details (RFC 9457): whatever refuses a request under /api/v1 is put into that form."""

from __future__ import annotations

import json
from http import HTTPStatus
from typing import Any

from pydantic import BaseModel
from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

PLACE = "/api/v1"
MEDIA_TYPE = "application/problem+json"


class Problem(BaseModel):
    """Problem details (RFC 9457 section 3.1): ``type`` is about:blank, so ``title`` is that of the status."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str


PROBLEMS: dict[int | str, dict[str, Any]] = {
    status: {
        "description": said,
        "content": {MEDIA_TYPE: {"schema": {"$ref": "#/components/schemas/Problem"}}},
    }
    for status, said in (
        (401, "Without a key that holds"),
        (403, "With a key that is not for this"),
        (404, "There is no such thing"),
        (422, "What was sent can't be used, and why"),
        (429, "Too often; Retry-After says in how many seconds to come again"),
        (503, "Too much at the moment; Retry-After says when to come again"),
    )
}


class Problems:
    """ASGI middleware: answers of 400 and above under /api/v1 that say ``detail`` become problem details."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not (scope["path"] + "/").startswith(PLACE + "/"):
            await self._app(scope, receive, send)
            return
        held: list[Message] = []
        body = bytearray()

        async def turned(message: Message) -> None:
            if message["type"] == "http.response.start" and message["status"] >= 400:
                held.append(message)
            elif not held:
                await send(message)
            else:
                body.extend(message.get("body", b""))
                if not message.get("more_body"):
                    for part in _turned(held[0], bytes(body)):
                        await send(part)

        await self._app(scope, receive, turned)


def _turned(start: Message, body: bytes) -> list[Message]:
    status = int(start["status"])
    try:
        found = json.loads(body)
        detail = str(found["detail"]) if isinstance(found, dict) and "detail" in found else body.decode()
    except ValueError:
        detail = body.decode("utf-8", "replace")
    title = HTTPStatus(status).phrase if status in HTTPStatus._value2member_map_ else "Refused"
    problem = Problem(title=title, status=status, detail=detail).model_dump_json().encode()
    headers = MutableHeaders(raw=list(start["headers"]))
    headers["content-type"], headers["content-length"] = MEDIA_TYPE, str(len(problem))
    return [
        {"type": "http.response.start", "status": status, "headers": headers.raw},
        {"type": "http.response.body", "body": problem},
    ]
