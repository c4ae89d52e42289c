"""A letter as a mail message (RFC 5322), with the headers for stopping it (RFC 2369, RFC 8058)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from email.headerregistry import Address
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime

from whenever import Instant

from patient_courier.core.merge import Template, Value, one_line
from patient_courier.core.school.courses import School
from patient_courier.core.school.letters import AnswersBlock, Letter
from patient_courier.post.links import Links
from patient_courier.post.page import ANSWER, page
from patient_courier.post.plain import plain_text

# RFC 5322 section 2.1.1 allows lines of 998; shorter ones would be folded in the middle of a link.
_POLICY = SMTP.clone(max_line_length=998)


@dataclass(frozen=True, slots=True)
class Rendered:
    """A letter as one student sees it."""

    subject: str
    preheader: str
    html: str
    text: str


def render(letter: Letter, school: School, values: Mapping[str, Value], zone: str, links: Links) -> Rendered:
    """Fill a letter with a student's values; dates in ``zone``."""
    filled = {
        **values,
        "links.stop": links.stop,
        "links.preferences": links.preferences,
        "links.view_online": links.view_online,
    }
    for block in letter.blocks:
        if isinstance(block, AnswersBlock):
            filled |= {ANSWER + choice.key: links.to_answer(choice.key) for choice in block.answers}
    return Rendered(
        subject=one_line(Template.parse(letter.subject).render(filled, zone, html=False)),
        preheader=one_line(Template.parse(letter.preheader).render(filled, zone, html=False)),
        html=page(letter, school).fill(filled, zone),
        text=plain_text(letter, school, filled, zone),
    )


def message(
    rendered: Rendered,
    school: School,
    links: Links,
    *,
    message_id: str,
    to: Sequence[tuple[str, str]],
    date: Instant,
) -> EmailMessage:
    """The mail to send. ``to`` is (name, address); ``message_id`` without angle brackets.

    Raises ValueError for an address that can't stand in a header.
    """
    mail = EmailMessage(policy=_POLICY)
    mail["From"] = _address(school.sender.name, school.sender.email)
    mail["To"] = [_address(name, address) for name, address in to]
    if school.reply_to:
        mail["Reply-To"] = _address("", school.reply_to)
    mail["Subject"] = rendered.subject
    mail["Date"] = format_datetime(date.to_stdlib())
    mail["Message-ID"] = f"<{message_id}>"
    mail["List-Unsubscribe"] = f"<{links.stop}>"
    mail["List-Unsubscribe-Post"] = "List-Unsubscribe=One-Click"
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(rendered.text, cte="quoted-printable")
    mail.add_alternative(rendered.html, subtype="html", cte="quoted-printable")
    return mail


def _address(name: str, address: str) -> Address:
    return Address(display_name=one_line(name).strip(), addr_spec=address)
