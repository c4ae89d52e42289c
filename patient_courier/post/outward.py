"""HTTP POST to an address that somebody has typed in: bounded in time and size, and never to an address inside.

The name is looked up here and the connection goes to the address that was checked, so that a name can't lead
elsewhere in between.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
import time
from collections.abc import Iterable, Mapping
from typing import Any

import httpcore
from httpcore._backends.sync import SyncBackend

TOTAL_SECONDS = 15.0
MOST_BYTES = 65_536


class NotReached(Exception):
    """The call was not made, or not answered; the message says why."""


def post(
    url: str, body: bytes, headers: Mapping[str, str], *, inside: bool, total: float = TOTAL_SECONDS
) -> int:
    """Make the call and return the status of the answer, whose text nobody needs. Raises NotReached.

    ``inside``: whether addresses of this machine and its networks may be called too. ``total`` in seconds.
    """
    backend = _Backend(inside, time.monotonic() + total)
    try:
        with httpcore.ConnectionPool(
            ssl_context=ssl.create_default_context(), network_backend=backend, max_connections=1
        ) as pool:
            given = [("Host", _host(httpcore.URL(url).origin)), *headers.items()]
            with pool.stream("POST", url, headers=given, content=body) as answer:
                return int(answer.status)
    except NotReached:
        raise
    except Exception as error:  # whatever stands in an address, it is this call that fails
        raise NotReached(f"not reached: {str(error) or type(error).__name__}") from error


def _host(origin: httpcore.Origin) -> str:
    default = {b"http": 80, b"https": 443}.get(origin.scheme)
    return origin.host.decode() + (f":{origin.port}" if origin.port != default else "")


def is_inside(address: str) -> bool:
    """Whether an IP address is anything but a public one (RFC 6890: loopback, private, link-local …)."""
    found = ipaddress.ip_address(address.partition("%")[0])
    mapped = getattr(found, "ipv4_mapped", None) or getattr(found, "sixtofour", None)
    return not (mapped or found).is_global or found.is_multicast


class _Backend(SyncBackend):
    """Connects only where it may, and lets no part of a call go on beyond its end."""

    def __init__(self, inside: bool, ends: float) -> None:
        self._inside = inside
        self._ends = ends

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        addresses = [str(found[4][0]) for found in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)]
        open_ones = [found for found in addresses if self._inside or not is_inside(found)]
        if not open_ones:
            raise NotReached(
                f"{host} is an address inside this machine's network, which calls may not reach. "
                "PATIENT_COURIER_CALLS_INSIDE=true allows it."
            )
        for address in open_ones[:-1]:
            try:
                return _Bounded(
                    super().connect_tcp(address, port, self._left(), local_address, socket_options), self
                )
            except httpcore.ConnectError:
                continue
        return _Bounded(
            super().connect_tcp(open_ones[-1], port, self._left(), local_address, socket_options), self
        )

    def _left(self) -> float:
        left = self._ends - time.monotonic()
        if left <= 0:
            raise httpcore.ReadTimeout("the answer takes too long")
        return left


class _Bounded(httpcore.NetworkStream):
    """A stream that ends with its call's time, and that is not read beyond its size."""

    def __init__(self, stream: httpcore.NetworkStream, backend: _Backend) -> None:
        self._stream = stream
        self._backend = backend
        self._read = 0

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        if self._read > MOST_BYTES:
            raise httpcore.ReadError("the answer is too long")
        found = self._stream.read(max_bytes, self._backend._left())
        self._read += len(found)
        return found

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._stream.write(buffer, self._backend._left())

    def close(self) -> None:
        self._stream.close()

    def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.NetworkStream:
        return _Bounded(
            self._stream.start_tls(ssl_context, server_hostname, self._backend._left()), self._backend
        )

    def get_extra_info(self, info: str) -> Any:
        return self._stream.get_extra_info(info)
