"""HTTP POST to an address that somebody has typed in: bounded in time and size, and never to an address inside.

The name is looked up here and the connection goes to the address that was checked, so that a name can't lead
elsewhere in between.
"""

from __future__ import annotations

import ipaddress
import socket
import ssl
import time
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from email.utils import parsedate_to_datetime
from functools import cache
from typing import Any

import httpcore
from httpcore._backends.sync import SyncBackend

from patient_courier.core.school.text import clean_text

TOTAL_SECONDS = 15.0
MOST_BYTES = 65_536
MOST_TEXT = 2_000


class NotReached(Exception):
    """The call was not made, or not answered; the message says why."""


@dataclass(frozen=True, slots=True)
class Answer:
    """What was answered: the status, the beginning of the text, and how many seconds are asked to be waited (Retry-After)."""

    status: int
    text: str
    asked: float | None


class Outward:
    """Posts one message after the other, over a connection that stays open where the receiver lets it.

    For one thread. ``inside``: whether addresses of this machine and its networks may be called too; ``total`` is the
    longest one call may take, in seconds.
    """

    def __init__(self, *, inside: Callable[[str], bool] | bool, total: float = TOTAL_SECONDS) -> None:
        self._backend = _Backend(inside)
        self._total = total
        self._pool = httpcore.ConnectionPool(
            ssl_context=_tls(), network_backend=self._backend, max_connections=1, keepalive_expiry=5.0
        )

    def close(self) -> None:
        self._pool.close()

    def post(self, url: str, body: bytes, headers: Mapping[str, str]) -> Answer:
        """Make the call. Raises NotReached."""
        self._backend.begin(time.monotonic() + self._total)
        try:
            given = [("Host", _host(httpcore.URL(url).origin)), *headers.items()]
            with self._pool.stream("POST", url, headers=given, content=body) as answer:
                status, text = int(answer.status), _beginning(answer)
                said = {name.lower(): value for name, value in answer.headers}
                return Answer(status, text, _asked(said.get(b"retry-after", b"")))
        except NotReached:
            raise
        except Exception as error:  # whatever stands in an address, it is this call that fails
            raise NotReached(f"not reached: {str(error) or type(error).__name__}") from error

    def knock(self, url: str) -> int:
        """The status an address answers with: asked by HEAD, and by GET where that is not liked. Raises NotReached."""
        status = self._ask("HEAD", url)
        return self._ask("GET", url) if status in (400, 403, 404, 405, 501) else status

    def _ask(self, method: str, url: str) -> int:
        self._backend.begin(time.monotonic() + self._total)
        try:
            given = [
                ("Host", _host(httpcore.URL(url).origin)),
                ("User-Agent", "Patient Courier, looking after links"),
            ]
            with self._pool.stream(method, url, headers=given) as answer:
                return int(answer.status)
        except NotReached:
            raise
        except Exception as error:  # as in post: whatever stands in an address
            raise NotReached(f"not reached: {str(error) or type(error).__name__}") from error


@cache
def _tls() -> ssl.SSLContext:
    return ssl.create_default_context()


def _beginning(answer: httpcore.Response) -> str:
    """The first signs of an answer's text. A text that breaks off is as good: the status is there."""
    found = b""
    try:
        for part in answer.iter_stream():
            found += part
            if len(found) > MOST_BYTES:
                break
    except (httpcore.NetworkError, httpcore.ProtocolError, httpcore.TimeoutException):
        pass
    return clean_text(found[:MOST_TEXT].decode("utf-8", "replace"))


def _asked(value: bytes) -> float | None:
    """The seconds of a Retry-After (RFC 9110 section 10.2.3), be it a number or a date."""
    text = value.decode("latin-1").strip()
    if text.isascii() and text.isdigit() and len(text) < 10:
        return float(text)
    try:
        return max(0.0, parsedate_to_datetime(text).timestamp() - time.time())
    except (TypeError, ValueError, OverflowError):
        return None


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

    def __init__(self, inside: Callable[[str], bool] | bool) -> None:
        self._inside = inside
        self._ends = 0.0
        self.read = 0

    def begin(self, ends: float) -> None:
        """A call begins, which is to be over then."""
        self._ends, self.read = ends, 0

    def _may(self, address: str) -> bool:
        return self._inside(address) if callable(self._inside) else self._inside

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.NetworkStream:
        addresses = [str(found[4][0]) for found in socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)]
        open_ones = [found for found in addresses if self._may(found) or not is_inside(found)]
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

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        if self._backend.read > MOST_BYTES:
            raise httpcore.ReadError("the answer is too long")
        found = self._stream.read(max_bytes, self._backend._left())
        self._backend.read += len(found)
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
