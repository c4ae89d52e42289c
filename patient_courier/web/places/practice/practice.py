"""Practice classroom: be a student. What one does here goes through the same intake as from a real course site."""

from __future__ import annotations

import re
from email import message_from_bytes
from email.policy import default as mail_policy
from typing import Annotated, Any, Literal
from urllib.parse import quote

import httpx
from fastapi import APIRouter, HTTPException, Query, Request
from pydantic import BaseModel, Field

from patient_courier.core.completion.request import Open, Standing, claim, what_is_open
from patient_courier.core.people.classroom import Classroom, seen_by
from patient_courier.core.school.events import LetterOpened
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.post.far_side import Trouble
from patient_courier.practice.classroom import ActionRefused, event_for, events_to_finish, signed_report
from patient_courier.store.completion import certificates as prints
from patient_courier.store.connections.calls import kept as kept_calls
from patient_courier.store.engine.loading import load_states
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
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.places.students.page import find_student

MOST_CALLS = 50
GREYLISTED = 1
RowIdQuery = Annotated[int | None, Query(ge=1, le=2**63 - 1)]
router = APIRouter(prefix="/api/practice", tags=["practice"])


class Action(BaseModel):
    """What the pretend student does. ``object`` is the offer, course, lesson or quiz; ``score`` goes with a quiz.

    ``finish``: everything of a course that is still open, at once.
    """

    student: str = Field(max_length=200)
    do: Literal["buy", "enrol", "refund", "start", "complete", "take_quiz", "sign_in", "finish"]
    object: str = Field("", max_length=500)
    score: int | None = Field(None, ge=-1000, le=1000)


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


class Done(BaseModel):
    """What the intake answered."""

    taken: int
    known: int


def _practice_only(session: Session) -> None:
    if not read_clock(session).practice:
        raise HTTPException(409, "The practice classroom works in a practice school only.")


@router.get("/classroom/{student}")
def classroom(student: str, user: SignedIn, post: ThePost, session: Reading) -> Classroom:
    _practice_only(session)
    definitions = definitions_in(post, session)
    person = find_student(session, student)
    return seen_by(definitions, load_states(session, [person.id], definitions)[person.id])


@router.post("/do")
async def do(body: Action, request: Request, user: SignedIn, post: ThePost) -> Done:
    """Let the pretend student do something: a signed report to this application's own intake."""
    with post.database.reading() as session:
        _practice_only(session)
        find_student(session, body.student)
        now = read_clock(session).now
        open_ = _open(session, post, body) if body.do == "finish" else []
    try:
        events = events_to_finish(open_, body.student, now) or [
            event_for(body.do, body.student, body.object, body.score, now)
        ]
    except ActionRefused as error:
        raise HTTPException(422, str(error)) from error
    content, headers = signed_report(post.secrets["intake"], events)
    transport = httpx.ASGITransport(app=request.scope["served"])
    async with httpx.AsyncClient(transport=transport, base_url=f"http://{request.headers['host']}") as site:
        answer = await site.post("/intake/events", content=content, headers=headers)
    receipt: dict[str, Any] = answer.json()
    if answer.status_code != 200:
        raise HTTPException(422, receipt["refused"][0]["reason"])
    return Done(taken=receipt["taken"], known=receipt["known"])


def _open(session: Session, post: Post, body: Action) -> list[Open]:
    """What is open of the course that is to be finished. 409 when nothing is, or the student is not in it."""
    definitions = definitions_in(post, session)
    person = find_student(session, body.student)
    state = load_states(session, [person.id], definitions)[person.id]
    known_course(definitions, body.object)
    found = what_is_open(definitions, state, body.object)
    if state.facts.status(body.object) is None or not found:
        raise HTTPException(409, "There is nothing of this course that they could still finish.")
    return found


class CertificateHere(BaseModel):
    """Where the student stands with a course's certificate, and the pages they would get to by their letters.

    ``standing`` as they would read it; ``name_page`` and ``claim_page`` None until they have got a letter.
    """

    course: str
    standing: Standing
    code: str | None
    taken_back: bool
    claim_page: str | None
    name_page: str | None


@router.get("/certificates/{student}")
def certificates(student: str, user: SignedIn, post: ThePost, session: Reading) -> list[CertificateHere]:
    """Every certificate this student could have or has."""
    _practice_only(session)
    definitions = definitions_in(post, session)
    person = find_student(session, student)
    state = load_states(session, [person.id], definitions)[person.id]
    letters = [one.id for one in log.of_student(session, person.id) if one.status == "sent"]
    printed = {one.course: one for one in prints.of_student(session, person.id)}
    found = []
    for key, course in definitions.courses.items():
        if course.certificate is None or state.facts.status(key) is None:
            continue
        one = printed.get(key)
        pages = {
            place: f"{post.signer.address(place, letters[-1])}/{quote(key)}" if letters else None
            for place in ("claim", "name")
        }
        found.append(
            CertificateHere(
                course=key,
                standing=claim(definitions, state, key).standing,
                code=one.code if one else None,
                taken_back=one is not None and one.revoked,
                claim_page=pages["claim"],
                name_page=pages["name"],
            )
        )
    return found


@router.get("/inbox/{student}")
def get_inbox(
    student: str, user: SignedIn, post: ThePost, session: Reading, page: PageNumber = 1
) -> list[MailSummary]:
    """What the mailroom holds for a student's address, newest first, a page of fifty at a time."""
    person = find_student(session, student)
    zone = definitions_in(post, session).school.zone_of(person.timezone)
    found = []
    for mail in inbox(session, person.email, page):
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


def _report_opening(session: Session, post: Post, name: str) -> None:
    """The simulated mail program says that a letter has been opened, as a real one may."""
    found = re.match(r"delivery-(\d{1,18})@", name)
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


class CallOut(BaseModel):
    """A call as it was (or would be) made; a practice school keeps its calls instead of making them."""

    id: int
    at: str
    url: str
    sequence: str
    step: str
    student: str
    status: str
    reason: str | None
    body: dict[str, Any]


@router.get("/calls")
def list_calls(user: SignedIn, session: Reading, before: RowIdQuery = None) -> list[CallOut]:
    """The calls that steps have asked for, the newest first, fifty at a time; ``before`` the id of the last one seen."""
    return [
        CallOut(
            id=call.id,
            at=moment_text(call.at),
            url=call.url,
            sequence=call.sequence,
            step=call.step,
            student=call.student,
            status=call.status,
            reason=call.reason,
            body=call.body,
        )
        for call in kept_calls(session, MOST_CALLS, before)
    ]


class TroubleOut(BaseModel):
    """What the mail server of a student plays, and how often it still does (-1: always)."""

    kind: Trouble | None
    times: int


class TroubleIn(BaseModel):
    kind: Trouble | None


@router.get("/trouble/{student}")
def get_trouble(student: str, user: SignedIn, session: Reading) -> TroubleOut:
    found = returns.troubles(session).get(find_student(session, student).email.lower())
    return TroubleOut(kind=found[0] if found else None, times=found[1] if found else 0)  # type: ignore[arg-type]


@router.put("/trouble/{student}")
def set_trouble(student: str, body: TroubleIn, user: SignedIn, post: ThePost) -> TroubleOut:
    """Let a student's mail server play something; a greylisting one asks twice to come again. None ends it."""
    times = GREYLISTED if body.kind == "greylisting" else -1
    with post.database.writing() as session:
        returns.play(session, find_student(session, student).email, body.kind, times)
    post.far_side.read()
    post.outbox.try_now()
    post.nudge()
    return TroubleOut(kind=body.kind, times=times if body.kind else 0)
