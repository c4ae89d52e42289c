"""Receivers in a process of their own: a bare one that takes every POST, and a dead one that never says a word."""

from __future__ import annotations

import asyncio
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager


async def _serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    try:
        while True:
            lines = (await reader.readuntil(b"\r\n\r\n")).lower().split(b"\r\n")
            length = next(int(line.split(b":")[1]) for line in lines if line.startswith(b"content-length"))
            await reader.readexactly(length)
            writer.write(b"HTTP/1.1 204 No Content\r\n\r\n")
    except (asyncio.IncompleteReadError, ConnectionError):
        writer.close()


async def _bare() -> None:
    server = await asyncio.start_server(_serve, "127.0.0.1", 0)
    print(server.sockets[0].getsockname()[1], flush=True)
    await server.serve_forever()


def _dead() -> None:
    with socket.create_server(("127.0.0.1", 0), backlog=200) as server:
        print(server.getsockname()[1], flush=True)
        time.sleep(3600)


@contextmanager
def receiver(kind: str) -> Iterator[str]:
    """The address of a ``bare`` or a ``dead`` one, while it runs."""
    command = [sys.executable, "-m", "benchmarks.receiver", kind]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout
        try:
            yield f"http://127.0.0.1:{int(server.stdout.readline())}/"
        finally:
            server.terminate()


if __name__ == "__main__":
    asyncio.run(_bare()) if sys.argv[1] == "bare" else _dead()
