"""A mail as a message of a connection: some shops only write mails. Whom it is from, its subject, its text and its lines."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass
from email import message_from_bytes
from email.message import EmailMessage
from email.utils import parseaddr
from html import unescape

from patient_courier.core.letters.cleaning import plain_markup
from patient_courier.core.school.text import clean_line, clean_text
from patient_courier.intake.mail_bounds import BoundedMail, has_many_parts

MOST_BYTES = 1_000_000
# What stands on lines of its own in HTML.
_BREAKS = {"p", "br", "div", "li", "tr", "td", "h1", "h2", "h3"}
_TAG = re.compile(r"<[^>]*>")
# Of a long text its beginning says what happened (characters).
MOST_TEXT = 50_000
MOST_LINES = 1_000


class NoMail(ValueError):
    """A message that can't be read as a mail; the text says why."""


@dataclass(frozen=True, slots=True)
class MailText:
    """What stands in a mail: the sender's address, the subject, and the text, plain or made plain."""

    sender: str
    subject: str
    text: str

    def body(self) -> bytes:
        """As a message: its lines are those that hold something, without the blanks around them."""
        lines = [line.strip() for line in self.text.splitlines() if line.strip()][:MOST_LINES]
        found = {"from": self.sender, "subject": self.subject, "text": self.text, "lines": lines}
        return json.dumps(found, ensure_ascii=False).encode("utf-8", "replace")


def read_mail(raw: bytes) -> MailText:
    """Read a mail (RFC 5322). Raises NoMail."""
    if has_many_parts(raw):
        raise NoMail("This mail has too many parts.")
    try:
        mail = message_from_bytes(raw, policy=BoundedMail())
        assert isinstance(mail, EmailMessage)
        part = mail.get_body(("plain", "html"))
        text = str(part.get_content()) if part is not None else ""
        sender = parseaddr(str(mail["From"] or ""))[1]
        subject = clean_line(str(mail["Subject"] or ""))
    except (LookupError, ValueError, AssertionError, AttributeError, RecursionError) as error:
        raise NoMail("This mail can't be read: its text is in a form that nobody knows.") from error
    if part is not None and part.get_content_type() == "text/html":
        text = unescape(_TAG.sub("\n", plain_markup(text, _BREAKS)))
    if not sender and not text.strip():
        raise NoMail("This is no mail: it has no sender and no text.")
    return MailText(sender, subject, clean_text(text)[:MOST_TEXT])
