"""Notices: what each who signs in wants to hear, and the weekly letter as a page."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.helpers.rights import may
from patient_courier.core.overview.happenings import BY_KIND
from patient_courier.core.overview.notices import NOTICE_KINDS, NoticeKind, Wishes
from patient_courier.core.overview.sections import Section
from patient_courier.core.telling import words
from patient_courier.dispatch.weekly import weekly_letter
from patient_courier.dispatch.whole import worth_doing
from patient_courier.store.overview import notices as stored
from patient_courier.store.overview import wishes as kept_wishes
from patient_courier.store.overview.wishes import Kept
from patient_courier.web.context import (
    Reading,
    RowId,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)

router = APIRouter(prefix="/api", tags=["school"])


class KindOut(BaseModel):
    kind: NoticeKind
    title: str


class WishesOut(BaseModel):
    """What somebody wants to hear; ``you``: these are your own, which you may always change."""

    id: int
    name: str
    role: str
    you: bool
    wishes: Wishes


class NoticesOut(BaseModel):
    kinds: list[KindOut]
    people: list[WishesOut]


class WeeklyOut(BaseModel):
    """A weekly letter. ``until`` in words; ``posted``: None for one as it would be now."""

    subject: str
    until: str
    sections: list[Section]
    posted: str | None


class WeeklyPage(BaseModel):
    """The letter as it would be now, and those that went out, the newest first."""

    now: WeeklyOut
    past: list[WeeklyOut]
    wanted: bool


@router.get("/notices")
def get_notices(user: SignedIn, session: Reading) -> NoticesOut:
    """Your own, and for the owner everybody's."""
    everyone = kept_wishes.every(session)
    shown = [one for one in everyone if one.user == user.id or may(user.role, "keep")]
    return NoticesOut(
        kinds=[KindOut(kind=kind, title=BY_KIND[kind].title) for kind in NOTICE_KINDS],
        people=[_out(one, user.id) for one in shown],
    )


def _out(one: Kept, you: int) -> WishesOut:
    return WishesOut(id=one.user, name=one.name, role=one.role, you=one.user == you, wishes=one.wishes)


@router.put("/notices/{id}")
def put_notices(id: RowId, body: Wishes, user: SignedIn, post: ThePost, session: Writing) -> WishesOut:
    """Other wishes, from what happens next on."""
    one = kept_wishes.find(session, id)
    if one is None:
        raise HTTPException(404, "There is nobody of that number here.")
    if id != user.id and not may(user.role, "keep"):
        raise HTTPException(403, "Only the owner changes what others hear.")
    courses = definitions_in(post, session).courses
    if any(wish.course is not None and wish.course not in courses for wish in body.wishes):
        raise HTTPException(422, "There is no such course.")
    if len({(wish.kind, wish.course) for wish in body.wishes}) < len(body.wishes):
        raise HTTPException(422, "Say of each kind and course only once how soon it is told.")
    kept_wishes.keep(session, id, body)
    session.flush()
    # What lies behind is not told: they hear of what happens from now on.
    post.notices.begin(session, now_in(session))
    return _out(kept_wishes.find(session, id) or one, user.id)


@router.get("/weekly-letter")
def weekly_page(user: SignedIn, post: ThePost, session: Reading) -> WeeklyPage:
    """The letter of the last seven days as it would be now, and your past ones."""
    definitions, now = definitions_in(post, session), now_in(session)
    addresses = may(user.role, "students")
    letter = weekly_letter(session, definitions, now, worth_doing(session), addresses=addresses)
    zone = definitions.school.timezone
    one = kept_wishes.find(session, user.id)
    return WeeklyPage(
        now=WeeklyOut(
            subject=letter.subject, until=words.moment(now, zone), sections=letter.sections, posted=None
        ),
        past=[
            WeeklyOut(
                subject=past.subject,
                until=words.moment(past.at, zone),
                sections=past.sections,
                posted=past.status,
            )
            for past in stored.letters_of(session, user.id)
        ],
        wanted=one is not None and one.wishes.letter,
    )
