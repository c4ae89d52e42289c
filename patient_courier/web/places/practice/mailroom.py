"""What the practice school's mailroom holds for a student, and the troubles it plays."""

from __future__ import annotations

import re
from email import message_from_bytes
from email.policy import default as mail_policy

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.school.events import LetterOpened
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.post.far_side import Trouble
from patient_courier.store.outbox import log, returns
from patient_courier.store.outbox.mailroom import find_message, inbox, mark_opened
from patient_courier.store.students import people
from patient_courier.web.context import (
    PageNumber,
    Reading,
    RowId,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
)
from patient_courier.web.places.students.page import find_student

router = APIRouter(prefix="/api/practice", tags=["practice"])


GREYLISTED = 1


class MailSummary(BaseModel):
    id: int
    subject: str
    sent: str
    sent_at: str
    preview: str
    opened: bool


class MailOut(BaseModel):
    """A message as the student's mail program shows it, read back from the mail that arrived."""

    id: int
    subject: str
    sender: str
    to: str
    sent: str
    sent_at: str
    html: str
    text: str
    headers: list[tuple[str, str]]


@router.get("/inbox/{student}")
def get_inbox(
    student: str, user: SignedIn, post: ThePost, session: Reading, page: PageNumber = 1
) -> list[MailSummary]:
    """What the mailroom holds for a student, or for any address, newest first, a page of fifty at a time."""
    address, timezone = _whose(session, student)
    zone = definitions_in(post, session).school.zone_of(timezone)
    found = []
    for mail in inbox(session, address, page):
        part = message_from_bytes(mail.raw, policy=mail_policy).get_body(("plain",))
        text = " ".join(part.get_content().split())[:110] if part else ""
        found.append(
            MailSummary(
                id=mail.id,
                subject=mail.subject,
                sent=words.moment(mail.sent, zone),
                sent_at=moment_text(mail.sent),
                preview=text,
                opened=mail.opened,
            )
        )
    return found


def _whose(session: Session, student: str) -> tuple[str, str | None]:
    """The address and time zone of a student by key; of an address that belongs to nobody yet, itself."""
    if "@" in student:
        known = people.by_address(session, student)
        return student, known.timezone if known else None
    person = find_student(session, student)
    return person.email, person.timezone


def _report_opening(session: Session, post: Post, name: str) -> None:
    """The simulated mail program says that a letter has been opened, as a real one may."""
    found = re.match(r"delivery-(\d{1,18})[.@]", name)
    entry = log.find(session, int(found[1])) if found else None
    if entry is None or entry[0].recipients is not None:
        return
    delivery, person = entry
    now = read_clock(session).now
    body = {"type": "letter_opened", "student": person.key, "at": now, "letter": delivery.letter}
    take_events(session, definitions_in(post, session), [LetterOpened.model_validate(body)], now)


@router.post("/mail/{id}/open")
def open_mail(id: RowId, user: SignedIn, post: ThePost, session: Writing) -> MailOut:
    """Open a message in the simulated inbox."""
    mail = find_message(session, id)
    if mail is None:
        raise HTTPException(404, "There is no such message.")
    if not mail.opened:
        _report_opening(session, post, mail.message_id)
        mark_opened(session, id)
    message = message_from_bytes(mail.raw, policy=mail_policy)
    person = people.by_address(session, mail.recipient)
    zone = (person.timezone if person else None) or definitions_in(post, session).school.timezone
    html, text = message.get_body(("html",)), message.get_body(("plain",))
    return MailOut(
        id=mail.id,
        subject=mail.subject,
        sender=str(message["From"]),
        to=str(message["To"]),
        sent=words.moment(mail.sent, zone),
        sent_at=moment_text(mail.sent),
        html=html.get_content() if html else "",
        text=text.get_content() if text else "",
        headers=[(name, str(value)) for name, value in message.items()],
    )


class TroubleOut(BaseModel):
    """What the mail server of a student plays, and how often it still does (-1: always)."""

    kind: Trouble | None
    times: int


class TroubleIn(BaseModel):
    kind: Trouble | None


@router.get("/trouble/{student}")
def get_trouble(student: str, user: SignedIn, session: Reading) -> TroubleOut:
    found = returns.troubles(session).get(_whose(session, student)[0].lower())
    return TroubleOut(kind=found[0] if found else None, times=found[1] if found else 0)


@router.put("/trouble/{student}")
def set_trouble(student: str, body: TroubleIn, user: SignedIn, post: ThePost) -> TroubleOut:
    """Let a student's mail server play something; a greylisting one asks twice to come again. None ends it."""
    times = GREYLISTED if body.kind == "greylisting" else -1
    with post.database.writing() as session:
        returns.play(session, _whose(session, student)[0], body.kind, times)
    post.far_side.read()
    post.outbox.try_now()
    post.nudge()
    return TroubleOut(kind=body.kind, times=times if body.kind else 0)
