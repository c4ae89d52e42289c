"""A letter as a mail message (RFC 5322), with the headers for stopping it (RFC 2369, RFC 8058)."""

from __future__ import annotations

from binascii import b2a_qp
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from email.utils import format_datetime
from functools import lru_cache

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.merge import Value
from patient_courier.core.school.letters import Letter
from patient_courier.post.headers import address_field, structured_field, text_field, wire_address
from patient_courier.post.links import Links
from patient_courier.post.look import Look
from patient_courier.post.prepared import Rendered, prepare

# “=_” can't stand in a quoted-printable part (RFC 2045 section 6.7), so no part can be cut in two by it.
_BOUNDARY = "=_letter"
_PART = (
    '--{boundary}\r\nContent-Type: text/{kind}; charset="utf-8"\r\n'
    "Content-Transfer-Encoding: quoted-printable\r\n\r\n"
)
_PLAIN, _HTML = (_PART.format(boundary=_BOUNDARY, kind=kind).encode() for kind in ("plain", "html"))
_ALWAYS = (
    b"List-Unsubscribe-Post: List-Unsubscribe=One-Click\r\n"
    b"Auto-Submitted: auto-generated\r\n"
    b"MIME-Version: 1.0\r\n"
)
_BOTH = f'Content-Type: multipart/alternative; boundary="{_BOUNDARY}"\r\n\r\n'.encode()
# With a calendar file the letter is the first part of several (RFC 2046 section 5.1.3).
_OUTER = "=_parts"
_TOP = f'Content-Type: multipart/mixed; boundary="{_OUTER}"\r\n\r\n--{_OUTER}\r\n'.encode()
_FILE = (
    f'--{_OUTER}\r\nContent-Type: text/calendar; charset="utf-8"; method=PUBLISH\r\n'
    'Content-Disposition: attachment; filename="date-{number}.ics"\r\n'
    "Content-Transfer-Encoding: quoted-printable\r\n\r\n"
)
_END = f"--{_BOUNDARY}--\r\n".encode()


@dataclass(frozen=True, slots=True)
class Mail:
    """A message and its envelope: whom it comes from and goes to, as a mail server gets them."""

    raw: bytes
    sender: str
    recipients: tuple[str, ...]
    envelope: str = ""  # its own id, which reports about it bring back (RFC 3461 section 4.4)


@dataclass(frozen=True, slots=True)
class Sender:
    """Whom a letter says it is from, and where answers to it go."""

    name: str
    email: str
    reply_to: str | None


def sender_of(definitions: Definitions, letter: Letter, course: str | None, sequence: str | None) -> Sender:
    """The school's sender, called and addressed as the course wishes; answers go where the letter says, or its sequence, or the school."""
    school, about = definitions.school, definitions.courses.get(course or "")
    plan = definitions.sequences.get(sequence or "")
    own = about.sender_name if about else None
    return Sender(
        own or school.sender.name,
        (about.sender_email if about else None) or school.sender.email,
        letter.reply_to or (plan.sequence.reply_to if plan else None) or school.reply_to,
    )


def render(letter: Letter, look: Look, values: Mapping[str, Value], zone: str, links: Links) -> Rendered:
    """Fill a letter with a student's values; dates in ``zone``."""
    return prepare(letter, look).fill(values, zone, links)


def id_begins(delivery: int) -> tuple[str, str]:
    """What the Message-ID of a delivery may begin with, from whatever address the school writes: with a print, or without."""
    return f"delivery-{delivery}.", f"delivery-{delivery}@"


def message_id(delivery: int, sender: str, print_of: str = "") -> str:
    """The Message-ID of a delivery: always the same, so that a second copy would be known as one.

    ``print_of`` tells the letter apart from one that has its number after the school has come back from a copy.
    """
    return f"delivery-{delivery}{'.' if print_of else ''}{print_of}@{wire_address(sender).rpartition('@')[2]}"


def message(
    rendered: Rendered,
    sender: Sender,
    links: Links,
    *,
    message_id: str,
    to: Sequence[tuple[str, str]],
    date: Instant,
    comments: str = "",
    calendar: Sequence[bytes] = (),
    envelope: str = "",
) -> Mail:
    """The mail to send. ``to`` is (name, address); ``message_id`` without angle brackets.

    ``comments`` is a word about the message as such (RFC 5322 section 3.6.5); ``calendar`` files go with it.

    Raises headers.Unfit for an address that no server takes.
    """
    reply_to = [address_field("Reply-To", [("", sender.reply_to)])] if sender.reply_to else []
    head = [
        address_field("From", [(sender.name, sender.email)]),
        address_field("To", list(to)),
        *reply_to,
        text_field("Subject", rendered.subject),
        structured_field("Date", format_datetime(date.to_stdlib())),
        structured_field("Message-ID", f"<{message_id}>"),
        structured_field("List-Unsubscribe", f"<{links.stop}>"),
        *([text_field("Comments", comments)] if comments else []),
        _ALWAYS,
        _TOP if calendar else b"",
        _BOTH,
    ]
    body = [_PLAIN, _quoted(rendered.text), _HTML, _quoted(rendered.html), _END]
    for number, file in enumerate(calendar, 1):
        body += [_FILE.format(number=number).encode(), b2a_qp(file, istext=True), b"\r\n"]
    if calendar:
        body.append(f"--{_OUTER}--\r\n".encode())
    return Mail(
        b"".join((*head, *body)),
        wire_address(sender.email),
        tuple(wire_address(address) for _, address in to),
        envelope,
    )


def _quoted(text: str) -> bytes:
    """Quoted-printable with line ends as mail has them (RFC 2045 section 6.7: lines of at most 76)."""
    return b"".join(map(_quoted_line, text.removesuffix("\n").split("\n")))


@lru_cache(maxsize=4096)
def _quoted_line(line: str) -> bytes:
    """Every line is quoted by itself, and most are the same for all students of a letter."""
    return b2a_qp(f"{line}\r\n".encode(), istext=True)
