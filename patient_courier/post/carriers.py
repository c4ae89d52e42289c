"""Handing a message over: real SMTP, which the mailroom speaks too.

One connection is kept for many messages. Each begins on a connection known to
be clean, every answer is looked at, and what goes wrong is told apart: does it
say something about this address, this letter, this moment, or the server?
"""

from __future__ import annotations

import re
import smtplib
import socket
import ssl
from dataclasses import dataclass
from pathlib import Path
from typing import Literal, NoReturn, Protocol

from patient_courier.core.upkeep.mail_server import Security
from patient_courier.post.message import Mail
from patient_courier.post.overheard import Heard, Overheard, OverheardFromTheStart, said

About = Literal["address", "letter", "now", "server"]

# RFC 5321 section 4.5.3.2: three minutes for a block of data, ten for the answer at its end. For the answers
# before that we wait less than its five minutes: nothing has been taken yet, and nothing is lost by asking again.
ANSWER_SECONDS, BLOCK_SECONDS, END_SECONDS = 60.0, 180.0, 600.0
# RFC 3463 section 3.2, as far as it says that the recipient's address is no good; .7 and .8 are about the sender's.
_BAD_ADDRESS = re.compile(r"5\.1\.(?:[0-4]|6|9|10)\b|5\.2\.1\b")
_ENHANCED = re.compile(r"[245]\.\d{1,3}\.\d{1,3}\b")


class NotTaken(Exception):
    """The message was certainly not taken.

    ``about`` says what that says: the ``address`` is no good for good; this ``letter`` is not wanted;
    not ``now``, so try again later; the ``server`` can't be used at all, so that other letters would fare the same.
    """

    def __init__(self, reason: str, about: About) -> None:
        super().__init__(reason)
        self.about = about


class Unsure(Exception):
    """The connection broke when the message may already have been taken."""


class _Gone(Exception):
    """The connection is of no use any more; nothing of the message has been taken."""


@dataclass(frozen=True, slots=True)
class SmtpSettings:
    host: str
    port: int
    user: str = ""
    password: str = ""
    security: Security = "none"
    ca_file: Path | None = None
    answer_seconds: float = ANSWER_SECONDS
    end_seconds: float = END_SECONDS


class Carrier(Protocol):
    """What brings messages out, one after the other."""

    def post(self, mail: Mail) -> None:
        """Hand one message over. Raises NotTaken or Unsure."""

    def close(self) -> None:
        """Give up whatever is kept open; the next message opens it again."""


class SmtpCarrier:
    """Posts messages over one SMTP connection that is opened when needed and kept for the next."""

    def __init__(self, settings: SmtpSettings, heard: Heard | None = None) -> None:
        """``heard`` is told what is said, the password left out."""
        self._settings, self._heard = settings, heard
        self._connection: smtplib.SMTP | None = None

    def post(self, mail: Mail) -> None:
        """Hand one message over. Raises NotTaken or Unsure."""
        kept = self._connection is not None
        try:
            self._hand_over(self._connected(), mail)
        except _Gone as error:
            if not kept:
                raise NotTaken(self._unusable(str(error)), "server") from error
            # A server may close a connection that it has had open for long, or that has brought it many messages.
            try:
                self._hand_over(self._connected(), mail)
            except _Gone as again:
                raise NotTaken(self._unusable(str(again)), "server") from again

    def close(self) -> None:
        if self._connection is not None:
            self._connection.close()
            self._connection = None

    def _hand_over(self, connection: smtplib.SMTP, mail: Mail) -> None:
        try:
            self._envelope(connection, mail)
            connection.putcmd("data")
            code, answer = connection.getreply()
            if code != 354:
                self._refused("data", code, answer)
            lines = smtplib._quote_periods(mail.raw)  # type: ignore[attr-defined]
            self._wait_at_most(connection, BLOCK_SECONDS)
            connection.send(lines)
        except (smtplib.SMTPException, OSError) as error:
            # The server acts on nothing before the line with the full stop has come.
            self.close()
            raise _Gone(said(str(error))) from error
        try:
            self._wait_at_most(connection, self._settings.end_seconds)
            connection.send(b".\r\n")
            code, answer = connection.getreply()
            self._wait_at_most(connection, self._settings.answer_seconds)
        except (smtplib.SMTPException, OSError) as error:
            self.close()
            raise Unsure(said(str(error))) from error
        if 200 <= code < 300:
            return
        if not 400 <= code < 600:
            self.close()
            raise Unsure(f"the mail server gave an answer that means nothing: {code} {said(answer)}")
        self._refused("end", code, answer)

    def _envelope(self, connection: smtplib.SMTP, mail: Mail) -> None:
        """Sender and recipients; only when all are agreed on goes the message out, to them and nobody else."""
        options = ""
        if not all(map(str.isascii, (mail.sender, *mail.recipients))):
            if not connection.has_extn("smtputf8"):
                raise NotTaken(
                    "The mail server takes no addresses with letters beyond a to z before the @.", "letter"
                )
            options = " SMTPUTF8"
            connection.command_encoding = "utf-8"
        if mail.envelope and connection.has_extn("dsn"):
            # What comes back of it then says which letter it was, with its header (RFC 3461 sections 4.3 and 4.4).
            options += f" RET=HDRS ENVID={_xtext(mail.envelope)}"
        commands = [f"MAIL FROM:<{mail.sender}>{options}", *(f"RCPT TO:<{to}>" for to in mail.recipients)]
        pipelining = connection.has_extn("pipelining") and self._heard is None
        if pipelining:  # RFC 2920: said in one breath, answered one by one
            connection.send("".join(f"{command}\r\n" for command in commands))
        replies = []
        for command in commands:
            if not pipelining:
                connection.putcmd(command)
            replies.append(connection.getreply())
            if not pipelining and replies[-1][0] not in (250, 251):
                break
        for command, (code, answer) in zip(commands, replies, strict=False):
            if code not in (250, 251):
                self._refused("mail" if command.startswith("MAIL") else "rcpt", code, answer)

    def _refused(self, at: Literal["mail", "rcpt", "data", "end"], code: int, answer: bytes) -> NoReturn:
        """Leave a clean connection behind and say what a refusal is about. ``at`` is what was asked when it came."""
        text = f"{code} {said(answer)}"
        if code in (421, 503) and at != "end":
            # The server is closing, or has lost the thread: anew, on another connection.
            self.close()
            raise _Gone(text)
        self._reset()
        if at == "mail" and 400 <= code < 500:
            self.close()
            raise _Gone(text)
        raise NotTaken(f"The mail server answered: {text}", _about(at, code, said(answer)))

    def _reset(self) -> None:
        """Put an end to the transaction in hand; a connection that will not is given up."""
        try:
            if self._connection is not None and self._connection.rset()[0] != 250:
                self.close()
        except (smtplib.SMTPException, OSError):
            self.close()

    @staticmethod
    def _wait_at_most(connection: smtplib.SMTP, seconds: float) -> None:
        if connection.sock is not None:
            connection.sock.settimeout(seconds)

    def _connected(self) -> smtplib.SMTP:
        if self._connection is not None:
            return self._connection
        s = self._settings
        found: smtplib.SMTP | None = None
        try:
            context = ssl.create_default_context(cafile=s.ca_file) if s.security != "none" else None
            found = self._connect(context)
            assert found.sock is not None
            # A message and its end are two sends; without this the second would wait for the first one's receipt.
            found.sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            found.ehlo_or_helo_if_needed()
            if s.security == "starttls":
                found.starttls(context=context)
                found.ehlo_or_helo_if_needed()
            if s.user:
                found.login(s.user, s.password)
        except ssl.SSLCertVerificationError as error:
            self._give_up(found)
            sentence = (
                f"The mail server {s.host} can't show that it is the one: {error.verify_message}. Nothing was sent, "
                "no password either. Check the server's name, or name the file with its authority's certificate "
                "in PATIENT_COURIER_SMTP_CA_FILE."
            )
            raise NotTaken(sentence, "server") from error
        except smtplib.SMTPAuthenticationError as error:
            self._give_up(found)
            sentence = (
                f"The mail server {s.host} refuses the name and password: {error.smtp_code} {said(error.smtp_error)}. "
                "Check both under School, or in the settings it is started with, then try again."
            )
            raise NotTaken(sentence, "server") from error
        except (smtplib.SMTPException, OSError, ValueError) as error:
            self._give_up(found)
            raise NotTaken(self._unusable(said(str(error))), "server") from error
        self._connection = found
        return found

    def _connect(self, context: ssl.SSLContext | None) -> smtplib.SMTP:
        s = self._settings
        if self._heard is None:
            if s.security == "tls":
                return smtplib.SMTP_SSL(s.host, s.port, timeout=s.answer_seconds, context=context)
            return smtplib.SMTP(s.host, s.port, timeout=s.answer_seconds)
        found: Overheard
        if s.security == "tls":
            found = OverheardFromTheStart(timeout=s.answer_seconds, context=context)
        else:
            found = Overheard(timeout=s.answer_seconds)
        found.heard = self._heard
        # Unlike a connection that is made at once, this one must be told the name that the certificate is to show.
        found._host = s.host  # type: ignore[attr-defined]
        code, answer = found.connect(s.host, s.port)
        if code != 220:
            found.close()
            raise smtplib.SMTPConnectError(code, answer)
        return found

    @staticmethod
    def _give_up(connection: smtplib.SMTP | None) -> None:
        if connection is not None:
            connection.close()

    def _unusable(self, why: str) -> str:
        return f"The mail server {self._settings.host}:{self._settings.port} can't be used: {why}"


def _xtext(value: str) -> str:
    """RFC 3461 section 4: what could end the parameter is written as + and its number."""
    return "".join(c if "!" <= c <= "~" and c not in "+=" else f"+{ord(c):02X}" for c in value)


def _about(at: str, code: int, text: str) -> About:
    """What a refusal says. Only an answer to RCPT, or an enhanced status 5.1.x, says something about an address."""
    if code < 500:
        return "now"
    enhanced = _ENHANCED.match(text)
    if enhanced and _BAD_ADDRESS.match(text) and at != "mail":
        return "address"
    if at == "rcpt" and not enhanced and code in (550, 551, 553):
        return "address"
    # 530, 534, 535, 538: signing in is wanted, or wanted better (RFC 4954 section 6).
    return "server" if at == "mail" or code in (530, 534, 535, 538) else "letter"
