"""The letter in the browser, the way to where its links lead, and the picture that says it was seen."""

from __future__ import annotations

from base64 import b64decode

from fastapi import APIRouter, Request, Response
from fastapi.responses import HTMLResponse, RedirectResponse

from patient_courier.core.school.courses import Tracking
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.post.calendar_file import calendar_file
from patient_courier.post.message import render
from patient_courier.post.prepared import events_of, prepare
from patient_courier.store.base.database import Busy
from patient_courier.store.outbox import visits
from patient_courier.store.students import people
from patient_courier.web.context import Reading, ThePost
from patient_courier.web.public.found import Found, find, plain_look
from patient_courier.web.public.pages import NoLink, masked, page

router = APIRouter(prefix="/post", include_in_schema=False)
# One transparent point (GIF89a).
_POINT = b64decode("R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7")
_HEADERS = {"Cache-Control": "no-store", "Referrer-Policy": "no-referrer", "X-Robots-Tag": "noindex"}


@router.get("/view/{token}")
def view(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    """The letter in the browser, as it was sent."""
    found = find(post, session, "view", token)
    try:
        links = post.signer.read_only(found.row.id)
        # Whoever has the link sees the letter, but no address in full.
        values = {**found.row.values, "student.email": masked(found.student.email)}
        rendered = render(found.letter, found.look, values, found.zone, links)
    except ValueError as error:
        raise NoLink(old=True) from error
    return HTMLResponse(rendered.html, headers=_HEADERS)


@router.api_route("/go/{token}/{number}", methods=["GET", "HEAD"])
def go(token: str, number: int, request: Request, post: ThePost) -> Response:
    """On to where a link of the letter leads, and nowhere else; that somebody came by is noted, no more."""
    with post.database.reading() as session:
        found = find(post, session, "go", token)
        prepared = prepare(found.letter, found.look)
        if not 0 <= number < len(prepared.targets):
            raise NoLink
        address = prepared.address(number, found.row.values, found.zone)
        if address is None or not address.lower().startswith(("http://", "https://")):
            raise NoLink
        noted = _tracking(found).links and people.is_tracked(session, found.student.id)
    if noted:
        _note(post, found, prepared.targets[number].template, request)
    return RedirectResponse(address, status_code=302, headers=_HEADERS)


@router.get("/event/{token}/{number}.ics")
def event(token: str, number: int, post: ThePost, session: Reading) -> Response:
    """A date of the letter as a calendar file."""
    found = find(post, session, "event", token)
    events = events_of(found.letter)
    if not 0 <= number < len(events):
        raise NoLink
    school = found.definitions.school
    domain = school.sender.email.rpartition("@")[2]
    file = calendar_file(
        found.letter.key, *events[number], found.row.values, found.zone, school.timezone, domain, found.row.at
    )
    headers = {**_HEADERS, "Content-Disposition": 'attachment; filename="date.ics"'}
    return Response(file, media_type="text/calendar; charset=utf-8", headers=headers)


@router.api_route("/seen/{token}.gif", methods=["GET", "HEAD"])
def seen(token: str, request: Request, post: ThePost) -> Response:
    """The picture in a letter that says it was loaded; the same whatever the token is."""
    try:
        with post.database.reading() as session:
            found = find(post, session, "seen", token)
            noted = _tracking(found).openings and people.is_tracked(session, found.student.id)
        if noted:
            _note(post, found, None, request)
    except NoLink:
        pass
    return Response(_POINT, media_type="image/gif", headers=_HEADERS)


def _tracking(found: Found) -> Tracking:
    return found.definitions.school.tracking


def _note(post: Post, found: Found, link: str | None, request: Request) -> None:
    """Note a visit. That there is no room for it now keeps nobody from getting where they want."""
    purpose = request.headers.get("sec-purpose", "") + request.headers.get("purpose", "")
    machine = "head" if request.method == "HEAD" else "prefetch" if "prefetch" in purpose else None
    try:
        with post.database.writing() as session:
            visits.note(session, found.row.id, found.now, real_now(), link, machine)
    except Busy:
        return
    post.nudge()


@router.api_route("/from-the-letter", methods=["GET", "POST"])
def only_from_the_letter(post: ThePost, session: Reading) -> HTMLResponse:
    """Where those links of a letter in the browser lead that decide something for a student."""
    return page(
        plain_look(post, session),
        "Only from the letter itself",
        "<p>This page can be shown to others, so nothing is decided here. Open the letter in your inbox and use the link "
        "there.</p>",
    )


@router.api_route("/test/{rest:path}", methods=["GET", "POST"])
def of_a_test(rest: str, post: ThePost, session: Reading) -> HTMLResponse:
    """Where the links of a test letter lead: they work, and do nothing."""
    return page(
        plain_look(post, session),
        "This was a test letter",
        "<p>In a real one this link would act. Nothing has happened.</p>",
    )
