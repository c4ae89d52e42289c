"""How letters leave: the servers they are handed to, how fast, and the addresses they may come from."""

from __future__ import annotations

import re
from ipaddress import ip_address
from typing import Annotated, Literal

from pydantic import Field, field_validator

from patient_courier.core.school.courses import Email, check_email
from patient_courier.core.school.values import Model

Security = Literal["none", "starttls", "tls"]
# Where a server listens when nothing else is said: RFC 6409, RFC 8314, RFC 5321.
USUAL_PORTS: dict[Security, int] = {"starttls": 587, "tls": 465, "none": 25}
_LABEL = re.compile(r"[a-z0-9_]([a-z0-9_-]{0,61}[a-z0-9_])?")
MOST_A_DAY = 1_000_000


def check_host(value: str) -> str:
    """A server's name in the form the network knows it by, or its number. Raises ValueError with what to do."""
    found = value.strip().rstrip(".").lower()
    try:
        return str(ip_address(found.strip("[]")))
    except ValueError:
        pass
    try:
        found = found.encode("idna").decode()
    except UnicodeError:
        found = ""
    if not found or len(found) > 253 or not all(_LABEL.fullmatch(label) for label in found.split(".")):
        raise ValueError(
            "This is no name of a server. It looks like mail.example.com, without https:// and without a port."
        )
    return found


def one_line(value: str | None) -> str | None:
    """What is told to a server as it is. Raises ValueError for what would be several lines."""
    if value is not None and any(c in value for c in "\r\n\0"):
        raise ValueError("This has to stand in one line.")
    return value


class Account(Model):
    """A server of the mail world, and how one signs in to it."""

    host: str
    port: Annotated[int, Field(ge=1, le=65_535)]
    security: Security
    user: Annotated[str, Field(max_length=320)] = ""
    password: Annotated[str, Field(max_length=1000)] = ""

    _host = field_validator("host")(check_host)
    _lines = field_validator("user", "password")(one_line)


class MailServer(Account):
    """A server that takes letters. The pace is how many it is given at most; None: as many as it takes."""

    security: Security = "starttls"
    a_minute: Annotated[int, Field(ge=1, le=100_000)] | None = None
    a_day: Annotated[int, Field(ge=1, le=MOST_A_DAY)] | None = None


class Posting(Model):
    """The server, another one for when it refuses for a day, and the addresses that letters may come from beside the school's."""

    server: MailServer | None = None
    second: MailServer | None = None
    senders: Annotated[list[Email], Field(max_length=20)] = []

    @field_validator("senders")
    @classmethod
    def _senders(cls, value: list[str]) -> list[str]:
        return list(dict.fromkeys(check_email(address) for address in value))


class Incoming(Account):
    """A mailbox that is read over IMAP for what comes back. ``move_to``: reports that were read are put into this folder;
    None: they stay, marked as read."""

    port: Annotated[int, Field(ge=1, le=65_535)] = 993
    security: Security = "tls"
    folder: Annotated[str, Field(min_length=1, max_length=200)] = "INBOX"
    move_to: Annotated[str, Field(min_length=1, max_length=200)] | None = None

    _folders = field_validator("folder", "move_to")(one_line)
