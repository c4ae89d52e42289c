"""Practice classroom: be a student. What one does here goes through the same intake as from a real course site."""

from __future__ import annotations

import re
from email import message_from_bytes
from email.policy import default as mail_policy
from typing import Any, Literal

import httpx
from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from patient_courier.core import words
from patient_courier.core.conditions import progress
from patient_courier.core.school.events import LetterOpened
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.taking import take_events
from patient_courier.practice.classroom import ActionRefused, event_for, signed_report
from patient_courier.store.mail import inbox
from patient_courier.store.states import load_states
from patient_courier.store.tables import DeliveryRow, MailRow, StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.students import find_student

router = APIRouter(prefix="/api/practice", tags=["practice"])


class Action(BaseModel):
    """What the pretend student does. ``object`` is the offer, course, lesson or quiz; ``score`` goes with a quiz."""

    student: str
    do: Literal["buy", "enrol", "refund", "start", "complete", "take_quiz", "sign_in"]
    object: str = ""
    score: int | None = None


class LessonOut(BaseModel):
    key: str
    title: str
    minutes: int | None
    started: bool
    done: bool


class QuizOut(BaseModel):
    key: str
    title: str
    pass_mark: int
    score: float | None
    passed: bool


class ModuleOut(BaseModel):
    key: str
    title: str
    done: bool
    lessons: list[LessonOut]
    quizzes: list[QuizOut]


class ClassCourse(BaseModel):
    """A course as the student sees it; ``status`` is null when they are not in it."""

    key: str
    title: str
    summary: str
    status: str | None
    progress: int
    modules: list[ModuleOut]


class OfferOut(BaseModel):
    key: str
    title: str
    price: str
    bought: bool
    courses: list[str]


class Classroom(BaseModel):
    offers: list[OfferOut]
    courses: list[ClassCourse]


class MailSummary(BaseModel):
    id: int
    subject: str
    sent: str
    preview: str
    opened: bool


class MailOut(BaseModel):
    """A message as the student's mail program shows it, read back from the mail that arrived."""

    id: int
    subject: str
    sender: str
    to: str
    sent: str
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
    row = find_student(session, student)
    state = load_states(session, [row.id], definitions)[row.id]
    facts = state.facts
    courses = []
    for key, course in definitions.courses.items():
        modules = []
        for module in course.modules:
            lessons = [
                LessonOut(
                    key=f"{key}/{x.key}",
                    title=x.title,
                    minutes=x.minutes,
                    started=f"{key}/{x.key}" in facts.watched,
                    done=f"{key}/{x.key}" in facts.lessons,
                )
                for x in module.lessons
            ]
            quizzes = []
            for quiz in module.quizzes:
                record = facts.quizzes.get(f"{key}/{quiz.key}")
                quizzes.append(
                    QuizOut(
                        key=f"{key}/{quiz.key}",
                        title=quiz.title,
                        pass_mark=quiz.pass_mark,
                        score=record.score if record else None,
                        passed=record is not None and record.passed is not None,
                    )
                )
            place = f"{key}/{module.key}"
            modules.append(
                ModuleOut(
                    key=place,
                    title=module.title,
                    done=place in facts.modules,
                    lessons=lessons,
                    quizzes=quizzes,
                )
            )
        courses.append(
            ClassCourse(
                key=key,
                title=course.title,
                summary=course.summary,
                status=facts.status(key),
                progress=progress(definitions, state, key),
                modules=modules,
            )
        )
    offers = [
        OfferOut(
            key=key,
            title=offer.title,
            price=str(offer.price) if offer.price else "free",
            bought=bool(facts.bought(key)),
            courses=[definitions.courses[course].title for course in offer.courses],
        )
        for key, offer in definitions.offers.items()
    ]
    return Classroom(offers=offers, courses=courses)


@router.post("/do")
async def do(body: Action, request: Request, user: SignedIn, post: ThePost) -> Done:
    """Let the pretend student do something: a signed report to this application's own intake."""
    with post.database.reading() as session:
        _practice_only(session)
        find_student(session, body.student)
        now = read_clock(session).now
    try:
        event = event_for(body.do, body.student, body.object, body.score, now)
    except ActionRefused as error:
        raise HTTPException(422, str(error)) from error
    content, headers = signed_report(post.secrets["intake"], event)
    transport = httpx.ASGITransport(app=request.app)
    async with httpx.AsyncClient(transport=transport, base_url=f"http://{request.headers['host']}") as site:
        answer = await site.post("/intake/events", content=content, headers=headers)
    receipt: dict[str, Any] = answer.json()
    if answer.status_code != 200:
        raise HTTPException(422, receipt["refused"][0]["reason"])
    return Done(taken=receipt["taken"], known=receipt["known"])


@router.get("/inbox/{student}")
def get_inbox(student: str, user: SignedIn, post: ThePost, session: Reading) -> list[MailSummary]:
    """What the mailroom holds for a student's address, newest first."""
    row = find_student(session, student)
    zone = row.timezone or definitions_in(post, session).school.timezone
    found = []
    for mail in session.scalars(inbox(row.email).limit(50)):
        message = message_from_bytes(mail.raw, policy=mail_policy)
        part = message.get_body(("plain",))
        text = " ".join(part.get_content().split())[:110] if part else ""
        found.append(
            MailSummary(
                id=mail.id,
                subject=mail.subject,
                sent=words.moment(mail.sent, zone),
                preview=text,
                opened=mail.opened,
            )
        )
    return found


def _report_opening(session: Session, post: ThePost, name: str) -> None:
    """The simulated mail program says that a letter has been opened, as a real one may."""
    found = re.match(r"delivery-(\d+)@", name)
    delivery = session.get(DeliveryRow, int(found[1])) if found else None
    if delivery is None or delivery.recipients is not None:
        return
    student = session.get_one(StudentRow, delivery.student_id)
    now = read_clock(session).now
    body = {"type": "letter_opened", "student": student.key, "at": now, "letter": delivery.letter}
    take_events(session, definitions_in(post, session), [LetterOpened.model_validate(body)], now)


@router.post("/mail/{id}/open")
def open_mail(id: int, user: SignedIn, post: ThePost, session: Writing) -> MailOut:
    """Open a message in the simulated inbox."""
    row = session.get(MailRow, id)
    if row is None:
        raise HTTPException(404, "There is no such message.")
    if not row.opened:
        _report_opening(session, post, row.message_id)
    session.execute(update(MailRow).where(MailRow.id == id).values(opened=True))
    message = message_from_bytes(row.raw, policy=mail_policy)
    student = session.scalar(
        select(StudentRow).where(StudentRow.email == str(message["To"].addresses[0].addr_spec))
    )
    zone = (student.timezone if student else None) or definitions_in(post, session).school.timezone
    html, text = message.get_body(("html",)), message.get_body(("plain",))
    return MailOut(
        id=row.id,
        subject=row.subject,
        sender=str(message["From"]),
        to=str(message["To"]),
        sent=words.moment(row.sent, zone),
        html=html.get_content() if html else "",
        text=text.get_content() if text else "",
        headers=[(name, str(value)) for name, value in message.items()],
    )
