"""A bare mail server in a process of its own: takes everything, keeps nothing. Prints its port."""

from __future__ import annotations

import asyncio
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager


async def _serve(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
    writer.write(b"220 bare\r\n")
    while line := await reader.readline():
        word = line[:4].upper()
        if word == b"DATA":
            writer.write(b"354 go on\r\n")
            await reader.readuntil(b"\r\n.\r\n")
        elif word == b"QUIT":
            break
        writer.write(b"250 ok\r\n")
    writer.close()


async def _main() -> None:
    server = await asyncio.start_server(_serve, "127.0.0.1", 0, limit=10_000_000)
    print(server.sockets[0].getsockname()[1], flush=True)
    await server.serve_forever()


@contextmanager
def bare_far_side() -> Iterator[int]:
    """The port of such a server, while it runs."""
    command = [sys.executable, "-m", "benchmarks.far_side"]
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout
        try:
            yield int(server.stdout.readline())
        finally:
            server.terminate()


if __name__ == "__main__":
    asyncio.run(_main())
