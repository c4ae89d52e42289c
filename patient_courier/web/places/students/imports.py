"""Importing students: a file is read, its columns are named, it is tried, taken in, and taken back as a whole."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request
from pydantic import BaseModel

from patient_courier.core.people.importing import Plan, Row, guess, plan_fault
from patient_courier.core.school.text import clean_line
from patient_courier.core.telling import words
from patient_courier.dispatch import importing
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.importing import EXAMPLES, MOST_SHOWN, How, Tried
from patient_courier.intake.people_file import People
from patient_courier.store.students import importing as stored
from patient_courier.web.context import Reading, RowId, SignedIn, TheBoard, ThePost, definitions_in
from patient_courier.web.jobs import Job, JobState, Kind
from patient_courier.web.places.students.at_hand import AtHand, PlanIn
from patient_courier.web.uploads import uploaded_table
from patient_courier.web.written import note

router = APIRouter(prefix="/api/imports", tags=["students"])
PATIENCE_SECONDS = 1.5


class ColumnOut(BaseModel):
    """A column with its first values, and what it likely is."""

    name: str
    samples: list[str]
    guess: str


class FileOut(BaseModel):
    id: int
    name: str
    how: str
    rows: int
    columns: list[ColumnOut]


class RowOut(BaseModel):
    number: int
    email: str
    said: str


class TriedOut(BaseModel):
    """What taking the file in would do; the lists are cut at five hundred and at fifty."""

    new: int
    changed: int
    same: int
    refused: int
    with_news: int
    enrolled: int
    refusals: list[RowOut]
    examples: list[RowOut]


class WorkOut(BaseModel):
    """Trying, taking in or taking back: how far it is, and what came of it."""

    id: int
    state: JobState
    done: int
    total: int
    tried: TriedOut | None
    taken: int | None
    stay: int | None
    refused: str


class ImportOut(BaseModel):
    id: int
    at: str
    file: str
    new: int
    changed: int
    refused: int
    undone: str | None


class _Done:
    """What came of a work: one of these."""

    def __init__(self, tried: Tried | None = None, taken: int | None = None, stay: int | None = None) -> None:
        self.tried = tried
        self.taken = taken
        self.stay = stay


IMPORTS: Kind[None, _Done] = Kind("import", "This work is no longer known.")


@router.post(
    "/read",
    openapi_extra={
        "requestBody": {
            "required": True,
            "content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}},
        }
    },
)
async def read(
    request: Request,
    user: SignedIn,
    post: ThePost,
    board: TheBoard,
    name: Annotated[str, Query(max_length=300)] = "students.csv",
) -> FileOut:
    """Read a file of students, the body as it is. Nothing is taken in yet."""
    found = await uploaded_table(request, post)
    name = clean_line(name)
    return _file_out(board.one(AtHand).put(name, found), name, found)


def _file_out(id: int, name: str, found: People) -> FileOut:
    guesses = guess(found.columns, found.rows)
    columns = [
        ColumnOut(
            name=column,
            samples=[
                clean_line(row[place])[:80] for row in found.rows[:40] if place < len(row) and row[place]
            ][:3],
            guess=guesses[place],
        )
        for place, column in enumerate(found.columns)
    ]
    return FileOut(id=id, name=name, how=found.how, rows=len(found.rows), columns=columns)


@router.post("/{id}/try")
def try_out(
    id: RowId, body: PlanIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard
) -> WorkOut:
    """Try what taking the file in would do. Changes nothing."""
    at_hand = board.one(AtHand)
    _, file = at_hand.file(id)
    definitions, now = definitions_in(post, session), read_clock(session).now
    plan = Plan(body.targets, body.consent.strip(), body.course)
    fault = plan_fault(plan, file.columns, definitions)
    if fault:
        raise HTTPException(422, fault)

    def work(job: Job[None, _Done]) -> _Done:
        with post.database.reading() as session:
            found = importing.try_out(session, definitions, file, plan, now, job.step)
        at_hand.keep_tried(id, body, found)
        return _Done(tried=found)

    return _out(board.of(IMPORTS).begin(len(file.rows), None, work, PATIENCE_SECONDS))


@router.post("/{id}/take", status_code=202)
def take(id: RowId, body: PlanIn, user: SignedIn, post: ThePost, board: TheBoard) -> WorkOut:
    """Take in what was tried, with the same plan. 409 when it was not tried like that."""
    name, _ = board.one(AtHand).file(id)
    tried = board.one(AtHand).take_tried(id, body)
    how = How(name, Plan(body.targets, body.consent.strip(), body.course), user.name, body.starts)

    def work(job: Job[None, _Done]) -> _Done:
        number = importing.take_in(post.database, post.library.load, tried, how, job.step)
        note(post, user.name, f"Students of the file “{name}” taken in: {len(tried.rows)}")
        post.nudge()
        return _Done(taken=number)

    return _out(board.of(IMPORTS).begin(len(tried.rows), None, work, PATIENCE_SECONDS))


@router.post("/{id}/undo", status_code=202)
def undo(id: RowId, user: SignedIn, post: ThePost, session: Reading, board: TheBoard) -> WorkOut:
    """Take a whole import back: new students go, changed ones are as they were. Who has had post since stays."""
    found = stored.find(session, id)
    if found is None:
        raise HTTPException(404, "There was no such import.")
    if found.undone is not None:
        raise HTTPException(409, "This import has been undone already.")

    def work(job: Job[None, _Done]) -> _Done:
        _, stay = importing.take_back(post.database, id, job.step)
        note(post, user.name, f"The import of the file “{found.file}” undone")
        return _Done(stay=stay)

    return _out(board.of(IMPORTS).begin(found.new + found.changed, None, work, PATIENCE_SECONDS))


@router.get("/progress/{id}")
def get_work(id: RowId, user: SignedIn, board: TheBoard) -> WorkOut:
    return _out(board.of(IMPORTS).known(id))


def _out(job: Job[None, _Done]) -> WorkOut:
    found = job.result or _Done()
    return WorkOut(
        id=job.id,
        state=job.state,
        done=job.done,
        total=job.total,
        tried=_tried_out(found.tried) if found.tried else None,
        taken=found.taken,
        stay=found.stay,
        refused=job.refused,
    )


def _tried_out(tried: Tried) -> TriedOut:
    return TriedOut(
        new=tried.number("new"),
        changed=tried.number("changed"),
        same=tried.same,
        refused=len(tried.refused),
        with_news=sum(bool(row.news) for row in tried.rows),
        enrolled=sum(row.course is not None for row in tried.rows),
        refusals=[
            RowOut(number=row.number, email=row.email, said=row.reason) for row in tried.refused[:MOST_SHOWN]
        ],
        examples=[
            RowOut(number=row.number, email=row.email, said=_said(row)) for row in tried.rows[:EXAMPLES]
        ],
    )


_NAMES: Mapping[str, str] = {
    "first_name": "first name",
    "last_name": "last name",
    "timezone": "time zone",
}


def _said(row: Row) -> str:
    """What a row would do, in words."""
    parts = [f"{_NAMES[name]} {value}" for name, value in row.values.items() if value]
    parts += [f"{name}: {value}" for name, value in row.fields.items()]
    parts += [f"tag {tag}" for tag in row.tags]
    if row.course:
        parts.append(f"into {row.course}")
    if row.news is not None:
        parts.append("wants news" if row.news else "no news")
    if row.said:
        parts.append(row.said)
    return f"{row.verdict}: {', '.join(parts)}" if parts else row.verdict


@router.get("")
def list_imports(user: SignedIn, post: ThePost, session: Reading) -> list[ImportOut]:
    zone = definitions_in(post, session).school.timezone
    return [
        ImportOut(
            id=one.id,
            at=words.moment(one.at, zone),
            file=one.file,
            new=one.new,
            changed=one.changed,
            refused=one.refused,
            undone=words.moment(one.undone, zone) if one.undone else None,
        )
        for one in stored.every(session)
    ]
