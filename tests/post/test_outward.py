"""Posting to an address that somebody has typed in: what is made of its answer, and where it may go."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime

import pytest

from patient_courier.dispatch.outgoing import _is_loopback, _on_this_machine
from patient_courier.post.outward import MOST_BYTES, MOST_TEXT, NotReached, Outward


class Raw:
    """Answers every request with the same bytes, and counts connections and requests."""

    def __init__(self, answer: bytes, *, closes: bool) -> None:
        self.answer, self.closes = answer, closes
        self.connections, self.requests = 0, []
        self.server = socket.create_server(("127.0.0.1", 0))
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.server.getsockname()[1]}/x?y=z"

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self.server.accept()
            except OSError:
                return
            self.connections += 1
            threading.Thread(target=self._talk, args=(connection,), daemon=True).start()

    def _talk(self, connection: socket.socket) -> None:
        # Whoever has heard enough hangs up.
        with suppress(ConnectionError), connection, connection.makefile("rb") as lines:
            while True:
                head = []
                while (line := lines.readline().strip()) != b"":
                    head.append(line)
                if not head:
                    return
                length = next(int(x.split(b":")[1]) for x in head if x.lower().startswith(b"content-length"))
                self.requests.append((head, lines.read(length)))
                try:
                    connection.sendall(self.answer)
                except OSError:
                    return
                if self.closes:
                    return


@contextmanager
def raw(answer: bytes, *, closes: bool = False) -> Iterator[Raw]:
    found = Raw(answer, closes=closes)
    try:
        yield found
    finally:
        found.server.close()


def http(status: str, body: bytes = b"", *headers: str) -> bytes:
    lines = [f"HTTP/1.1 {status}", f"content-length: {len(body)}", *headers, "", ""]
    return "\r\n".join(lines).encode() + body


def test_several_go_over_one_connection_each_whole_and_with_its_host():
    with raw(http("202 Accepted", b"thank you")) as found:
        outward = Outward(inside=True, total=10)
        for number in range(3):
            answer = outward.post(found.url, b"x" * number, {"webhook-id": f"m{number}"})
            assert (answer.status, answer.text, answer.asked) == (202, "thank you", None)
        outward.close()
        assert found.connections == 1
        assert [body for _, body in found.requests] == [b"", b"x", b"xx"]
        head = found.requests[0][0]
        assert head[0] == b"POST /x?y=z HTTP/1.1"
        assert b"host: " + found.url[7:].partition("/")[0].encode() in [line.lower() for line in head]


def test_a_receiver_that_closes_after_each_is_reached_again():
    with raw(http("204 No Content", b"", "connection: close"), closes=True) as found:
        outward = Outward(inside=True, total=10)
        assert [outward.post(found.url, b"1", {}).status for _ in range(3)] == [204, 204, 204]
        outward.close()
        assert found.connections == 3


@pytest.mark.parametrize(
    ("header", "seconds"),
    [("120", 120.0), ("0", 0.0), ("soon", None), ("-5", None), ("", None), ("9" * 40, None), ("1.5", None)],
)
def test_a_receiver_says_when_to_come_again(header, seconds):
    """RFC 9110 section 10.2.3: a number of seconds, or a date; what is neither says nothing."""
    with raw(http("503 Service Unavailable", b"", f"Retry-After: {header}")) as found:
        assert Outward(inside=True, total=10).post(found.url, b"", {}).asked == seconds


def test_a_date_says_when_to_come_again_too():
    for minutes, least, most in ((60, 3000, 3600), (-60, 0, 0)):
        date = format_datetime(datetime.now(UTC) + timedelta(minutes=minutes), usegmt=True)
        with raw(http("429 Too Many Requests", b"", f"retry-after: {date}")) as found:
            asked = Outward(inside=True, total=10).post(found.url, b"", {}).asked
            assert asked is not None and least <= asked <= most


def test_redirects_are_not_followed_since_they_may_lead_inside():
    with raw(http("204 No Content")) as inside, raw(http("307 T", b"", f"location: {inside.url}")) as found:
        assert Outward(inside=True, total=10).post(found.url, b"", {}).status == 307
        assert inside.requests == []


def test_of_a_long_or_strange_text_the_beginning_is_kept_clean():
    for body in (b"\x00\x1b[31mred\x07\r\nline", b"\xff\xfe" * 4000, b"a" * (MOST_BYTES * 2)):
        with raw(http("500 Oh", body)) as found:
            answer = Outward(inside=True, total=10).post(found.url, b"", {})
            assert answer.status == 500 and len(answer.text) <= MOST_TEXT
            assert not any(ord(sign) < 32 and sign not in "\n\t" for sign in answer.text)


def test_an_answer_whose_text_breaks_off_counts_by_its_status():
    with raw(b"HTTP/1.1 200 OK\r\ncontent-length: 100\r\n\r\nhalf", closes=True) as found:
        assert Outward(inside=True, total=10).post(found.url, b"", {}).status == 200


@pytest.mark.parametrize("answer", [b"", b"hello\r\n\r\n", b"HTTP/1.1 abc\r\n\r\n", b"\x16\x03\x01" * 40])
def test_what_is_no_http_is_not_reached(answer):
    with raw(answer, closes=True) as found, pytest.raises(NotReached):
        Outward(inside=True, total=5).post(found.url, b"", {})


def test_a_practice_school_reaches_this_machine_and_no_other_inside():
    with raw(http("204 No Content")) as found:
        assert Outward(inside=_is_loopback, total=5).post(found.url, b"", {}).status == 204
    for url in ("http://10.0.0.1/", "http://192.168.1.1/", "http://169.254.169.254/"):
        with pytest.raises(NotReached, match="inside"):
            Outward(inside=_is_loopback, total=5).post(url, b"", {})
    assert all(map(_on_this_machine, ("http://localhost/", "http://127.8.0.1:9/", "http://[::1]/x")))
    assert not any(
        map(
            _on_this_machine,
            ("http://localhost.example/", "https://list.example/", "http://[::1", "", "http://10.0.0.1/"),
        )
    )
