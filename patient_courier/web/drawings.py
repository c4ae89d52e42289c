"""Drawings that strangers may ask for: each made once and kept, one at a time, beside the pool that serves pages."""

from __future__ import annotations

import hashlib
from collections import OrderedDict
from collections.abc import Callable
from functools import partial

from anyio import CapacityLimiter
from anyio.to_thread import run_sync
from fastapi import Request, Response
from limits import RateLimitItemPerHour
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

# What is kept altogether (bytes); what was not asked for longest goes first.
MOST_KEPT = 48_000_000
# Drawings that are not kept yet: from one address, and those that may wait.
MOST_NEW = RateLimitItemPerHour(120, 1, "drawing")
MOST_WAITING = 20


class Drawings:
    """Keeps drawings under what tells one from another."""

    def __init__(self) -> None:
        self._kept: OrderedDict[str, bytes] = OrderedDict()
        self._bytes = 0
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._one: CapacityLimiter | None = None
        self._waiting = 0

    async def answer(
        self, request: Request, told: str, make: Callable[[], bytes], media_type: str, headers: dict[str, str]
    ) -> Response:
        """The drawing that ``told`` (its digest) stands for, made by ``make`` if it is not at hand.

        304 when the asker has it (RFC 9110, section 15.4.5); 429 for who asks for many new ones, 503 when many wait.
        """
        etag = f'"{told}"'
        headers = {**headers, "ETag": etag}
        if etag in [one.strip() for one in request.headers.get("if-none-match", "").split(",")]:
            return Response(status_code=304, headers=headers)
        if told not in self._kept:
            refused = self._refused(request)
            if refused is not None:
                return refused
            self._waiting += 1
            try:
                self._one = self._one or CapacityLimiter(1)
                await run_sync(partial(self._make, told, make), limiter=self._one)
            finally:
                self._waiting -= 1
        self._kept.move_to_end(told)
        return Response(self._kept[told], media_type=media_type, headers=headers)

    def _refused(self, request: Request) -> Response | None:
        if self._waiting >= MOST_WAITING:
            return _later(503, "Many certificates are being drawn at the moment. Try again in a minute.", 60)
        if not self._limiter.hit(MOST_NEW, request.client.host if request.client else ""):
            return _later(429, "Many certificates were asked for from here. Try again in an hour.", 3600)
        return None

    def _make(self, told: str, make: Callable[[], bytes]) -> None:
        """Runs one at a time; whoever waited for the same drawing finds it."""
        if told in self._kept:
            return
        body = make()
        self._kept[told] = body
        self._bytes += len(body)
        while self._bytes > MOST_KEPT and len(self._kept) > 1:
            _, old = self._kept.popitem(last=False)
            self._bytes -= len(old)


def digest(*told: object) -> str:
    """What tells a drawing from every other one."""
    return hashlib.sha256(repr(told).encode("utf-8", "replace")).hexdigest()[:32]


def _later(status: int, sentence: str, seconds: int) -> Response:
    return Response(sentence, status, {"Retry-After": str(seconds)}, media_type="text/plain; charset=utf-8")
