"""Asking for a certificate, by way of a link in a letter: it is there, it waits, it can be asked for, or what is still open."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from patient_courier.core.completion.request import Claim, Open, claim
from patient_courier.dispatch.certificate_requests import ask
from patient_courier.post.look import Look
from patient_courier.post.marks import CLAIM_LABEL, SAFE_LINK
from patient_courier.store.completion import approvals, certificates
from patient_courier.store.engine.loading import load_states
from patient_courier.web.context import Reading, Session, ThePost, Writing
from patient_courier.web.printed_certificate import look_of_certificate
from patient_courier.web.public.found import Found, find
from patient_courier.web.public.pages import NoLink, below, button, page

router = APIRouter(prefix="/post", include_in_schema=False)


@router.get("/claim/{token}")
@router.get("/claim/{token}/{course:path}")
def claim_page(token: str, post: ThePost, session: Reading, course: str = "") -> Response:
    found = find(post, session, "claim", token)
    key = _course(session, found, course)
    return _shown(session, found, key, _claim(session, found, key))


@router.post("/claim/{token}")
@router.post("/claim/{token}/{course:path}")
def ask_for_it(token: str, post: ThePost, session: Writing, course: str = "") -> Response:
    """Ask for it. What is not finished is not asked for, however the page was sent."""
    found = find(post, session, "claim", token)
    key = _course(session, found, course)
    before = _claim(session, found, key)
    if before.standing == "ready" or (before.standing == "asked" and _put_aside(session, found, key)):
        ask(session, found.definitions, found.student.id, key, found.now)
        session.expire_all()
    return _shown(session, found, key, _claim(session, found, key))


def _course(session: Session, found: Found, wish: str) -> str:
    """The course that is asked about: the letter's, or one in the link that the student is or was in. Raises NoLink."""
    key = wish or found.course or ""
    if key not in found.definitions.courses or (key != found.course and not _is_in(session, found, key)):
        raise NoLink(old=True)
    return key


def _is_in(session: Session, found: Found, course: str) -> bool:
    state = load_states(session, [found.student.id], found.definitions)[found.student.id]
    return course in state.facts.enrolments or course in state.facts.certificates


def _claim(session: Session, found: Found, course: str) -> Claim:
    state = load_states(session, [found.student.id], found.definitions)[found.student.id]
    return claim(found.definitions, state, course)


def _put_aside(session: Session, found: Found, course: str) -> bool:
    return approvals.was_declined(session, found.student.id, course)


def _shown(session: Session, found: Found, course: str, now: Claim) -> Response:
    title, school = found.definitions.courses[course].title, found.definitions.school
    look, said = look_of_certificate(found.definitions, course), escape(title)
    name = escape(school.sender.name or school.name)
    match now.standing:
        case "issued":
            for one in certificates.of_student(session, found.student.id):
                if one.course == course and not one.revoked:
                    return RedirectResponse(
                        f"{below(found.definitions.site)}/certificate/{one.code}/yours", status_code=303
                    )
            raise NoLink(old=True)
        case "asked" if _put_aside(session, found, course):
            body = f"<p>{name} has looked at your certificate of <b>{said}</b> and wants to see something more first. If that is done, ask again.</p>{button('Ask again')}"
            return page(look, "Not quite yet", body)
        case "asked":
            body = f"<p>You have finished <b>{said}</b>, and {name} looks at your certificate by hand. You get a letter when it is there; you need do nothing more.</p>"
            return page(look, "It is on its way", body)
        case "ready":
            body = f"<p>You have finished <b>{said}</b>. Well done! {name} looks at it and issues your certificate.</p>{button(CLAIM_LABEL)}"
            return page(look, "Your certificate", body)
        case "open":
            return _open(title, look, now)
        case "none":
            pass
    body = f"<p>There is no certificate of <b>{said}</b> for you to ask for. If you think there should be, answer to our letter.</p>"
    return page(look, "No certificate here", body)


def _open(title: str, look: Look, now: Claim) -> HTMLResponse:
    """What is not done yet, said kindly, with the way there."""
    number = len(now.open_)
    left = "one thing" if number == 1 else f"{number} things"
    lines = "".join(f"<li>{_linked(one)}</li>" for one in now.open_)
    body = (
        f"<p>You are {now.progress}% through <b>{escape(title)}</b>. {left.capitalize()} "
        f"{'is' if number == 1 else 'are'} still open; then your certificate comes by itself:</p><ul>{lines}</ul>"
        '<p class="soft">Have you done one of these already? Then the course did not hear of it: open it once more, or answer to our letter.</p>'
    )
    return page(look, "Nearly there" if now.progress >= 80 else "A little way to go", body)


def _linked(one: Open) -> str:
    title = escape(one.title)
    safe = one.url is not None and SAFE_LINK.match(one.url)
    return f'<a href="{escape(one.url or "")}">{title}</a>' if safe else title
