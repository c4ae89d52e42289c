"""Answer links: the answer is shown and asked for once more; afterwards the page that the letter has for it."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from patient_courier.core.merge import Template
from patient_courier.core.school.events import Answered
from patient_courier.dispatch.taking import take_events
from patient_courier.store.answers import after_answer
from patient_courier.store.consents import Source
from patient_courier.web.context import Reading, ThePost, Writing
from patient_courier.web.public.found import Found, find
from patient_courier.web.public.pages import NoLink, button, page, paragraphs

router = APIRouter(prefix="/post", include_in_schema=False)
_BY_ANSWER = Source("an answer in a letter")


@router.get("/answer/{token}/{answer:path}")
def answer_page(token: str, answer: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Shows the answer and asks for one more click: mail programs open links on their own."""
    found = find(post, session, "answer", token)
    label = _label(found, answer)
    return page(found.look, "Your answer", f'<p class="said">{escape(label)}</p>{button("Send it")}')


@router.post("/answer/{token}/{answer:path}")
def give_answer(token: str, answer: str, post: ThePost, session: Writing) -> Response:
    """Takes the answer in, as often as the student changes their mind."""
    found = find(post, session, "answer", token)
    label, row = _label(found, answer), found.row
    body = {"type": "answered", "student": found.student.key, "at": found.now, "letter": row.letter}
    after = after_answer(session, found.definitions, row, answer)
    event = Answered.model_validate({**body, "answer": answer})
    take_events(session, found.definitions, [event], found.now, _BY_ANSWER)
    if after.url and not after.page:
        return RedirectResponse(after.url, status_code=303)
    name = found.definitions.school.sender.name or "We"
    said = paragraphs(after.page or f"{name} got your answer: “{label}”.")
    onward = f'<p><a href="{escape(after.url)}">Go on</a></p>' if after.url else ""
    return page(found.look, "Thank you", said + onward)


def _label(found: Found, answer: str) -> str:
    """What an answer of this letter says. Raises NoLink when the letter has no such answer."""
    for _, choice in found.letter.answers():
        if choice.key == answer:
            return Template.parse(choice.label).render(found.row.values, found.zone, html=False)
    raise NoLink
