"""Tags: what gives each and what asks for it, with counts; rename, merge, remove; and who bought after getting one."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Query
from pydantic import BaseModel
from whenever import Date

from patient_courier.core.calendar import calendar
from patient_courier.core.figures.rates import rate
from patient_courier.core.people.tags import Uses, tag_uses
from patient_courier.core.school.values import TagName
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import definitions_changed
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.students import audiences, tags
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api/tags", tags=["tags"])


class UseOut(BaseModel):
    kind: str
    key: str
    name: str


class TagOut(BaseModel):
    """A tag: how many have it, what gives it, takes it off or asks for it; ``note`` says what is odd about it."""

    tag: str
    students: int
    given: int
    gives: list[UseOut]
    takes: list[UseOut]
    asks: list[UseOut]
    note: str


class RenameIn(BaseModel):
    """The tag's new name; one that there is already is merged with it."""

    tag: TagName
    to: TagName


class RemoveIn(BaseModel):
    tag: TagName


class BuyerOut(BaseModel):
    key: str
    name: str
    when: str


class BoughtOut(BaseModel):
    """Of so many who got the tag, how many bought; the share (0 to 1) lies between ``low`` and ``high``."""

    got: int
    bought: int
    low: float
    high: float
    small: bool
    students: list[BuyerOut]


@router.get("")
def list_tags(user: SignedIn, post: ThePost, session: Reading) -> list[TagOut]:
    uses = _uses(post, session)
    have, given = tags.students_by_tag(session), tags.given_by_event(session)
    every = sorted({*uses, *have, *given}, key=str.lower)
    return [_out(tag, uses.get(tag, Uses()), have.get(tag, 0), given.get(tag, 0)) for tag in every]


def _uses(post: Post, session: Session) -> dict[str, Uses]:
    kept = [(one.key, one.name, one.condition) for one in audiences.every(session)]
    casts = [one.broadcast for one in broadcasts.every(session) if one.status in ("draft", "scheduled")]
    return tag_uses(definitions_in(post, session), casts, kept)


def _out(tag: str, uses: Uses, students: int, given: int) -> TagOut:
    note = "Nothing gives it." if not uses.gives and students == 0 else ""
    return TagOut(
        tag=tag,
        students=students,
        given=given,
        gives=[UseOut(kind=x.kind, key=x.key, name=x.name) for x in uses.gives],
        takes=[UseOut(kind=x.kind, key=x.key, name=x.name) for x in uses.takes],
        asks=[UseOut(kind=x.kind, key=x.key, name=x.name) for x in uses.asks],
        note=note,
    )


@router.post("/rename", status_code=204)
def rename(body: RenameIn, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Call a tag something else everywhere, or merge it with another. Nothing is set going by that."""
    if body.to == body.tag:
        raise HTTPException(409, "It is called that already.")
    tags.rename(session, body.tag, body.to)
    _changed(post, session)


@router.post("/remove", status_code=204)
def remove(body: RemoveIn, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Take a tag off every student, and out of what gives it. Nothing is set going by that; what asks for it stays."""
    tags.take_off(session, tags.holders(session, body.tag), body.tag)
    tags.rewrite(session, lambda tag: None if tag == body.tag else tag)
    _changed(post, session)


def _changed(post: Post, session: Session) -> None:
    definitions_changed(session, lambda session: definitions_in(post, session), read_clock(session).now)


@router.get("/bought")
def bought(
    tag: TagName,
    since: Annotated[str, Query(max_length=10)],
    user: SignedIn,
    post: ThePost,
    session: Reading,
    offer: Annotated[str, Query(max_length=200)] = "",
    days: Annotated[int, Query(ge=1, le=3650)] = 30,
) -> BoughtOut:
    """Of those who got a tag since a day, how many bought (an offer, or anything) within so many days, and who."""
    school = definitions_in(post, session).school
    try:
        moment = calendar.resolve(Date.parse_iso(since).at(calendar.MIDNIGHT), school.timezone)
    except ValueError as error:
        raise HTTPException(422, f"“{since}” is no day; write it like 2026-03-02.") from error
    got, found = tags.got_and_bought(session, tag, moment, None if offer in ("", "any") else offer, days)
    how_many = rate(len(found), got)
    return BoughtOut(
        got=got,
        bought=len(found),
        low=how_many.low,
        high=how_many.high,
        small=how_many.small,
        students=[
            BuyerOut(key=one.key, name=one.name, when=words.moment(at, school.zone_of(one.timezone)))
            for one, at in found
        ],
    )
