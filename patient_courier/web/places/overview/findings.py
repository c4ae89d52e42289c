"""The check-up of the whole school on screen: its findings, whom each touches, putting one aside."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel, Field

from patient_courier.core.overview import findings as core
from patient_courier.core.overview.findings import Finding
from patient_courier.core.school.text import Line
from patient_courier.core.telling import words
from patient_courier.dispatch.whole import students_of
from patient_courier.store.overview import kept_findings, touched
from patient_courier.web.context import (
    PageNumber,
    Reading,
    Search,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)

router = APIRouter(prefix="/api/findings", tags=["school"])


class WholeFinding(Finding):
    """A finding with its ``key``; ``came_back``: it was put aside, and has got worse since."""

    key: str
    came_back: bool


class AsideOut(BaseModel):
    key: str
    title: str
    reason: str
    at: str


class FindingsOut(BaseModel):
    """``at`` None: nobody has looked yet. ``done`` of ``total`` looks, while one is under way. ``links``: whether addresses in
    letters are asked."""

    at: str | None
    findings: list[WholeFinding]
    aside: list[AsideOut]
    done: int | None
    total: int | None
    links: bool
    practice_links: bool


class AsideIn(BaseModel):
    """Which finding, and why it may stay as it is."""

    key: str = Field(max_length=3000)
    reason: Annotated[Line, Field(min_length=1, max_length=300)]


class BackIn(BaseModel):
    key: str = Field(max_length=3000)


class LinksIn(BaseModel):
    look: bool


class TouchedOut(BaseModel):
    key: str
    name: str
    email: str


class TouchedPage(BaseModel):
    total: int
    items: list[TouchedOut]


@router.get("")
def get_findings(user: SignedIn, post: ThePost, session: Reading) -> FindingsOut:
    """What the last check-up found, by students touched; nothing is looked at for it."""
    looked, aside = kept_findings.last(session), kept_findings.aside(session)
    zone = definitions_in(post, session).school.timezone
    sizes = {one.key: one.size for one in aside}
    found = core.shown(looked.findings, sizes) if looked else []
    keys = {one.known_as for one in found}
    progress = post.overseer.progress
    return FindingsOut(
        at=words.moment(looked.at, zone) if looked else None,
        findings=[
            WholeFinding(**one.model_dump(), key=one.known_as, came_back=one.known_as in sizes)
            for one in found
        ],
        aside=[
            AsideOut(key=one.key, title=one.title, reason=one.reason, at=words.moment(one.at, zone))
            for one in aside
            if one.key not in keys
        ],
        done=progress.done if progress else None,
        total=progress.total if progress else None,
        links=kept_findings.looks_at_links(session),
        practice_links=post.settings.calls_inside,
    )


@router.post("/look", status_code=202)
def look(user: SignedIn, post: ThePost) -> None:
    """Have the school looked over now, in the background; ask for the findings until it is done."""
    post.look_over()


def _found(session: Session, key: str) -> Finding:
    looked = kept_findings.last(session)
    one = next((one for one in looked.findings if one.known_as == key), None) if looked else None
    if one is None:
        raise HTTPException(404, "This finding is gone: what it was about has been mended since.")
    return one


@router.get("/students")
def students(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    key: Annotated[str, Query(max_length=3000)],
    q: Search = "",
    page: PageNumber = 1,
) -> TouchedPage:
    """Whom a finding touches now, a page at a time."""
    finding = _found(session, key)
    ids = students_of(session, definitions_in(post, session), finding, now_in(session))
    total, items = touched.among(session, ids, q, page)
    return TouchedPage(
        total=total, items=[TouchedOut(key=one.key, name=one.name, email=one.email) for one in items]
    )


@router.post("/aside", status_code=204)
def put_aside(body: AsideIn, user: SignedIn, session: Writing) -> None:
    """Put it aside with a reason; it comes back when it touches more than now."""
    kept_findings.put_aside(session, _found(session, body.key), body.reason, now_in(session))


@router.post("/back", status_code=204)
def bring_back(body: BackIn, user: SignedIn, session: Writing) -> None:
    if not kept_findings.take_back(session, body.key):
        raise HTTPException(404, "This finding is not put aside.")


@router.put("/links", status_code=204)
def wish_links(body: LinksIn, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Whether addresses that letters lead to are asked, one every twenty seconds, each once a week."""
    kept_findings.wish_links(session, body.look)
    post.look_over()
