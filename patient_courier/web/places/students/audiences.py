"""Audiences, and the counts and names behind conditions while they are written."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from patient_courier.core.engine.broadcasting import settled
from patient_courier.core.engine.conditions import Asked
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import condition_faults
from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.school.conditions import Condition
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.text import Line
from patient_courier.core.telling.condition_words import condition_words
from patient_courier.core.telling.why_in import WhyLine, why_in
from patient_courier.dispatch.clock import real_now
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import audiences
from patient_courier.store.students.audiences import Audience
from patient_courier.web.context import (
    PageNumber,
    Reading,
    Session,
    SignedIn,
    TheBoard,
    ThePost,
    Writing,
    definitions_in,
    now_in,
)
from patient_courier.web.places.students.page import find_student

router = APIRouter(prefix="/api/audiences", tags=["audiences"])
_CONDITION: TypeAdapter[Condition] = TypeAdapter(Condition)
MOST_LINES = 50


class Lines(BaseModel):
    """Conditions that all must hold, line by line, and the course that ``this`` means in them."""

    lines: list[dict[str, Any]] = Field([], max_length=MOST_LINES)
    course: str | None = None


class LineCount(BaseModel):
    words: str
    left: int


class CountsOut(BaseModel):
    everyone: int
    lines: list[LineCount]


class NamesIn(Lines):
    q: str = Field("", max_length=200)
    page: PageNumber = 1


class PersonOut(BaseModel):
    key: str
    name: str
    email: str


class PickedPeople(BaseModel):
    total: int
    items: list[PersonOut]


class AudienceOut(BaseModel):
    """A condition under a name, in the form of the school file; ``lines`` in words, ``students`` who fit now."""

    key: str
    name: str
    condition: dict[str, Any]
    lines: list[str]
    students: int


class AudienceIn(BaseModel):
    name: Line = Field(min_length=1, max_length=200)
    condition: dict[str, Any]


class WhyIn(BaseModel):
    condition: dict[str, Any]
    student: str = Field(max_length=200)
    course: str | None = None


class WhyOut(BaseModel):
    """Whether a student is in, and each line with their own value."""

    holds: bool
    lines: list[WhyLine]


def read_condition(definitions: Definitions, body: dict[str, Any]) -> Condition:
    """A condition as it came in. 422 with the first thing that is wrong."""
    try:
        found = _CONDITION.validate_python(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise HTTPException(422, f"{fault.pointer or 'Condition'}: {fault.sentence}") from error
    except RecursionError as error:
        raise HTTPException(422, "These conditions stand too deep inside one another.") from error
    for wrong in condition_faults("", found, Known.of_definitions(definitions)):
        raise HTTPException(422, f"{wrong.pointer}: {wrong.sentence}")
    return found


def _parts(condition: Condition) -> list[Condition]:
    return list(condition.all) if hasattr(condition, "all") else [condition]


@router.post("/counts")
def counts(body: Lines, user: SignedIn, post: ThePost, session: Reading) -> CountsOut:
    """How many students are left after each line."""
    definitions = definitions_in(post, session)
    lines = [read_condition(definitions, line) for line in body.lines]
    everyone, *left = audiences.counts(session, definitions, lines, body.course, now_in(session))
    return CountsOut(
        everyone=everyone,
        lines=[
            LineCount(
                words=condition_words(definitions, settled(line, body.course) if body.course else line),
                left=number,
            )
            for line, number in zip(lines, left, strict=True)
        ],
    )


@router.post("/names")
def names(body: NamesIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard) -> PickedPeople:
    """Who is left after all the lines."""
    definitions = definitions_in(post, session)
    lines = [read_condition(definitions, line) for line in body.lines]
    condition = _CONDITION.validate_python({"all": body.lines}) if lines else None
    total, found = audiences.members(
        session,
        definitions,
        condition,
        body.course,
        now_in(session),
        board.one(audiences.Paging),
        words=body.q,
        page=body.page,
    )
    return PickedPeople(total=total, items=[PersonOut(key=x.key, name=x.name, email=x.email) for x in found])


@router.post("/why")
def why(body: WhyIn, user: SignedIn, post: ThePost, session: Reading) -> WhyOut:
    """Why a student is in, or out: each line with their own value."""
    definitions = definitions_in(post, session)
    condition = settled(read_condition(definitions, body.condition), body.course)
    person = find_student(session, body.student)
    state = load_states(session, [person.id], definitions)[person.id]
    asked = Asked(definitions, state, now_in(session))
    lines = why_in(condition, asked)
    return WhyOut(holds=all(line.holds for line in lines), lines=lines)


@router.get("")
def list_audiences(user: SignedIn, post: ThePost, session: Reading) -> list[AudienceOut]:
    definitions = definitions_in(post, session)
    return [_out(session, definitions, one) for one in audiences.every(session)]


def _out(session: Session, definitions: Definitions, one: Audience) -> AudienceOut:
    number = audiences.counts(session, definitions, [one.condition], None, now_in(session))[-1]
    return AudienceOut(
        key=one.key,
        name=one.name,
        condition=one.condition.model_dump(mode="json", by_alias=True, exclude_unset=True),
        lines=[condition_words(definitions, part) for part in _parts(one.condition)],
        students=number,
    )


@router.post("", status_code=201)
def keep_audience(body: AudienceIn, user: SignedIn, post: ThePost, session: Writing) -> AudienceOut:
    """Keep a condition under a name."""
    definitions = definitions_in(post, session)
    condition = read_condition(definitions, body.condition)
    key = free_key(body.name, {one.key for one in audiences.every(session)})
    audiences.save(session, key, body.name, condition, real_now())
    return _out(session, definitions, _found(session, key))


def _found(session: Session, key: str) -> Audience:
    one = audiences.find(session, key)
    if one is None:
        raise HTTPException(404, "There is no such audience.")
    return one


@router.put("/{key}")
def change_audience(
    key: str, body: AudienceIn, user: SignedIn, post: ThePost, session: Writing
) -> AudienceOut:
    """Give an audience another name or condition. What has copied it before stays as it is."""
    definitions = definitions_in(post, session)
    _found(session, key)
    audiences.save(session, key, body.name, read_condition(definitions, body.condition), real_now())
    session.expire_all()
    return _out(session, definitions, _found(session, key))


@router.delete("/{key}", status_code=204)
def forget_audience(key: str, user: SignedIn, session: Writing) -> None:
    _found(session, key)
    audiences.remove(session, key)
