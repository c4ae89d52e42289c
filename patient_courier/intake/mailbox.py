"""A mailbox read over IMAP (RFC 3501): messages that have come since, whole and untouched."""

from __future__ import annotations

import imaplib
import ssl
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from email.parser import BytesHeaderParser
from email.policy import compat32
from email.utils import parseaddr
from hashlib import sha256
from pathlib import Path
from re import findall, match, search

from imap_tools import BaseMailBox, MailBox, MailBoxStartTls, MailBoxUnencrypted, MailMessageFlags
from imap_tools.errors import ImapToolsError

from patient_courier.core.school.text import clean_line, without_halves
from patient_courier.core.upkeep.mail_server import Incoming
from patient_courier.intake.mail_reports import MOST_BYTES

ANSWER_SECONDS = 30.0
MOST_AT_ONCE = 200
_HEAD_BYTES = 64_000


class NoMailbox(Exception):
    """The mailbox can't be read; the message says why and what to do."""


class Opened:
    """A mailbox while it is open."""

    def __init__(self, box: BaseMailBox, incoming: Incoming) -> None:
        self._box, self._incoming = box, incoming
        self.validity = int(box.folder.status(incoming.folder, ["UIDVALIDITY"])["UIDVALIDITY"])

    def numbers_above(self, number: int) -> list[int]:
        """The messages that have come since, the oldest first; ``n:*`` names the last one also when it is not newer."""
        found = (int(one) for one in self._box.uids(f"UID {number + 1}:*"))
        return sorted(one for one in found if one > number)[:MOST_AT_ONCE]

    def newest(self) -> int:
        return max((int(one) for one in self._box.uids("ALL")), default=0)

    def raw(self, number: int) -> bytes:
        """A message as it came, not marked as read by this. Empty when it has gone, or is larger than any report."""
        _, said = self._box.client.uid("FETCH", str(number), "(RFC822.SIZE)")
        size = search(rb"RFC822\.SIZE (\d+)", said[0] or b"") if said else None
        if size is None or int(size[1]) > MOST_BYTES:
            return b""
        # The bytes as they lie there: what a stranger has written is parsed by nobody before it is read apart.
        _, parts = self._box.client.uid("FETCH", str(number), "(BODY.PEEK[])")
        found = next((part[1] for part in parts or () if isinstance(part, tuple)), b"")
        return bytes(found)[:MOST_BYTES]

    def done(self, number: int) -> None:
        """A report has been taken in: it is marked as read, and moved where the owner wants it."""
        self._box.flag(str(number), MailMessageFlags.SEEN, True)
        if self._incoming.move_to is not None:
            self._box.move(str(number), self._incoming.move_to)


@contextmanager
def opened(incoming: Incoming, authority: Path | None = None) -> Iterator[Opened]:
    """The mailbox, signed in. ``authority``: a certificate to trust beside the system's. Raises NoMailbox."""
    try:
        box = _connected(incoming, authority)
        try:
            box.login(incoming.user, incoming.password, initial_folder=incoming.folder)
        except (imaplib.IMAP4.error, ImapToolsError) as error:
            raise NoMailbox(
                f"{incoming.host} refuses the name and password, or has no folder “{incoming.folder}”: {_said(error)}"
            ) from error
    except ssl.SSLCertVerificationError as error:
        raise NoMailbox(f"{incoming.host} can't show that it is the one: {error.verify_message}.") from error
    except (OSError, imaplib.IMAP4.error, ImapToolsError) as error:
        raise NoMailbox(
            f"{incoming.host} can't be reached at port {incoming.port}: {_said(error)}"
        ) from error
    try:
        yield Opened(box, incoming)
    except (OSError, imaplib.IMAP4.error, ImapToolsError, ValueError, KeyError) as error:
        raise NoMailbox(f"{incoming.host} can't be read: {_said(error)}") from error
    finally:
        with suppress(OSError, imaplib.IMAP4.error, ImapToolsError):  # it may have gone already
            box.logout()


def _connected(incoming: Incoming, authority: Path | None) -> BaseMailBox:
    context = ssl.create_default_context(cafile=authority)
    match incoming.security:
        case "tls":
            return MailBox(incoming.host, incoming.port, timeout=ANSWER_SECONDS, ssl_context=context)
        case "starttls":
            return MailBoxStartTls(incoming.host, incoming.port, timeout=ANSWER_SECONDS, ssl_context=context)
        case "none":
            return MailBoxUnencrypted(incoming.host, incoming.port, timeout=ANSWER_SECONDS)


def _said(error: BaseException) -> str:
    return " ".join(without_halves(str(error)).split())[:200] or type(error).__name__


class Written:
    """The head of a message that somebody wrote: from whom, about what, in answer to which of our letters."""

    def __init__(self, raw: bytes) -> None:
        head = BytesHeaderParser(policy=compat32).parsebytes(raw[:_HEAD_BYTES])
        self.email = parseaddr(str(head.get("From", ""))[:1000])[1][:320]
        self.subject = clean_line(str(head.get("Subject", "")))[:500]
        # RFC 5322 section 3.6.4; programs that answer for somebody on holiday say so (RFC 3834).
        named = findall(
            r"<delivery-(\d{1,18})[.@]", f"{head.get('In-Reply-To', '')} {head.get('References', '')}"[:8000]
        )
        self.delivery = int(named[-1]) if named else None
        automatic = str(head.get("Auto-Submitted", "no"))
        to_many = str(head.get("Precedence", "")).lower() in ("bulk", "junk", "list")
        self.by_machine = to_many or not match(r"(?i)\s*no\s*($|;)", automatic)
        self.digest = sha256(
            str(head.get("Message-ID", "")).encode("utf-8", "replace") or raw[:_HEAD_BYTES]
        ).hexdigest()
