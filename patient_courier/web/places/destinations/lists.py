"""Lists of students for tools that fetch: made, with an address that is shown once, taken away."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.conditions import Condition, IsCompleted, IsTagged
from patient_courier.core.school.text import FilledLine
from patient_courier.core.telling import words
from patient_courier.dispatch.clock import real_now
from patient_courier.store.destinations import fetched_lists
from patient_courier.store.destinations.fetched_lists import FetchedList
from patient_courier.store.students import audiences
from patient_courier.web.context import (
    Reading,
    RowId,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)

router = APIRouter(prefix="/api/fetched-lists", tags=["destinations"])
MOST = 50
What = Literal["finished", "tag", "audience"]


class FetchedListIn(BaseModel):
    """Who is on it: those who finished the course ``of``, have the tag ``of``, are of the audience ``of``."""

    what: What
    of: Annotated[FilledLine, Field(max_length=200)]


class FetchedListOut(BaseModel):
    """A list; ``students`` are on it now, None when what it was about is gone."""

    id: int
    name: str
    what: What
    of: str
    students: int | None
    fetched: str | None


class MadeList(BaseModel):
    """A list's address, which is shown this once."""

    id: int
    address: str


@router.get("")
def list_lists(user: SignedIn, post: ThePost, session: Reading) -> list[FetchedListOut]:
    definitions = definitions_in(post, session)
    return [_out(session, definitions, one) for one in fetched_lists.every(session)]


@router.post("", status_code=201)
def make_list(body: FetchedListIn, user: SignedIn, post: ThePost, session: Writing) -> MadeList:
    """Its address is its key: whoever has it reads the list."""
    if len(fetched_lists.every(session)) >= MOST:
        raise HTTPException(409, f"There are {MOST} lists already. Take one away first.")
    definitions = definitions_in(post, session)
    name = _name(session, definitions, body.what, body.of)
    if name is None:
        raise HTTPException(
            422, "Choose what the list is about: a course, a tag or an audience of the school."
        )
    id, secret = fetched_lists.make(session, name, body.what, body.of, real_now())
    return MadeList(id=id, address=f"{post.settings.address}/lists/{secret}.csv")


@router.delete("/{id}", status_code=204)
def remove_list(id: RowId, user: SignedIn, session: Writing) -> None:
    """Its address leads nowhere from this moment on."""
    fetched_lists.remove(session, id)


def condition_of(session: Session, what: str, of: str) -> Condition | None:
    """Who is on a list, as a condition; None when its audience is gone."""
    match what:
        case "finished":
            return IsCompleted.model_validate({"is": "completed", "course": of})
        case "tag":
            return IsTagged.model_validate({"is": "tagged", "tag": of})
        case _:
            found = audiences.find(session, of)
            return found.condition if found else None


def _name(session: Session, definitions: Definitions, what: What, of: str) -> str | None:
    if what == "finished":
        course = definitions.courses.get(of)
        return f"Finished {course.title}" if course else None
    if what == "tag":
        return f"Tagged {of}"
    found = audiences.find(session, of)
    return found.name if found else None


def _out(session: Session, definitions: Definitions, one: FetchedList) -> FetchedListOut:
    condition = condition_of(session, one.what, one.of)
    gone = condition is None or (one.what == "finished" and one.of not in definitions.courses)
    students = None if gone else len(audiences.ids(session, definitions, condition, now_in(session), ""))
    return FetchedListOut.model_validate(
        {
            "id": one.id,
            "name": one.name,
            "what": one.what,
            "of": one.of,
            "students": students,
            "fetched": words.moment(one.fetched, definitions.school.timezone) if one.fetched else None,
        }
    )
