"""Work on many students at once: with progress, and a minute in which it can be taken back."""

from __future__ import annotations

import time
from collections.abc import Collection
from typing import Any, Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.helpers.changes import MANY, Change
from patient_courier.core.helpers.changes import Line as ToldLine
from patient_courier.core.school.text import Line
from patient_courier.core.telling import words
from patient_courier.dispatch.by_hand import Act, Did, do, in_chunks, sets_going, take_back
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.store.students import audiences, people
from patient_courier.store.upkeep.changes import write
from patient_courier.web.context import (
    Reading,
    RowId,
    Session,
    SignedIn,
    TheBoard,
    ThePost,
    definitions_in,
    now_in,
)
from patient_courier.web.jobs import Board, Job, JobState, Kind
from patient_courier.web.places.students.audiences import read_condition

router = APIRouter(prefix="/api/bulk", tags=["students"])
MINUTE_SECONDS = 60.0
MOST_KEYS = 100_000


class Chosen(BaseModel):
    """Students: those named by ``keys``, or all whom the conditions and the words pick."""

    keys: list[str] | None = Field(None, max_length=MOST_KEYS)
    condition: dict[str, Any] | None = None
    q: str = Field("", max_length=200)


class BulkIn(Chosen):
    what: Literal["tag", "untag", "enrol", "start", "stop"]
    name: Line = Field(min_length=1, max_length=200)


class BulkOut(BaseModel):
    """Work on many students. ``waits`` are the seconds until it begins, where letters may follow: so long it can be called
    off. ``undo`` are the seconds in which what is done can be taken back.
    """

    id: int
    state: JobState
    done: int
    total: int
    changed: int
    waits: int
    undo: int
    refused: str


class Work:
    """What is asked, for whom, and what came of it. What has its minute before it is done can't be put back after."""

    def __init__(self, act: Act, by: str, waits: bool) -> None:
        self.act = act
        self.by = by
        self.waits = waits
        self.begins = time.monotonic() + (MINUTE_SECONDS if waits else 0.0)
        self.ended = 0.0
        self.taken_back = False


BULK: Kind[Work, Did] = Kind("bulk", "This work is no longer known.")


@router.post("", status_code=202)
def begin(body: BulkIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard) -> BulkOut:
    """Begin it, at once or in a minute."""
    definitions = definitions_in(post, session)
    act = Act(body.what, body.name)
    _known(definitions, act)
    ids = chosen_ids(session, definitions, body, now_in(session))
    if not ids:
        raise HTTPException(409, "Nobody is chosen.")
    return begin_work(board, post, definitions, act, ids, user.name)


def begin_work(
    board: Board, post: Post, definitions: Definitions, act: Act, ids: list[int], by: str
) -> BulkOut:
    """Begin it for these students (row ids), at once or in a minute."""
    work = Work(act, by, sets_going(definitions, act))
    patience = 0.0 if work.waits else 1.0
    return _out(board.of(BULK).begin(len(ids), work, lambda job: _run(post, ids, job), patience))


def _known(definitions: Definitions, act: Act) -> None:
    places: dict[str, Collection[str]] = {
        "enrol": definitions.courses,
        "start": definitions.sequences,
        "stop": definitions.sequences,
    }
    if act.what in places and act.name not in places[act.what]:
        raise HTTPException(422, f"There is no “{act.name}” in this school.")
    if act.what == "start" and definitions.sequences[act.name].sequence.status != "running":
        raise HTTPException(409, "This sequence does not run. Let it run first.")


def chosen_ids(session: Session, definitions: Definitions, body: Chosen, now: Instant) -> list[int]:
    """The row ids of the students who are meant."""
    if body.keys is not None:
        return sorted(one.id for one in people.by_keys(session, body.keys).values())
    condition = read_condition(definitions, body.condition) if body.condition else None
    return audiences.ids(session, definitions, condition, now, body.q)


def _run(post: Post, ids: list[int], job: Job[Work, Did]) -> Did:
    work = job.about
    while (left := work.begins - time.monotonic()) > 0:
        job.stop.wait(left)
        job.step(0)

    def part(some: list[int]) -> Did:
        with post.database.writing() as session:
            definitions = definitions_in(post, session)
            return do(session, definitions, work.act, some, read_clock(session).now, work.by)

    did = in_chunks(ids, part, job.step)
    work.ended = time.monotonic()
    _write_down(post, work.by, work.act, did)
    post.nudge()
    return did


_DOES = {
    "tag": ("tag", True),
    "untag": ("tag", False),
    "enrol": ("course", True),
    "start": ("sequence", True),
    "stop": ("sequence", False),
}


def _write_down(post: Post, who: str, act: Act, did: Did, end: str = "") -> None:
    """Few students each by their name, many as a number."""
    if not did.students:
        return
    line = _line(act)
    with post.database.writing() as session:
        names = people.by_ids(session, did.students) if len(did.students) <= MANY else {}
        found = [
            Change("student", str(id), f"Student {one.name}{end}", (line,), id) for id, one in names.items()
        ]
        many = Change("students", "", f"{words.counted(len(did.students), 'student')}{end}", (line,))
        write(session, who, found or [many], real_now())


def _line(act: Act) -> ToldLine:
    what, given = _DOES.get(act.what, (act.what.replace("_", " "), True))
    return ToldLine(what, "", act.name) if given else ToldLine(what, act.name, "")


def _out(job: Job[Work, Did]) -> BulkOut:
    work, now = job.about, time.monotonic()
    waits = max(0.0, work.begins - now) if job.state == "working" else 0.0
    can = not work.waits and job.state == "done" and not work.taken_back
    undo = MINUTE_SECONDS - (now - work.ended) if can else 0.0
    return BulkOut(
        id=job.id,
        state=job.state,
        done=job.done,
        total=job.total,
        changed=len(job.result.students) if job.result else 0,
        waits=round(waits),
        undo=max(0, round(undo)),
        refused=job.refused,
    )


@router.get("/{id}")
def get_bulk(id: RowId, user: SignedIn, board: TheBoard) -> BulkOut:
    return _out(board.of(BULK).known(id))


@router.post("/{id}/take-back")
def undo(id: RowId, user: SignedIn, post: ThePost, board: TheBoard) -> BulkOut:
    """Call it off before it begins, stop it on the way, or put back what is done. 409 when the minute is over."""
    job = board.of(BULK).known(id)
    work = job.about
    if job.state == "working":
        job.stop.set()
        job.wait(5.0)
        return _out(job)
    if _out(job).undo == 0 or job.result is None:
        raise HTTPException(409, "The minute is over. Do the opposite instead, if you have to.")
    work.taken_back = True
    take_back(post.database, post.library.load, work.act, job.result, work.by)
    _write_down(post, user.name, work.act, job.result, ", taken back")
    post.nudge()
    return _out(job)
