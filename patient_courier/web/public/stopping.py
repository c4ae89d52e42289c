"""The link to stop in a letter: a page that asks, and the one click of RFC 8058."""

from __future__ import annotations

from html import escape

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from patient_courier.dispatch.wishes import wish
from patient_courier.store.students.consents import Source
from patient_courier.web.context import Reading, ThePost, Writing
from patient_courier.web.public.found import Found, find
from patient_courier.web.public.pages import button, masked, page

router = APIRouter(prefix="/post", include_in_schema=False)
_BY_LINK = Source("the link to stop in a letter")


@router.get("/stop/{token}")
def stop_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Asks first: mail programs open links on their own, and that must not stop anything."""
    found = find(post, session, "stop", token)
    return page(
        found.look,
        "Stop these letters?",
        f"<p>{_to(found)} will no longer get {escape(_what(found))}.</p>{button('Stop them')}",
    )


@router.post("/stop/{token}")
def stop(token: str, post: ThePost, session: Writing) -> HTMLResponse:
    """The one click of RFC 8058, and the button of the page: stops at once, without a question."""
    found = find(post, session, "stop", token)
    for course in _stopped(found):
        wish(session, found.definitions, found.student, course, False, found.now, _BY_LINK)
    choose = post.signer.address("preferences", found.row.id)
    return page(
        found.look,
        "It is stopped",
        f"<p>{_to(found)} will no longer get {escape(_what(found))}.</p>"
        f'<p>Was that a slip? <a href="{escape(choose)}">Choose your post</a> here at any time.</p>',
    )


def _to(found: Found) -> str:
    return escape(masked(found.student.email))


def _stopped(found: Found) -> list[str | None]:
    """News letters stop news (None); help letters stop help with that course; a service letter's link stops both."""
    purpose, stopped = found.row.purpose, list[str | None]()
    if purpose in ("news", "service") or found.course is None:
        stopped.append(None)
    if purpose in ("course_help", "service") and found.course is not None:
        stopped.append(found.course)
    return stopped


def _what(found: Found) -> str:
    school, title = found.definitions.school.name, found.course_title
    help_letters = f"help letters for {title}"
    if found.row.purpose == "news" or title is None:
        return f"news from {school}"
    if found.row.purpose == "course_help":
        return help_letters
    return f"{help_letters}, nor news from {school}. Letters about your access still come"
