"""What was changed, by whom: to look through, to keep as a table, and to put back where that is possible."""

from __future__ import annotations

from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, HTTPException, Query, Response
from pydantic import BaseModel, Field, ValidationError

from patient_courier.core.helpers.changes import PUT_BACK
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.courses import School
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.dispatch.taking import plan_clocks_anew
from patient_courier.store.base.definitions import save_layout, save_school
from patient_courier.store.students import audiences, people
from patient_courier.store.upkeep import changes
from patient_courier.store.upkeep.changes import Written
from patient_courier.web.context import (
    PageNumber,
    Reading,
    RowId,
    Search,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)
from patient_courier.web.places.letters.layouts import read_layout
from patient_courier.web.places.letters.letters import read_letter
from patient_courier.web.places.students.audiences import read_condition
from patient_courier.web.refusals import csv_file, not_valid
from patient_courier.web.saved_letters import keep_letter
from patient_courier.web.written import ToldLine, told_lines

router = APIRouter(prefix="/api/changes", tags=["school"])
PAGE = 50
Who = Annotated[str, Query(max_length=300)]
# Where the thing is, by its kind.
_PLACES = {
    "school": "/school",
    "course": "/courses/{key}",
    "letter": "/letters/{key}",
    "sequence": "/sequences/{key}",
    "broadcast": "/broadcasts/{key}",
    "layout": "/school/look",
    "audience": "/audiences",
    "sign_up_form": "/school/sign-up/{key}",
    "connection": "/school/connections/{key}",
    "destination": "/school/destinations/{key}",
    "key": "/school/destinations",
    "list": "/school/destinations",
    "person": "/school/helpers",
    "invitation": "/school/helpers",
    "signing_key": "/school",
}


class WrittenOut(BaseModel):
    """Something that was changed; ``to``: where it is, while it is there; ``back``: whether it can be put back here."""

    id: int
    at: str
    who: str
    title: str
    lines: list[ToldLine]
    to: str | None
    back: bool


class WrittenPage(BaseModel):
    """A page of them, those who changed something, and for how many days it is kept."""

    items: list[WrittenOut]
    total: int
    people: list[str]
    days: int


class DaysIn(BaseModel):
    days: int = Field(ge=30, le=3660)


class PutBack(BaseModel):
    title: str


@router.get("")
def get_changes(
    user: SignedIn, post: ThePost, session: Reading, q: Search = "", who: Who = "", page: PageNumber = 1
) -> WrittenPage:
    zone = definitions_in(post, session).school.timezone
    total, found = changes.page(session, q, who, page, PAGE)
    known = people.by_ids(session, [one.change.student for one in found if one.change.student])
    students = {id: one.key for id, one in known.items()}
    return WrittenPage(
        items=[_out(one, zone, students) for one in found],
        total=total,
        people=changes.everybody(session),
        days=changes.kept_days(session),
    )


def _out(one: Written, zone: str, students: dict[int, str]) -> WrittenOut:
    change = one.change
    place = _PLACES.get(change.kind)
    if change.student in students:
        place = f"/students/{quote(students[change.student], safe='')}"
    return WrittenOut(
        id=one.id,
        at=words.moment(one.at, zone),
        who=one.who,
        title=change.title,
        lines=told_lines(change.lines),
        to=place.format(key=quote(change.key, safe="")) if place else None,
        back=change.kind in PUT_BACK and change.before is not None,
    )


@router.get("/csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def as_csv(user: SignedIn, session: Reading, q: Search = "", who: Who = "") -> Response:
    """The same as CSV (RFC 4180), a line for each thing before and after."""
    lines = (
        [moment_text(one.at), one.who, one.change.title, what, before, after]
        for one in changes.every(session, q, who)
        for what, before, after in [(x.what, x.before, x.after) for x in one.change.lines] or [("", "", "")]
    )
    return csv_file("what-was-changed.csv", ["when", "who", "what", "of it", "before", "after"], lines)


@router.put("/days")
def keep_days(body: DaysIn, user: SignedIn, post: ThePost, session: Writing) -> WrittenPage:
    """For how many days it is kept."""
    changes.keep_days(session, body.days)
    session.flush()
    return get_changes(user, post, session)


@router.post("/{id}/put-back")
def put_back(id: RowId, user: SignedIn, post: ThePost, session: Writing) -> PutBack:
    """Put something back as it was before a change. 409 when it was changed again since."""
    found = changes.by_id(session, id)
    if found is None:
        raise HTTPException(404, "That is not known any more.")
    change = found.change
    if change.kind not in PUT_BACK or change.before is None:
        raise HTTPException(409, "This can't be put back here. Open it and change it there.")
    if _now(session, post, change.kind, change.key) != change.after:
        raise HTTPException(
            409, "It was changed again since. Put that back first, or change it there by hand."
        )
    _save(session, post, change.kind, change.key, change.before)
    return PutBack(title=change.title)


def _now(session: Session, post: ThePost, kind: str, key: str) -> dict[str, Any] | None:
    """How it is now, in the form in which it was kept; None when it is not there."""
    definitions = definitions_in(post, session)
    if kind == "audience":
        return audiences.as_kept(session, key)
    letter = definitions.letters.get(key)
    model = {
        "school": definitions.school,
        "letter": letter.letter if letter else None,
        "layout": definitions.layouts.get(key),
    }[kind]
    return dict(as_data(model)) if model else None


def _save(session: Session, post: ThePost, kind: str, key: str, body: dict[str, Any]) -> None:
    definitions = definitions_in(post, session)
    if kind == "school":
        try:
            save_school(session, School.model_validate(body))
        except ValidationError as error:
            raise not_valid(error, body, {}) from error
        session.flush()
        plan_clocks_anew(session, definitions_in(post, session), now_in(session))
    elif kind == "letter":
        keep_letter(session, definitions, read_letter(body, definitions), now_in(session))
    elif kind == "layout":
        save_layout(session, read_layout(body))
    else:
        audiences.save(session, key, body["name"], read_condition(definitions, body["condition"]), real_now())
