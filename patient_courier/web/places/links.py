"""The pages behind the links in letters: stop, preferences, read in the browser. No sign-in; the link is signed."""

from __future__ import annotations

from html import escape
from typing import Annotated

from fastapi import APIRouter, Form, Response
from fastapi.responses import HTMLResponse, RedirectResponse
from whenever import Instant

from patient_courier.core.definitions import Definitions
from patient_courier.core.merge import Template
from patient_courier.core.school.events import Answered, CourseEvent, EventBase, PlainEvent
from patient_courier.core.school.letters import AnswersBlock
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import take_events
from patient_courier.post.message import render
from patient_courier.store import log
from patient_courier.store.answers import after_answer
from patient_courier.store.consents import Source
from patient_courier.store.log import Logged
from patient_courier.store.people import Person
from patient_courier.store.states import load_states
from patient_courier.web.context import Reading, Session, ThePost, Writing, definitions_in

router = APIRouter(prefix="/post", include_in_schema=False)
_BY_LINK = Source("the link to stop in a letter")
_BY_CHOICE = Source("the page “All your post”")
_BY_ANSWER = Source("an answer in a letter")


@router.get("/stop/{token}")
def stop_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Asks first: mail programs open links on their own, and that must not stop anything."""
    found = _find(post, session, token)
    if found is None:
        return _unknown()
    row, _ = found
    what = _stops(post, session, row)
    return _page(
        post,
        session,
        "Stop these letters?",
        f"<p>You will no longer get {escape(what)}.</p>{_button('Stop them')}",
    )


@router.post("/stop/{token}")
def stop(token: str, post: ThePost, session: Writing) -> HTMLResponse:
    """The one click of RFC 8058, and the button of the page: stops at once, without a question."""
    found = _find(post, session, token)
    if found is None:
        return _unknown()
    row, student = found
    what = _stops(post, session, row)
    now = read_clock(session).now
    definitions = definitions_in(post, session)
    events = _not_yet(session, definitions, student, _stop_events(session, row, student.key, now))
    if events:
        take_events(session, definitions, events, now, _BY_LINK)
    return _page(post, session, "Done", f"<p>You will no longer get {escape(what)}.</p>")


@router.api_route("/test/{rest:path}", methods=["GET", "POST"])
def of_a_test(rest: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Where the links of a test letter lead: they work, and do nothing."""
    return _page(
        post,
        session,
        "This was a test letter",
        "<p>In a real one this link would act. Nothing has happened.</p>",
    )


def _course(session: Session, row: Logged) -> str | None:
    return log.course_of(session, row)


def _stop_events(session: Session, row: Logged, student: str, now: Instant) -> list[EventBase]:
    """News letters stop news; help letters stop help with that course; a service letter's link stops both."""
    course = _course(session, row)
    events: list[EventBase] = []
    if row.purpose in ("news", "service") or course is None:
        events.append(PlainEvent.model_validate({"type": "news_stopped", "student": student, "at": now}))
    if row.purpose in ("course_help", "service") and course is not None:
        body = {"type": "course_help_stopped", "student": student, "at": now, "course": course}
        events.append(CourseEvent.model_validate(body))
    return events


def _not_yet(
    session: Session, definitions: Definitions, student: Person, events: list[EventBase]
) -> list[EventBase]:
    """The stops that are not in force yet: stopping again is no event, however often a link is opened."""
    facts = load_states(session, [student.id], definitions)[student.id].facts
    return [
        event
        for event in events
        if (event.course not in facts.help_stopped if isinstance(event, CourseEvent) else facts.news)
    ]


def _stops(post: Post, session: Session, row: Logged) -> str:
    definitions = definitions_in(post, session)
    course = _course(session, row)
    title = definitions.courses[course].title if course in definitions.courses else None
    help_letters = f"help letters for {title}"
    if row.purpose == "news" or title is None:
        return f"news from {definitions.school.name}"
    if row.purpose == "course_help":
        return help_letters
    return f"{help_letters}, nor news from {definitions.school.name}. Letters about your access still come"


@router.get("/preferences/{token}")
def preferences(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    found = _find(post, session, token)
    return _unknown() if found is None else _preferences(post, session, found[1])


@router.post("/preferences/{token}")
def change_preference(
    token: str, post: ThePost, session: Writing, what: Annotated[str, Form(max_length=200)]
) -> HTMLResponse:
    """Stop news, or help with one course."""
    found = _find(post, session, token)
    definitions = definitions_in(post, session)
    if found is None or (what != "news" and what not in definitions.courses):
        return _unknown()
    student = found[1]
    now = read_clock(session).now
    body = {"student": student.key, "at": now}
    event: EventBase
    if what == "news":
        event = PlainEvent.model_validate({**body, "type": "news_stopped"})
    else:
        event = CourseEvent.model_validate({**body, "type": "course_help_stopped", "course": what})
    events = _not_yet(session, definitions, student, [event])
    if events:
        take_events(session, definitions, events, now, _BY_CHOICE)
    session.expire_all()
    return _preferences(post, session, student)


def _preferences(post: Post, session: Session, student: Person) -> HTMLResponse:
    definitions = definitions_in(post, session)
    facts = load_states(session, [student.id], definitions)[student.id].facts
    lines = [_line(f"News from {definitions.school.name}", facts.news, "news")]
    for course in facts.enrolments:
        if course in definitions.courses:
            title = f"Help letters for {definitions.courses[course].title}"
            lines.append(_line(title, course not in facts.help_stopped, course))
    lines.append("<li>Letters about your access, receipts and certificates always come.</li>")
    return _page(post, session, "All your post", f"<ul>{''.join(lines)}</ul>")


def _line(title: str, on: bool, what: str) -> str:
    state = f"coming {_button('Stop', what)}" if on else "stopped"
    return f"<li>{escape(title)}: {state}</li>"


@router.get("/answer/{token}/{answer:path}")
def answer_page(token: str, answer: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Shows the answer and asks for one more click: mail programs open links on their own."""
    found = _find(post, session, token)
    label = _answer_label(post, session, found[0], answer) if found else None
    if label is None:
        return _unknown()
    return _page(post, session, "Your answer", f"<p>“{escape(label)}”</p>{_button('Send it')}")


@router.post("/answer/{token}/{answer:path}")
def give_answer(token: str, answer: str, post: ThePost, session: Writing) -> Response:
    """Takes the answer in, as often as the student changes their mind."""
    found = _find(post, session, token)
    label = _answer_label(post, session, found[0], answer) if found else None
    if found is None or label is None:
        return _unknown()
    row, student = found
    now = read_clock(session).now
    body = {"type": "answered", "student": student.key, "at": now, "letter": row.letter, "answer": answer}
    definitions = definitions_in(post, session)
    after = after_answer(session, definitions, row, answer)
    take_events(session, definitions, [Answered.model_validate(body)], now, _BY_ANSWER)
    if after.url and not after.page:
        return RedirectResponse(after.url, status_code=303)
    name = escape(definitions.school.sender.name or "We")
    said = f"<p>{escape(after.page)}</p>".replace("\n", "<br>") if after.page else ""
    said = said or f"<p>{name} got your answer: “{escape(label)}”.</p>"
    onward = f'<p><a href="{escape(after.url)}">Go on</a></p>' if after.url else ""
    return _page(post, session, "Thank you", said + onward)


def _answer_label(post: Post, session: Session, row: Logged, answer: str) -> str | None:
    """What an answer of this letter says; None when the letter has no such answer."""
    letter = log.letter_of(session, row)
    definitions = definitions_in(post, session)
    for block in letter.blocks:
        for choice in block.answers if isinstance(block, AnswersBlock) else ():
            if choice.key == answer:
                return Template.parse(choice.label).render(
                    row.values, definitions.school.timezone, html=False
                )
    return None


@router.get("/view/{token}")
def view(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    """The letter in the browser, as it was sent."""
    found = _find(post, session, token)
    if found is None:
        return _unknown()
    definitions = definitions_in(post, session)
    row, student = found
    letter = log.letter_of(session, row)
    zone = student.timezone or definitions.school.timezone
    try:
        rendered = render(letter, definitions.school, row.values, zone, post.signer.links(row.id))
    except ValueError:
        return _unknown()
    return HTMLResponse(rendered.html)


def _find(post: Post, session: Session, token: str) -> tuple[Logged, Person] | None:
    id = post.signer.delivery(token)
    return log.find(session, id) if id is not None else None


def _button(label: str, what: str = "") -> str:
    name = f' name="what" value="{escape(what)}"' if what else ""
    return f'<form method="post"><button{name}>{escape(label)}</button></form>'


def _unknown() -> HTMLResponse:
    body = "<h1>This link does not work</h1><p>It may have been cut off. Open it from the letter again.</p>"
    return HTMLResponse(_FRAME.format(school="", body=body), status_code=404)


def _page(post: Post, session: Session, title: str, body: str) -> HTMLResponse:
    definitions: Definitions = definitions_in(post, session)
    return HTMLResponse(_FRAME.format(school=escape(definitions.school.name), body=f"<h1>{title}</h1>{body}"))


_FRAME = """<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<meta name="robots" content="noindex"><meta name="referrer" content="no-referrer"><title>Your post</title><style>
body {{ font: 16px/1.55 Georgia, serif; background: #e8eef2; color: #13283b; margin: 0; padding: 40px 20px }}
main {{ max-width: 520px; margin: auto; background: #fff; padding: 28px 32px; border: 1px solid #c6d3dc; border-radius: 6px }}
p.school {{ color: #b5382a; font: 700 13px Helvetica, Arial, sans-serif; text-transform: uppercase; margin: 0 }}
h1 {{ font-size: 22px }} form {{ display: inline }} li {{ margin-bottom: 10px }}
button {{ background: #1b4f8a; color: #fff; border: 0; border-radius: 6px; padding: 9px 18px; font: 600 15px Helvetica, Arial, sans-serif }}
</style></head><body><main><p class="school">{school}</p>{body}</main></body></html>"""
