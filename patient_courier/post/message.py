"""A letter as a mail message (RFC 5322), with the headers for stopping it (RFC 2369, RFC 8058)."""

from __future__ import annotations

from binascii import b2a_qp
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from email.utils import format_datetime

from whenever import Instant

from patient_courier.core.merge import Value
from patient_courier.core.school.courses import School
from patient_courier.core.school.letters import Letter
from patient_courier.post.headers import address_field, structured_field, text_field, wire_address
from patient_courier.post.links import Links
from patient_courier.post.prepared import Rendered, prepare

# “=_” can't stand in a quoted-printable part (RFC 2045 section 6.7), so no part can be cut in two by it.
_BOUNDARY = "=_letter"
_PART = (
    '--{boundary}\r\nContent-Type: text/{kind}; charset="utf-8"\r\n'
    "Content-Transfer-Encoding: quoted-printable\r\n\r\n"
)
_PLAIN, _HTML = (_PART.format(boundary=_BOUNDARY, kind=kind).encode() for kind in ("plain", "html"))
_ALWAYS = (
    "List-Unsubscribe-Post: List-Unsubscribe=One-Click\r\n"
    "Auto-Submitted: auto-generated\r\n"
    "MIME-Version: 1.0\r\n"
    f'Content-Type: multipart/alternative; boundary="{_BOUNDARY}"\r\n\r\n'
).encode()
_END = f"--{_BOUNDARY}--\r\n".encode()


@dataclass(frozen=True, slots=True)
class Mail:
    """A message and its envelope: whom it comes from and goes to, as a mail server gets them."""

    raw: bytes
    sender: str
    recipients: tuple[str, ...]


def render(letter: Letter, school: School, values: Mapping[str, Value], zone: str, links: Links) -> Rendered:
    """Fill a letter with a student's values; dates in ``zone``."""
    return prepare(letter, school).fill(values, zone, links)


def message_id(delivery: int, sender: str) -> str:
    """The Message-ID of a delivery: always the same, so that a second copy would be known as one."""
    return f"delivery-{delivery}@{wire_address(sender).rpartition('@')[2]}"


def message(
    rendered: Rendered,
    school: School,
    links: Links,
    *,
    message_id: str,
    to: Sequence[tuple[str, str]],
    date: Instant,
    comments: str = "",
) -> Mail:
    """The mail to send. ``to`` is (name, address); ``message_id`` without angle brackets.

    ``comments`` is a word about the message as such (RFC 5322 section 3.6.5).

    Raises headers.Unfit for an address that no server takes.
    """
    reply_to = [address_field("Reply-To", [("", school.reply_to)])] if school.reply_to else []
    head = [
        address_field("From", [(school.sender.name, school.sender.email)]),
        address_field("To", list(to)),
        *reply_to,
        text_field("Subject", rendered.subject),
        structured_field("Date", format_datetime(date.to_stdlib())),
        structured_field("Message-ID", f"<{message_id}>"),
        structured_field("List-Unsubscribe", f"<{links.stop}>"),
        *([text_field("Comments", comments)] if comments else []),
        _ALWAYS,
    ]
    body = (_PLAIN, _quoted(rendered.text), _HTML, _quoted(rendered.html), _END)
    return Mail(
        b"".join((*head, *body)),
        wire_address(school.sender.email),
        tuple(wire_address(address) for _, address in to),
    )


def _quoted(text: str) -> bytes:
    """Quoted-printable with line ends as mail has them (RFC 2045 section 6.7: lines of at most 76)."""
    lines = text if text.endswith("\n") else text + "\n"
    return b2a_qp(lines.replace("\n", "\r\n").encode(), istext=True)
