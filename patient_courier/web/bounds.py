"""What a request may cost before anybody knows who sends it: its size, its time, and text that can't be kept."""

from __future__ import annotations

import asyncio
import json
import re
from typing import Any

from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from patient_courier.core.letters.json_text import keepable

MOST_BYTES = 2_000_000
MOST_INTAKE_BYTES = 4_000_000
# A whole school as a file; read by its route, after it has been seen who sends it.
MOST_FILE_BYTES = 200_000_000
FILE_PATHS = ("/api/school/file", "/api/imports/read", "/api/event-files")
# A table of people; that of a quarter of a million has a fifth of this.
MOST_PEOPLE_BYTES = 50_000_000
# Pictures, and letters with their attachments.
MOST_AT = {"/api/pictures": 12_500_000, "/api/letters/read": 4_000_000, "/api/coming-back/proof": 50_000_000}
# All that are being read at the same moment, together.
MOST_BYTES_AT_ONCE = 64_000_000
BODY_SECONDS = 60.0
MOST_PATH = 2_000
MOST_QUERY = 8_000
_HALF = re.compile(rb"\\u[dD][89a-fA-F]")


class _Refused(Exception):
    def __init__(self, status: int, sentence: str) -> None:
        super().__init__(sentence)
        self.status = status


class Bounds:
    """ASGI middleware: reads a request's body within its limits and hands it on whole, or refuses it with a sentence."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app
        self._at_once = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        held = [0]
        try:
            if len(scope["raw_path"]) > MOST_PATH or len(scope["query_string"]) > MOST_QUERY:
                raise _Refused(414, "This address is too long.")
            if scope["path"] in FILE_PATHS:
                replay = receive
            else:
                body = await asyncio.wait_for(self._read(scope, receive, held), BODY_SECONDS)
                replay = _replay(body, receive)
            await self._app(scope, replay, send)
        except _Refused as error:
            await _answer(error.status, str(error))(scope, receive, send)
        except TimeoutError:
            await _answer(408, "The request took too long to come.")(scope, receive, send)
        finally:
            self._at_once -= held[0]

    async def _read(self, scope: Scope, receive: Receive, held: list[int]) -> bytes:
        headers = dict(scope["headers"])
        path = scope["path"]
        most = MOST_INTAKE_BYTES if path.startswith("/intake/") else MOST_AT.get(path, MOST_BYTES)
        length = headers.get(b"content-length", b"")
        if length.isdigit() and int(length) > most:
            raise _Refused(413, "Send less at once.")
        pieces: list[bytes] = []
        more = True
        while more:
            message = await receive()
            if message["type"] != "http.request":
                raise _Refused(400, "The request was broken off.")
            pieces.append(message.get("body", b""))
            held[0] += len(pieces[-1])
            self._at_once += len(pieces[-1])
            if held[0] > most:
                raise _Refused(413, "Send less at once.")
            if self._at_once > MOST_BYTES_AT_ONCE:
                raise _Refused(503, "Too much is coming in at the moment. Try again in a minute.")
            more = message.get("more_body", False)
        body = b"".join(pieces)
        if b"json" in headers.get(b"content-type", b"") and not scope["path"].startswith("/intake/"):
            _check_text(body)
        return body


def _check_text(body: bytes) -> None:
    """Refuse half characters (RFC 8259 section 8.2), which nothing behind here can keep or show."""
    if not _HALF.search(body):
        return
    try:
        data = json.loads(body)
    except (ValueError, RecursionError):
        return  # refused with its own sentence by whoever reads it
    if keepable(data) != data:
        raise _Refused(422, "There is half of a character in this text. Type it again.")


def _replay(body: bytes, receive: Receive) -> Receive:
    given = False

    async def replay() -> Message:
        nonlocal given
        if given:
            return await receive()
        given = True
        return {"type": "http.request", "body": body, "more_body": False}

    return replay


def _answer(status: int, sentence: str) -> JSONResponse:
    headers: dict[str, Any] = {"Connection": "close"}
    if status == 503:
        headers["Retry-After"] = "60"
    return JSONResponse({"detail": sentence}, status_code=status, headers=headers)
