"""Answer links: the answer is shown and asked for once more; afterwards the page that the letter has for it."""

from __future__ import annotations

from html import escape
from typing import Annotated

from fastapi import APIRouter, Form, Response
from fastapi.responses import HTMLResponse, RedirectResponse
from limits import RateLimitItemPerHour

from patient_courier.core.letters.merge import Template
from patient_courier.core.school.events import Answered
from patient_courier.core.school.text import clean_text
from patient_courier.dispatch.feedback import take_feedback
from patient_courier.dispatch.taking import take_events
from patient_courier.store.outbox.answer_page import After, after_answer, newest_answer
from patient_courier.store.students.consents import Source
from patient_courier.web.context import Limits, Reading, Session, ThePost, Writing
from patient_courier.web.public.found import Found, find
from patient_courier.web.public.pages import NoLink, button, page, paragraphs

router = APIRouter(prefix="/post", include_in_schema=False)
_BY_ANSWER = Source("an answer in a letter")
MOST_WORDS = 5000
# How often somebody may change their mind about one letter.
MOST_CHANGES = RateLimitItemPerHour(20, 1, "answer")
# What a form says that brings words, not an answer.
_WORDS = "words"


@router.get("/answer/{token}/{answer:path}")
def answer_page(token: str, answer: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Shows the answer and asks for one more click: mail programs open links on their own."""
    found = find(post, session, "answer", token)
    label = _label(found, answer)
    return page(found.look, "Your answer", f'<p class="said">{escape(label)}</p>{button("Send it")}')


@router.post("/answer/{token}/{answer:path}")
def give_answer(
    token: str,
    answer: str,
    post: ThePost,
    session: Writing,
    limits: Limits,
    what: Annotated[str, Form(max_length=10)] = "",
    words: Annotated[str, Form(max_length=20_000)] = "",
) -> Response:
    """Takes the answer in, when it is another than before; or the ``words`` they were asked for behind it."""
    found = find(post, session, "answer", token)
    label, row = _label(found, answer), found.row
    if what == _WORDS:
        return _keep_words(session, found, answer, words)
    body = {"type": "answered", "student": found.student.key, "at": found.now, "letter": row.letter}
    after = after_answer(session, found.definitions, row, answer)
    if newest_answer(session, found.student.id, row.letter) != answer:
        if not limits.hit(MOST_CHANGES, str(row.id)):
            said = "<p>You have answered this letter many times just now. Your last answer counts; try again in an hour.</p>"
            return page(found.look, "A little later, please", said, status=429)
        event = Answered.model_validate({**body, "answer": answer})
        take_events(session, found.definitions, [event], found.now, _BY_ANSWER)
    if after.value is not None:
        _take(session, found, answer, after.value)
    if after.url and not after.page and not after.ask:
        return RedirectResponse(after.url, status_code=303)
    name = found.definitions.school.sender.name or "We"
    said = paragraphs(after.page or f"{name} got your answer: “{label}”.")
    return page(found.look, "Thank you", said + _asked(after) + _onward(after))


def _asked(after: After, written: str = "", wrong: str = "") -> str:
    """Room for words, where the answer asks for some."""
    if not after.ask:
        return ""
    note = f'<p class="said" role="alert">{escape(wrong)}</p>' if wrong else ""
    return (
        f'{note}<form method="post"><input type="hidden" name="what" value="{_WORDS}"><label>{escape(after.ask)}<textarea name="words" required maxlength="{MOST_WORDS}">{escape(written)}</textarea></label>'
        "<button>Send it</button></form>"
    )


def _onward(after: After) -> str:
    if not after.url:
        return ""
    label = "Write a review" if after.review else "Go on"
    return f'<p style="margin-top:18px"><a href="{escape(after.url)}">{label}</a></p>'


def _keep_words(session: Session, found: Found, answer: str, words: str) -> HTMLResponse:
    """Keep what the student wrote, beside their answer; sent again, it takes the place of what stood there."""
    after = after_answer(session, found.definitions, found.row, answer)
    said = clean_text(words).strip()
    if not after.ask or not said or len(said) > MOST_WORDS:
        wrong = f"Write something, in at most {MOST_WORDS:,} letters." if after.ask else ""
        body = _asked(after, said[:MOST_WORDS], wrong) or "<p>There is nothing to write here any more.</p>"
        return page(found.look, "A few words", body, status=422)
    _take(session, found, answer, after.value, said)
    name = found.definitions.school.sender.name or "We"
    return page(found.look, "Thank you", f"<p>{escape(name)} will read it.</p>{_onward(after)}")


def _take(session: Session, found: Found, answer: str, value: int | None, words: str | None = None) -> None:
    letter = found.row.letter
    take_feedback(
        session, found.definitions, found.student.id, letter, found.course, answer, value, found.now, words
    )


def _label(found: Found, answer: str) -> str:
    """What an answer of this letter says. Raises NoLink when the letter has no such answer."""
    for _, choice in found.letter.answers():
        if choice.key == answer:
            return Template.parse(choice.label).render(found.row.values, found.zone, html=False)
    raise NoLink
