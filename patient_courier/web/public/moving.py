"""A student's new address: asked for on “Choose your post”, confirmed from a letter to it."""

from __future__ import annotations

from html import escape
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse
from limits import RateLimitItemPerHour
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from patient_courier.core.school.courses import check_email
from patient_courier.core.school.letters import Letter
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.post.carriers import NotTaken, Unsure
from patient_courier.post.headers import Unfit
from patient_courier.post.look import look_of
from patient_courier.post.message import Sender, message, message_id, render, sender_of
from patient_courier.store import people
from patient_courier.store.people import Person
from patient_courier.web.context import Reading, Session, ThePost, definitions_in, now_in
from patient_courier.web.public.found import find, plain_look
from patient_courier.web.public.pages import NoLink, button, masked, page

router = APIRouter(prefix="/post", include_in_schema=False)
# Whoever has a letter could else have us write to anybody.
ASKED_MOST = RateLimitItemPerHour(3, 1, "move")
_asked = MovingWindowRateLimiter(MemoryStorage())
_ASK = "<p>Hello,</p><p>somebody who gets our letters asked us to send them here from now on. If that was you, confirm it:</p>"
_IGNORE = "<p>If it was not you, do nothing: without your yes nothing changes, and the link stops working after three days.</p>"
_TOLD = (
    "<p>Hello,</p><p>from now on our letters go to another address, as was asked for on the page “Choose your post” and "
    "confirmed there. If that was not you, answer this letter and we put it right.</p>"
)


@router.post("/move/{token}")
def ask(
    token: str, post: ThePost, session: Reading, email: Annotated[str, Form(max_length=320)]
) -> HTMLResponse:
    """Write to the new address; nothing has changed yet."""
    found = find(post, session, "move", token)
    try:
        new = check_email(email.strip())
    except ValueError as error:
        return page(
            found.look,
            "That is no address",
            f"<p>{escape(str(error))}. Go back and try again.</p>",
            status=422,
        )
    if not _asked.hit(ASKED_MOST, str(found.student.id)):
        return page(
            found.look,
            "A little later, please",
            "<p>This was asked several times just now. Try again in an hour.</p>",
            status=429,
        )
    # Whether somebody else has the address is nobody's business: it is said only to whoever reads post there.
    address = post.signer.move_address(found.student.id, found.student.email, new)
    letter = _letter(
        "Is this your new address?",
        [
            {"kind": "text", "html": _ASK},
            {"kind": "button", "label": "Yes, write to me here", "url": address},
            {"kind": "text", "html": _IGNORE},
        ],
    )
    if not _post(post, session, letter, new):
        return page(
            found.look, "That did not work", "<p>Our post is held up. Try again in a while.</p>", status=503
        )
    body = f"<p>We have written to <b>{escape(masked(new))}</b>. Open that letter and say yes; until then everything stays as it is.</p>"
    return page(found.look, "Look into your new inbox", body)


@router.get("/moved/{token}")
def confirm_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    _, new = _move(post, session, token)
    body = (
        f"<p>From now on our letters go to <b>{escape(masked(new))}</b>.</p>{button('Yes, write to me here')}"
    )
    return page(plain_look(post, session), "Your new address", body)


@router.post("/moved/{token}")
def confirm(token: str, post: ThePost) -> HTMLResponse:
    """Change the address, and tell the old one."""
    with post.database.writing() as session:
        student, new = _move(post, session, token)
        look = plain_look(post, session)
        other = people.by_address(session, new)
        if other is not None and other.id != student.id:
            body = "<p>There is another student with this address here already. Answer to any of our letters, and we put the two together.</p>"
            return page(look, "This address is taken", body, status=409)
        if new.lower() != student.email.lower():
            people.lift_bounce(session, student.id)
        people.change(session, student.id, email=new)
    # Only now: the mailroom writes too, and would wait for us.
    told = _letter("Your letters go elsewhere now", [{"kind": "text", "html": _TOLD}])
    with post.database.reading() as session:
        _post(post, session, told, student.email)
    return page(look, "It is changed", f"<p>From now on our letters go to <b>{escape(masked(new))}</b>.</p>")


def _move(post: Post, session: Session, token: str) -> tuple[Person, str]:
    """The student and their new address. Raises NoLink; the link is old once the address has changed."""
    found = post.signer.move(token)
    if found is None:
        raise NoLink(old=True)
    student, before, after = found
    person = people.by_id(session, student)
    if person is None or person.email != before:
        raise NoLink(old=True)
    return person, after


def _letter(subject: str, blocks: list[dict[str, str]]) -> Letter:
    body = {"key": "address", "purpose": "service", "subject": subject, "blocks": blocks}
    return Letter.model_validate(body)


def _post(post: Post, session: Session, letter: Letter, to: str) -> bool:
    """Post a letter that is no delivery; False when it was not taken."""
    definitions, now = definitions_in(post, session), now_in(session)
    sender: Sender = sender_of(definitions, letter, None, None)
    links = post.signer.nowhere()
    look = look_of(definitions, letter, None)
    rendered = render(letter, look, {}, definitions.school.timezone, links)
    id = message_id(0, sender.email).replace(
        "delivery-0", f"address-{real_now().timestamp(unit='nanosecond')}"
    )
    try:
        post.post_now(message(rendered, sender, links, message_id=id, to=[("", to)], date=now))
    except (NotTaken, Unsure, Unfit):
        return False
    return True
