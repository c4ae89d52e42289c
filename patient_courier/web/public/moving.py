"""A student's new address: asked for on “Choose your post”, confirmed from a letter to it, agreed to at the old one."""

from __future__ import annotations

from html import escape
from typing import Annotated

from fastapi import APIRouter, Form
from fastapi.responses import HTMLResponse
from limits import RateLimitItemPerHour

from patient_courier.core.school.courses import check_email
from patient_courier.core.telling import words
from patient_courier.store.students import moves, people
from patient_courier.store.students.moves import Move
from patient_courier.store.students.people import Person
from patient_courier.web.context import Limits, Reading, Session, ThePost, Writing, definitions_in, now_in
from patient_courier.web.public.found import find, plain_look
from patient_courier.web.public.own_letters import own_letter, post_own
from patient_courier.web.public.pages import NoLink, button, masked, page

router = APIRouter(prefix="/post", include_in_schema=False)
# Whoever has a letter could else have us write to anybody.
ASKED_MOST = RateLimitItemPerHour(3, 1, "move")
_ASK = "<p>Hello,</p><p>somebody who gets our letters asked us to send them here from now on. If that was you, confirm it:</p>"
_IGNORE = "<p>If it was not you, do nothing: without your yes nothing changes, and the link stops working after three days.</p>"
# How long the old address may say no.
WEEK = 7
_TOLD = (
    "<p>Hello,</p><p>somebody asked that our letters go to {new} from now on, and confirmed it there. If that was you, say "
    "yes here, and it holds at once. Otherwise it holds from {day}.</p>"
)
_NOT_ME = "<p>If it was not you, keep your address; then nothing changes:</p>"


@router.post("/move/{token}")
def ask(
    token: str, post: ThePost, session: Reading, limits: Limits, email: Annotated[str, Form(max_length=320)]
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
    if not limits.hit(ASKED_MOST, str(found.student.id)):
        return page(
            found.look,
            "A little later, please",
            "<p>This was asked several times just now. Try again in an hour.</p>",
            status=429,
        )
    # Whether somebody else has the address is nobody's business: it is said only to whoever reads post there.
    address = post.signer.move_address(found.student.id, found.student.email, new)
    letter = own_letter(
        "Is this your new address?",
        [
            {"kind": "text", "html": _ASK},
            {"kind": "button", "label": "Yes, write to me here", "url": address},
            {"kind": "text", "html": _IGNORE},
        ],
    )
    if not post_own(post, session, letter, new):
        return page(
            found.look, "That did not work", "<p>Our post is held up. Try again in a while.</p>", status=503
        )
    body = f"<p>We have written to <b>{escape(masked(new))}</b>. Open that letter and say yes; until then everything stays as it is.</p>"
    return page(found.look, "Look into your new inbox", body)


@router.get("/moved/{token}")
def confirm_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    _, new = _move(session, post.signer.move(token))
    body = f"<p>Our letters are to go to <b>{escape(masked(new))}</b>.</p>{button('Yes, write to me here')}"
    return page(plain_look(post, session), "Your new address", body)


@router.post("/moved/{token}")
def confirm(token: str, post: ThePost) -> HTMLResponse:
    """The new address has said yes. Whoever was forwarded a letter could have asked, so the old one is asked as well."""
    with post.database.writing() as session:
        student, new = _move(session, post.signer.move(token))
        look = plain_look(post, session)
        other = people.by_address(session, new)
        if other is not None and other.id != student.id:
            body = "<p>There is another student with this address here already. Answer to any of our letters, and we put the two together.</p>"
            return page(look, "This address is taken", body, status=409)
        due = now_in(session).add(hours=24 * WEEK)
        moves.plan(session, Move(student.id, student.email, new, due))
        zone = definitions_in(post, session).school.zone_of(student.timezone)
    day = words.moment(due, zone)
    # Only now: the mailroom writes too, and would wait for us.
    asked = [
        {"kind": "text", "html": _TOLD.format(new=escape(masked(new)), day=escape(day))},
        {"kind": "button", "label": "Yes, that was me", "url": post.signer.agreement_address("agree", student.id, student.email, new)},
        {"kind": "text", "html": _NOT_ME},
        {"kind": "button", "label": "No, keep my address", "url": post.signer.agreement_address("keep", student.id, student.email, new)},
    ]  # fmt: skip
    with post.database.reading() as session:
        post_own(post, session, own_letter("Shall our letters go elsewhere?", asked), student.email)
    body = (
        f"<p>We have written to <b>{escape(masked(student.email))}</b> as well. Say yes there, and your new address holds at "
        f"once; otherwise it holds from {escape(day)}, unless somebody says no there.</p>"
    )
    return page(look, "Nearly done", body)


@router.get("/agree/{token}")
def agree_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    _, new = _move(session, post.signer.agreement("agree", token))
    body = f"<p>From now on our letters go to <b>{escape(masked(new))}</b>.</p>{button('Yes, that was me')}"
    return page(plain_look(post, session), "Your new address", body)


@router.post("/agree/{token}")
def agree(token: str, post: ThePost, session: Writing) -> HTMLResponse:
    """The old address agrees: the new one holds at once."""
    student, new = _move(session, post.signer.agreement("agree", token))
    planned = moves.of_student(session, student.id)
    if planned is None or planned.after != new or not moves.carry_out(session, planned):
        raise NoLink(old=True)
    body = f"<p>From now on our letters go to <b>{escape(masked(new))}</b>.</p>"
    return page(plain_look(post, session), "It is changed", body)


@router.get("/keep/{token}")
def keep_page(token: str, post: ThePost, session: Reading) -> HTMLResponse:
    student, _ = _move(session, post.signer.agreement("keep", token))
    body = f"<p>Our letters go on to come to <b>{escape(masked(student.email))}</b>.</p>{button('Keep my address')}"
    return page(plain_look(post, session), "Keep your address?", body)


@router.post("/keep/{token}")
def keep(token: str, post: ThePost, session: Writing) -> HTMLResponse:
    """The old address does not agree: nothing changes."""
    student, _ = _move(session, post.signer.agreement("keep", token))
    moves.give_up(session, student.id)
    body = f"<p>Our letters go on to come to <b>{escape(masked(student.email))}</b>. Whoever asked has a letter of yours: take care whom you forward them to.</p>"
    return page(plain_look(post, session), "Everything stays as it is", body)


def _move(session: Session, signed: tuple[int, str, str] | None) -> tuple[Person, str]:
    """The student and their new address. Raises NoLink; the link is old once the address has changed."""
    if signed is None:
        raise NoLink(old=True)
    student, before, after = signed
    person = people.by_id(session, student)
    if person is None or person.email != before:
        raise NoLink(old=True)
    return person, after
