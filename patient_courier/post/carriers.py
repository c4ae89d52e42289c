"""Handing a message over: real SMTP, which the mailroom speaks too."""

from __future__ import annotations

import smtplib
from dataclasses import dataclass
from email.message import EmailMessage
from typing import Literal

Security = Literal["none", "starttls", "tls"]


class NotTaken(Exception):
    """The message was certainly not taken. ``lasting``: trying again will not help."""

    def __init__(self, reason: str, *, lasting: bool) -> None:
        super().__init__(reason)
        self.lasting = lasting


class Unsure(Exception):
    """The connection broke when the message may already have been taken."""


@dataclass(frozen=True, slots=True)
class SmtpSettings:
    host: str
    port: int
    user: str = ""
    password: str = ""
    security: Security = "none"
    timeout: float = 30.0


class SmtpCarrier:
    """Posts messages over one SMTP connection that is opened when needed and kept for the next."""

    def __init__(self, settings: SmtpSettings) -> None:
        self._settings = settings
        self._connection: smtplib.SMTP | None = None

    def post(self, mail: EmailMessage, sender: str, recipients: list[str]) -> None:
        """Hand one message over. Raises NotTaken or Unsure."""
        connection = self._connected()
        try:
            connection.mail(sender)
            self._check_recipients(connection, recipients)
        except (smtplib.SMTPException, OSError) as error:
            self.close()
            raise NotTaken(str(error), lasting=False) from error
        try:
            code, answer = connection.data(mail.as_bytes())
        except smtplib.SMTPDataError as error:
            connection.rset()
            raise NotTaken(_text(error.smtp_error), lasting=error.smtp_code >= 500) from error
        except (smtplib.SMTPException, OSError) as error:
            self.close()
            raise Unsure(str(error)) from error
        if code != 250:
            connection.rset()
            raise NotTaken(_text(answer), lasting=code >= 500)

    @staticmethod
    def _check_recipients(connection: smtplib.SMTP, recipients: list[str]) -> None:
        for recipient in recipients:
            code, answer = connection.rcpt(recipient)
            if code not in (250, 251):
                connection.rset()
                raise NotTaken(_text(answer), lasting=code >= 500)

    def _connected(self) -> smtplib.SMTP:
        if self._connection is not None:
            try:
                if self._connection.noop()[0] == 250:
                    return self._connection
            except (smtplib.SMTPException, OSError):
                pass
            self.close()
        s = self._settings
        try:
            kind = smtplib.SMTP_SSL if s.security == "tls" else smtplib.SMTP
            connection = kind(s.host, s.port, timeout=s.timeout)
            if s.security == "starttls":
                connection.starttls()
            connection.ehlo_or_helo_if_needed()
            if s.user:
                connection.login(s.user, s.password)
        except (smtplib.SMTPException, OSError) as error:
            raise NotTaken(
                f"the mail server {s.host}:{s.port} can't be used: {error}", lasting=False
            ) from error
        self._connection = connection
        return connection

    def close(self) -> None:
        if self._connection is not None:
            self._connection.close()
            self._connection = None


def _text(answer: bytes | str) -> str:
    return answer.decode("utf-8", "replace") if isinstance(answer, bytes) else answer
