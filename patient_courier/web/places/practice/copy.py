"""The practice copy of a school: made with progress, opened, thrown away."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException, Request
from pydantic import BaseModel

from patient_courier.core.telling import words
from patient_courier.dispatch.practice_copy import COPYING, DAYS, PREFIX
from patient_courier.store.students import people
from patient_courier.web.context import Reading, Session, SignedIn, TheBoard, ThePost, definitions_in
from patient_courier.web.jobs import Board, Job, Kind
from patient_courier.web.practice_copy import PracticeCopy
from patient_courier.web.written import note

router = APIRouter(prefix="/api/practice-copy", tags=["practice"])
MAKING: Kind[None, None] = Kind("practice copy", "That was too long ago. Look whether the copy is there.")
PATIENCE_SECONDS = 2.0


class CopyOf(BaseModel):
    """Whose names: the students' own, made-up ones; or the demo school instead of one's own."""

    names: Literal["real", "made_up", "demo"]


class PracticeCopyOut(BaseModel):
    """How it stands: none, making (``done`` of ``total`` steps), ready (at ``address``, until ``ends``) or failed;
    ``refused`` is why the last one could not be made."""

    state: Literal["none", "making", "ready", "failed"]
    done: int = 0
    total: int = 0
    address: str | None = None
    made: str | None = None
    ends: str | None = None
    names: str | None = None
    days: int = DAYS
    refused: str = ""


def copy_of(request: Request) -> PracticeCopy:
    found: PracticeCopy = request.scope["served"].copy
    return found


@router.get("")
def get_copy(
    user: SignedIn, request: Request, post: ThePost, board: TheBoard, session: Reading
) -> PracticeCopyOut:
    return _out(copy_of(request), post, board, session)


@router.post("", status_code=202)
def make_copy(
    body: CopyOf, user: SignedIn, request: Request, post: ThePost, board: TheBoard, session: Reading
) -> PracticeCopyOut:
    """Make a copy beside the school, in the place of one that is there; ask until it is ready."""
    if post.settings.demo:
        raise HTTPException(409, "This is the demo: all of it is there to practise in.")
    job = _working(board)
    if job is not None and job.state == "working":
        raise HTTPException(409, "A practice copy is being made at the moment. Wait until it is ready.")
    copy = copy_of(request)
    students = people.number(session) if body.names == "made_up" else 0

    def work(job: Job[None, None]) -> None:
        copy.make(body.names, job.step)
        note(post, user.name, "Practice copy made")

    board.of(MAKING).begin(COPYING + students, None, work, PATIENCE_SECONDS)
    return _out(copy, post, board, session)


@router.delete("")
def throw_away(
    user: SignedIn, request: Request, post: ThePost, board: TheBoard, session: Reading
) -> PracticeCopyOut:
    """Throw the copy away, with all that was tried in it."""
    job = _working(board)
    if job is not None and job.state == "working":
        raise HTTPException(409, "The practice copy is being made at the moment. Wait until it is ready.")
    if copy_of(request).open is not None:
        copy_of(request).throw_away()
        note(post, user.name, "Practice copy thrown away")
    return _out(copy_of(request), post, board, session)


def _working(board: Board) -> Job[None, None] | None:
    """The last time a copy was made, or is being made."""
    return board.of(MAKING).last()


def _out(copy: PracticeCopy, post: ThePost, board: Board, session: Session) -> PracticeCopyOut:
    job = _working(board)
    if job is not None and job.state == "working":
        return PracticeCopyOut(state="making", done=job.done, total=job.total)
    found, refused = copy.open, job.refused if job is not None and job.state == "failed" else ""
    if found is None:
        return PracticeCopyOut(state="failed" if refused else "none", refused=refused)
    zone = definitions_in(post, session).school.timezone
    return PracticeCopyOut(
        state="ready",
        address=PREFIX,
        made=words.moment(found.made.at, zone),
        ends=words.moment(found.made.ends, zone),
        names=found.made.names,
        refused=refused,
    )
