"""The web application: the API, the intake, the links in letters, and the built front end."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, JSONResponse
from fastapi.staticfiles import StaticFiles
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter
from starlette.datastructures import MutableHeaders
from starlette.middleware.gzip import GZipMiddleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from patient_courier.core.school.text import without_halves
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.practice_copy import PREFIX
from patient_courier.intake.apart import Occupied
from patient_courier.settings import Settings
from patient_courier.store.base.database import Busy, Unusable
from patient_courier.web.asking import Asking
from patient_courier.web.beginning import Beginning
from patient_courier.web.bounds import Bounds
from patient_courier.web.challenges import Challenges
from patient_courier.web.drawings import Drawings
from patient_courier.web.jobs import Board
from patient_courier.web.practice_copy import PracticeCopy
from patient_courier.web.programs.problems import Problems
from patient_courier.web.programs.webhooks import describe_webhooks
from patient_courier.web.public.found import plain_look
from patient_courier.web.public.pages import NoLink, no_link
from patient_courier.web.remembering import Remembered
from patient_courier.web.routes import include_routes
from patient_courier.web.sign_in import Passwords, TooOften

STATIC = Path(__file__).parent / "static"
_POLICY = (
    "default-src 'self'; img-src 'self' https: data:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; "
    "frame-src 'self'; frame-ancestors 'self'; base-uri 'none'; form-action 'self'"
)


class Served:
    """ASGI application: one school's post, which it starts and stops, behind the routes that all schools share.

    A practice copy is served like a school. ``real`` is the school that it is a copy of: who may come in is known there.
    """

    def __init__(self, post: Post, real: Post | None = None) -> None:
        self.post = post
        self.real = real
        self.people = (real or post).database
        self.copy = PracticeCopy(self, lambda copied: Served(copied, post))
        self.passwords = Passwords(post.database)
        self.drawings = Drawings()
        self.board = Board()
        self.remembered = Remembered()
        self.limits = MovingWindowRateLimiter(MemoryStorage())
        self.asking = Asking(post.settings)
        self.challenges = Challenges()
        self._routes: ASGIApp = shared_routes()
        if post.settings.demo:
            # The demo signs its owner in by itself, so no other site may pass for it under another name.
            hosts = ["127.0.0.1", "localhost", "testserver"]
            self._routes = TrustedHostMiddleware(self._routes, allowed_hosts=hosts)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "lifespan":
            await self._live(receive, send)
            return
        path: str = scope["path"]
        if self.real is None and (path == PREFIX or path.startswith(f"{PREFIX}/")):
            await self.copy(scope, receive, send)
            return
        scope["served"] = self
        await self._routes(scope, receive, send)

    async def _live(self, receive: Receive, send: Send) -> None:
        """Start the post with the server, and stop it with the server (ASGI specification, Lifespan Protocol)."""
        await receive()
        try:
            self.begin()
        except Exception as error:
            await send({"type": "lifespan.startup.failed", "message": str(error)})
            raise
        await send({"type": "lifespan.startup.complete"})
        await receive()
        self.end()
        await send({"type": "lifespan.shutdown.complete"})

    def begin(self) -> None:
        """Start the post, and open the practice copy that lies beside it."""
        self.post.start()
        if self.real is None:
            self.copy.begin()

    def end(self) -> None:
        self.copy.close()
        self.post.stop()
        self.asking.close()


def create_app(post: Post) -> Served:
    """The application over one school's post."""
    return Served(post)


def create_beginning(settings: Settings) -> Beginning:
    """The application while there is no school: the page that makes one."""
    return Beginning(settings, shared_routes(), create_app)


@cache
def shared_routes() -> FastAPI:
    """Every route and what stands round it, made once: that takes longer than a hundred requests."""
    app = FastAPI(
        title="Patient Courier",
        version="0.1.0",
        docs_url=None,
        redoc_url=None,
        openapi_url=None,  # known to our own build; strangers need no map
    )
    app.add_middleware(GZipMiddleware, minimum_size=1000)
    app.add_middleware(Headers)
    app.exception_handler(RequestValidationError)(_invalid)
    app.exception_handler(Busy)(_busy)
    app.exception_handler(Occupied)(_busy)
    app.exception_handler(TooOften)(_too_often)
    app.exception_handler(NoLink)(_no_link)
    app.add_middleware(Bounds)
    app.add_middleware(Problems)
    include_routes(app)
    if STATIC.is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")
    app.get("/{path:path}", include_in_schema=False)(_front_end)
    return app


def describe() -> FastAPI:
    """The routes alone, without a school behind them, for the OpenAPI description."""
    app = FastAPI(title="Patient Courier", version="0.1.0")
    include_routes(app)
    describe_webhooks(app)
    return app


class Headers:
    """ASGI middleware: the headers that every answer carries."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers["X-Content-Type-Options"] = "nosniff"
                headers.setdefault("Referrer-Policy", "same-origin")
                headers.setdefault("Content-Security-Policy", _POLICY)
                if scope["path"].startswith("/api"):
                    headers["Cache-Control"] = "no-store"
            await send(message)

        await self._app(scope, receive, with_headers if scope["type"] == "http" else send)


async def _invalid(request: Request, error: Exception) -> Response:
    """Wrong input as one sentence, like every other refusal."""
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    place = " ".join(str(part) for part in first["loc"][1:])
    message = without_halves(str(first["msg"]).removeprefix("Value error, "))
    return JSONResponse({"detail": f"{place}: {message}" if place else message}, status_code=422)


async def _busy(request: Request, error: Exception) -> Response:
    """Trouble of ours, not of what was sent: the same is welcome later (RFC 9110, section 15.6.4)."""
    seconds, said = (
        ("60", str(error)) if isinstance(error, Unusable) else ("2", f"{error} Try again in a moment.")
    )
    return JSONResponse({"detail": said}, status_code=503, headers={"Retry-After": seconds})


def _no_link(request: Request, error: Exception) -> Response:
    """A link of a letter that can't be used, in the school's look."""
    assert isinstance(error, NoLink)
    post: Post = request.scope["served"].post
    with post.database.reading() as session:
        return no_link(error, plain_look(post, session))


async def _too_often(request: Request, error: Exception) -> Response:
    assert isinstance(error, TooOften)
    return JSONResponse({"detail": str(error)}, status_code=429, headers={"Retry-After": str(error.seconds)})


def _front_end(path: str) -> Response:
    """Every other address belongs to the front end, which knows its own places."""
    if path.startswith(("api/", "intake/", "join/", "lists/", "post/", "pictures/")):
        return JSONResponse({"detail": "There is nothing at this address."}, status_code=404)
    if path and len(path) < 200 and path.isprintable():
        file = STATIC / path
        if file.is_file() and file.resolve().is_relative_to(STATIC.resolve()):
            return FileResponse(file)
    index = STATIC / "index.html"
    if not index.is_file():
        return JSONResponse({"detail": "The front end has not been built. Run: make build"}, status_code=503)
    return FileResponse(index, headers={"Cache-Control": "no-cache"})
