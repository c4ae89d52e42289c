"""Another program that things are posted to: it keeps what it gets, and answers as it is told."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any


class Receiver:
    """``answer`` is a status, or what makes one of a body, perhaps after a while; ``got`` are headers and bodies."""

    def __init__(self) -> None:
        self.answer: int | Callable[[bytes], int] = 204
        self.got: list[tuple[dict[str, str], bytes]] = []
        outer = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_POST(self) -> None:
                length = int(self.headers["content-length"])
                body = self.rfile.read(length)
                if len(body) < length:
                    return  # its sender was killed on the way
                outer.got.append((dict(self.headers), body))
                self.send_response(outer.answer(body) if callable(outer.answer) else outer.answer)
                self.send_header("content-length", "0")
                self.end_headers()

            def log_message(self, *arguments: object) -> None: ...

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.server.daemon_threads = True
        self.server.handle_error = lambda *_: None  # type: ignore[method-assign] # senders are killed on purpose
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server.server_port}/here"

    def told(self) -> list[dict[str, Any]]:
        """What the bodies say, in the order in which they came."""
        return [json.loads(body) for _, body in self.got]

    def ids(self) -> list[str]:
        return [headers["webhook-id"] for headers, _ in self.got]


@contextmanager
def receiving() -> Iterator[Receiver]:
    found = Receiver()
    try:
        yield found
    finally:
        found.server.shutdown()
        found.server.server_close()
