"""Uvicorn with bounds on connections: a request's head must come soon, and who only holds a place gives it up first."""

from __future__ import annotations

import asyncio
import logging
import ssl
import sys
from pathlib import Path
from typing import Any, ClassVar

import uvicorn
from starlette.types import ASGIApp
from uvicorn.protocols.http.h11_impl import H11Protocol

HEAD_SECONDS = 10.0
# Below the usual limit of 1,024 open files, with room for the database, mail and calls.
MOST_CONNECTIONS = 400
SWITCH_SECONDS = 0.0005


class BoundedProtocol(H11Protocol):
    """One connection. ``waiting`` are those whose request has not come yet, the oldest first."""

    waiting: ClassVar[dict[BoundedProtocol, asyncio.TimerHandle]] = {}

    def connection_made(self, transport: Any) -> None:
        super().connection_made(transport)
        self._wait()
        if len(self.connections) > MOST_CONNECTIONS:
            oldest = next(iter(self.waiting), self)
            oldest._give_up()

    def connection_lost(self, exc: Exception | None) -> None:
        self._done_waiting()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        # A request whose head is complete has a cycle; from there its body is bounded in web/bounds.py.
        if self.cycle is not None and not self.cycle.response_complete:
            self._done_waiting()

    def on_response_complete(self) -> None:
        super().on_response_complete()
        if not self.transport.is_closing() and (self.cycle is None or self.cycle.response_complete):
            self._wait()

    def _wait(self) -> None:
        self._done_waiting()
        self.waiting[self] = self.loop.call_later(HEAD_SECONDS, self._give_up)

    def _done_waiting(self) -> None:
        timer = self.waiting.pop(self, None)
        if timer is not None:
            timer.cancel()

    def _give_up(self) -> None:
        self._done_waiting()
        if not self.transport.is_closing():
            self.transport.close()


def serve(
    app: ASGIApp,
    host: str,
    port: int,
    proxies: str = "",
    certificate: Path | None = None,
    key: Path | None = None,
) -> None:
    """Serve the application until it is told to stop. ``proxies``: whose word on where a request comes from is taken.

    With a ``certificate`` and its ``key`` by https. Raises OSError (ssl.SSLError too) for files that are no such pair.
    """
    if certificate is not None:
        ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(certificate, key)
    # Requests and workers share one interpreter lock, and a request changes hands several times: the usual 5 ms at
    # every change would add up to more than all the work.
    sys.setswitchinterval(SWITCH_SECONDS)
    # Its warnings name what a stranger sent, a line for every broken request: not worth a log.
    logging.getLogger("uvicorn.error").setLevel(logging.ERROR)
    uvicorn.run(
        app,
        host=host,
        port=port,
        log_level="error",
        access_log=False,
        http=BoundedProtocol,
        ws="none",
        proxy_headers=bool(proxies),
        forwarded_allow_ips=proxies,
        server_header=False,
        ssl_certfile=certificate,
        ssl_keyfile=key,
    )
