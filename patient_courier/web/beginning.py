"""What is served before there is a school: the page that makes one, for whoever has the link; then the school itself."""

from __future__ import annotations

import secrets
import time
from collections.abc import Callable
from hmac import compare_digest
from threading import Lock
from typing import TYPE_CHECKING

from starlette.concurrency import run_in_threadpool
from starlette.responses import HTMLResponse, JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

from patient_courier.core.school.file import SchoolFile
from patient_courier.dispatch.beginning import Answers, begin_school
from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.database import Database

if TYPE_CHECKING:
    from patient_courier.web.app import Served

LINK_SECONDS = 3600.0
_ENDED = (
    "This link has ended. It works for an hour after the start, and until a school is made. "
    "Start Patient Courier again: it prints a new one."
)
_NOT_YET = (
    '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1">'
    "<title>Patient Courier</title><body style='font: 17px/1.5 system-ui, sans-serif; max-width: 34em; margin: 12vh auto; "
    "padding: 0 20px'><h1 style='font-size: 24px'>There is no school here yet</h1><p>Whoever started Patient Courier found a link "
    "in its first lines. It opens the page that sets the school up, and works for an hour; starting again prints a new one."
    "</p></body></html>"
)


class Ended(ValueError):
    """The link is not the one that was printed, or has ended; the message says what to do."""


class Beginning:
    """ASGI application: the set-up page until a school is made, and from then on that school, without a new start."""

    def __init__(self, settings: Settings, routes: ASGIApp, create: Callable[[Post], Served]) -> None:
        self._settings, self._routes, self._create = settings, routes, create
        self._key = secrets.token_urlsafe(24)
        self._ends = time.monotonic() + LINK_SECONDS
        self._served: Served | None = None
        self._making = Lock()

    @property
    def link(self) -> str:
        """The address to open; what is behind the # is sent to no server, so no log keeps it."""
        return f"{self._settings.address}/set-up#{self._key}"

    def check(self, key: str) -> None:
        """Raises Ended when this is not the key of a link that works."""
        fits = compare_digest(key.encode("utf-8", "replace"), self._key.encode())
        if self._served is not None or not fits or time.monotonic() > self._ends:
            raise Ended(_ENDED)

    def make(self, key: str, file: SchoolFile, answers: Answers) -> Served:
        """Make the school and open it. Raises Ended, NotEmpty, ValueError, OSError; nothing is made then."""
        with self._making:
            self.check(key)
            begin_school(self._settings, file, answers)
            served = self._create(Post(Database(self._settings.database), self._settings))
            served.begin()
            self._served = served
            return served

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await self._live(receive, send)
        elif self._served is not None:
            await self._served(scope, receive, send)
        elif scope["path"].startswith(("/api/set-up", "/assets/", "/mark.svg")) or scope["path"] == "/set-up":
            scope["beginning"] = self
            await self._routes(scope, receive, send)
        elif scope["path"].startswith(("/api", "/intake", "/join", "/lists", "/post")):
            said = {"detail": "There is no school here yet."}
            await JSONResponse(said, status_code=503, headers={"Retry-After": "60"})(scope, receive, send)
        else:
            await HTMLResponse(_NOT_YET, status_code=503, headers={"Retry-After": "60"})(scope, receive, send)

    async def _live(self, receive: Receive, send: Send) -> None:
        await receive()
        await send({"type": "lifespan.startup.complete"})
        await receive()
        if self._served is not None:
            await run_in_threadpool(self._served.end)
        await send({"type": "lifespan.shutdown.complete"})
