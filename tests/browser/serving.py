"""An application served by a thread of this process, for as long as a test needs it."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import uvicorn


def free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@contextmanager
def served(app: Any, port: int) -> Iterator[str]:
    """The address of an application that is being served."""
    server = uvicorn.Server(uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", ws="none"))
    serving = threading.Thread(target=server.run, name="site")
    serving.start()
    while not server.started and serving.is_alive():
        time.sleep(0.01)
    assert server.started
    try:
        yield f"http://127.0.0.1:{port}"
    finally:
        server.should_exit = True
        serving.join()
