"""Choose your post: news, help with each course, whether links are noted, and another address."""

from __future__ import annotations

from html import escape
from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse
from limits import RateLimitItemPerHour

from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.wishes import Silence, wish
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import people
from patient_courier.store.students.consents import Source
from patient_courier.web.context import Limits, Reading, Session, ThePost, Writing
from patient_courier.web.public.found import Found, find
from patient_courier.web.public.pages import masked, page

router = APIRouter(prefix="/post", include_in_schema=False)
_BY_CHOICE = Source("the page “Choose your post”")
_NEWS, _VISITS, _HELP = "news", "visits", "help:"
# How often somebody may choose from one letter.
MOST_CHOICES = RateLimitItemPerHour(30, 1, "choice")
Names = Annotated[list[str] | None, Form(max_length=500)]


@router.get("/preferences/{token}")
def preferences(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    return _shown(post, session, find(post, session, "preferences", token))


@router.post("/preferences/{token}")
def choose(
    token: str, post: ThePost, session: Writing, limits: Limits, shown: Names = None, wanted: Names = None
) -> HTMLResponse:
    """Take in what is ticked; only what was ``shown`` can change, so that an old page stops nothing new."""
    found = find(post, session, "preferences", token)
    if not limits.hit(MOST_CHOICES, str(found.row.id)):
        said = "Your post was changed many times just now. Try again in an hour."
        return _shown(post, session, found, said, status=429)
    said = "Saved. That is how it will be from now on."
    for name in dict.fromkeys(shown or []):
        on = name in (wanted or [])
        if name == _VISITS:
            people.change(session, found.student.id, tracked=on)
        elif name == _NEWS or name.removeprefix(_HELP) in found.definitions.courses:
            course = None if name == _NEWS else name.removeprefix(_HELP)
            try:
                wish(session, found.definitions, found.student, course, on, found.now, _BY_CHOICE)
            except Silence:
                said = "You reported one of our letters as unwanted, so nothing can be switched on again here. Write to us if that was a mistake."
    session.expire_all()
    return _shown(post, session, find(post, session, "preferences", token), said)


def _shown(post: Post, session: Session, found: Found, said: str = "", status: int = 200) -> HTMLResponse:
    definitions, student = found.definitions, found.student
    facts = load_states(session, [student.id], definitions)[student.id].facts
    lines = [
        _line(
            _NEWS,
            f"News from {definitions.school.name}",
            "New courses, dates, offers. Now and then.",
            facts.news,
        )
    ]
    for course in facts.enrolments:
        if course in definitions.courses:
            title = definitions.courses[course].title
            what = "Check-ins and hints while you learn. Stops by itself when you have finished."
            lines.append(
                _line(f"{_HELP}{course}", f"Help with {title}", what, course not in facts.help_stopped)
            )
    tracking = definitions.school.tracking
    if tracking.links or tracking.openings:
        what = "Which links in our letters you open, so that we learn what is of use. Never shown to others."
        lines.append(_line(_VISITS, "You may see what I open", what, people.is_tracked(session, student.id)))
    note = f'<p class="said" role="status">{escape(said)}</p>' if said else ""
    address = f"""<h2>Your address</h2><p class="soft">This post goes to <b>{escape(masked(student.email))}</b>.</p>
<form method="post" action="../move/{escape(post.signer.token("move", found.row.id))}"><label>Another address<input type="email" name="email" required autocomplete="email" maxlength="320"></label>
<button class="quiet">Change it</button></form><p class="soft">We write to the new address and to this one; nothing changes before you have said yes.</p>"""
    certificates = "".join(
        f'<li><a href="../claim/{escape(post.signer.token("claim", found.row.id))}/{escape(quote(course))}">{escape(definitions.courses[course].title)}</a></li>'
        for course in facts.enrolments
        if course in definitions.courses and definitions.courses[course].certificate is not None
    )
    if certificates:
        address = f"<h2>Your certificates</h2><ul>{certificates}</ul>{address}"
    body = (
        f'{note}<form method="post"><fieldset><legend class="soft">What we may write to you:</legend>{"".join(lines)}</fieldset>'
        '<p class="soft">Letters about your access, receipts and certificates always come: they belong to what you have bought.</p>'
        f"<button>Save my choice</button></form>{address}"
    )
    return page(found.look, "Choose your post", body, status=status)


def _line(name: str, title: str, what: str, on: bool) -> str:
    ticked = " checked" if on else ""
    return (
        f'<input type="hidden" name="shown" value="{escape(name)}"><label class="line"><input type="checkbox" name="wanted" '
        f'value="{escape(name)}"{ticked}><span>{escape(title)}<small>{escape(what)}</small></span></label>'
    )
