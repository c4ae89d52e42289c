"""The practice copy as it is served: below the school's own address, by the same program, for the same people."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import structlog
from starlette.responses import JSONResponse
from starlette.types import Receive, Scope, Send

from patient_courier.demo.loading import load_demo
from patient_courier.dispatch import practice_copy
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.practice_copy import PREFIX, Made, Names

if TYPE_CHECKING:
    from patient_courier.web.app import Served

log = structlog.get_logger()
LOOK_SECONDS = 3600.0


@dataclass(frozen=True, slots=True)
class Open:
    """A copy that is being served."""

    served: Served
    made: Made


class PracticeCopy:
    """The one practice copy of a school: made, opened, thrown away."""

    def __init__(self, school: Served, create: Callable[[Post], Served]) -> None:
        self._school, self._post, self._create = school, school.post, create
        self._open: Open | None = None
        self._changing = threading.Lock()
        self._timer: threading.Timer | None = None

    @property
    def open(self) -> Open | None:
        return self._open

    def begin(self) -> None:
        """Open the copy that lies there, if there is one. What is wrong with it must not keep the school from opening."""
        with self._changing:
            try:
                self._start()
            except Exception:
                log.exception("the practice copy can't be opened; throw it away and make another one")

    def make(self, names: Names, step: Callable[[int], None]) -> None:
        """Make a copy and open it, in the place of one that is there. Raises NotMade; that one stays then."""
        with self._changing:
            practice_copy.make(self._post.database, self._post.settings, names, load_demo, step)
            self._stop()
            practice_copy.put_in_place(self._post.settings)
            self._start()

    def throw_away(self) -> None:
        with self._changing:
            self._stop()
            practice_copy.remove(practice_copy.path_of(self._post.settings.database))

    def close(self) -> None:
        """Stop serving it; it lies there until the next start."""
        with self._changing:
            self._stop()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer what is asked below the prefix."""
        found = self._open
        if found is None:
            said = {"detail": "There is no practice copy. Make one in the practice classroom of the school."}
            await JSONResponse(said, status_code=404)(scope, receive, send)
            return
        inside = scope["path"].removeprefix(PREFIX) or "/"
        # Who may come in, and shows once more who they are, is known in the school.
        at_the_door = inside.startswith("/api/session/") or (
            inside == "/api/session" and scope["method"] not in ("GET", "HEAD")
        )
        served = self._school if at_the_door else found.served
        await served({**scope, "path": inside, "raw_path": inside.encode()}, receive, send)

    def _start(self) -> None:
        found = practice_copy.open_copy(self._post.settings)
        if found is None:
            return
        post, made = found
        served = self._create(post)
        served.begin()
        self._open = Open(served, made)
        self._wait()

    def _stop(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
            self._timer = None
        if self._open is not None:
            served, self._open = self._open.served, None
            served.end()
            served.post.database.close()

    def _wait(self) -> None:
        self._timer = threading.Timer(LOOK_SECONDS, self._look)
        self._timer.daemon = True
        self._timer.start()

    def _look(self) -> None:
        """Throw it away once it has ended."""
        if self._open is not None and self._open.made.ends <= real_now():
            self.throw_away()
        elif self._open is not None:
            self._wait()
