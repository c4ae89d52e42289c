"""Tables of events, CSV or spreadsheets: read, tried by a connection's file, taken in as the past."""

from __future__ import annotations

import threading
from itertools import count
from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Request
from pydantic import BaseModel
from starlette.concurrency import run_in_threadpool
from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.text import clean_line
from patient_courier.core.translating.rows import message_of_row
from patient_courier.core.translating.told import happened
from patient_courier.dispatch.connecting import connection_of, source_of
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.event_files import MOST_SHOWN, TriedRows, take_part, take_rows, try_rows
from patient_courier.dispatch.following import Follows, what_follows
from patient_courier.intake.people_file import People
from patient_courier.store.connections import messages
from patient_courier.store.students.consents import Source
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
from patient_courier.web.jobs import Job, JobState, Kind
from patient_courier.web.places.connections.connections import the
from patient_courier.web.places.connections.switching import MOST_FOLLOWED, FollowsOut, follows_out
from patient_courier.web.uploads import uploaded_table
from patient_courier.web.written import note

router = APIRouter(prefix="/api/event-files", tags=["connections"])
PATIENCE_SECONDS = 1.5
# So many rows are kept as messages of a connection that has none, to be pointed at.
SAMPLES = 20


class EventFileOut(BaseModel):
    """A table that was read, at hand until another one is: how it was read, its columns, how many rows."""

    id: int
    name: str
    how: str
    columns: list[str]
    rows: int


class RowSaid(BaseModel):
    row: int
    said: str


class TriedRowsOut(BaseModel):
    """What a table would become. ``starting`` events lie on or after the day: only for them sequences start, as ``follows`` says."""

    events: int
    known: int
    not_for_us: int
    waits: int
    examples: list[RowSaid]
    waiting: list[RowSaid]
    starting: int
    follows: FollowsOut | None


class EventWorkOut(BaseModel):
    """Trying or taking in: how far it is, and what came of it; ``failed`` rows could not be taken in."""

    id: int
    state: JobState
    done: int
    total: int
    tried: TriedRowsOut | None
    taken: int | None
    failed: int
    refused: str


class DayIn(BaseModel):
    """From which day on sequences start: a date of the school's; without one, today."""

    day: str | None = None


class _Done:
    def __init__(self, tried: TriedRowsOut | None = None, taken: int | None = None, failed: int = 0) -> None:
        self.tried, self.taken, self.failed = tried, taken, failed


class _Tables:
    """The table that was read last, and what trying it has found."""

    def __init__(self) -> None:
        self._numbers = count(1)
        self._lock = threading.Lock()
        self._held: tuple[int, str, str, People] | None = None
        self._tried: tuple[int, str, Instant, TriedRows] | None = None

    def put(self, connection: str, name: str, table: People) -> int:
        with self._lock:
            self._held = (next(self._numbers), connection, name, table)
            self._tried = None
            return self._held[0]

    def get(self, id: int) -> tuple[str, str, People]:
        with self._lock:
            if self._held is None or self._held[0] != id:
                raise HTTPException(404, "This file is no longer at hand. Choose it again.")
            return self._held[1:]

    def keep_tried(self, id: int, text: str, since: Instant, found: TriedRows) -> None:
        with self._lock:
            self._tried = (id, text, since, found)

    def tried(self, id: int, text: str, since: Instant) -> TriedRows:
        with self._lock:
            if self._tried is None or self._tried[:3] != (id, text, since):
                raise HTTPException(409, "It was not tried like this. Try it first, then take it in.")
            return self._tried[3]


EVENT_FILES: Kind[None, _Done] = Kind("event-file", "This work is no longer known.")


@router.post(
    "",
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
    connection: Annotated[str, Query(max_length=200)],
    name: Annotated[str, Query(max_length=300)] = "events.csv",
) -> EventFileOut:
    """Read a table of events, the body as it is. Its first rows become messages of a connection that has none yet."""
    table = await uploaded_table(request, post)
    await run_in_threadpool(_keep_samples, post, connection, table)
    name = clean_line(name)
    id = board.one(_Tables).put(connection, name, table)
    return EventFileOut(id=id, name=name, how=table.how, columns=table.columns, rows=len(table.rows))


def _keep_samples(post: Post, key: str, table: People) -> None:
    with post.database.writing() as session:
        kept = the(session, key)
        if messages.number(session, kept.id) == 0:
            now = now_in(session)
            # The newest comes first on screen: so the first row is put down last.
            for cells in reversed(table.rows[:SAMPLES]):
                messages.keep(session, kept.id, message_of_row(table.columns, cells, now))


def _since(definitions: Definitions, now: Instant, day: str | None) -> Instant:
    zone = definitions.school.timezone
    try:
        date = Date.parse_iso(day) if day else calendar.local(now, zone).date()
    except ValueError as error:
        raise HTTPException(422, "From which day on? Give a date such as 2026-03-02.") from error
    return calendar.resolve(date.at(calendar.MIDNIGHT), zone)


@router.post("/{id}/try")
def try_it(
    id: RowId, body: DayIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard
) -> EventWorkOut:
    """Try what taking the table in would do. Changes nothing."""
    tables = board.one(_Tables)
    key, _, table = tables.get(id)
    kept, definitions, now = the(session, key), definitions_in(post, session), now_in(session)
    connection = connection_of(kept)
    if connection is None:
        raise HTTPException(422, "Point at the values in the messages first, and save that.")
    since = _since(definitions, now, body.day)

    def work(job: Job[None, _Done]) -> _Done:
        with post.database.reading() as session:
            found = try_rows(session, definitions, connection, table, now, job.step)
        tables.keep_tried(id, kept.text, since, found)
        return _Done(tried=_tried_out(post, definitions, found, since, source_of(kept)))

    return _out(board.of(EVENT_FILES).begin(len(table.rows), None, work, PATIENCE_SECONDS))


def _tried_out(
    post: Post, definitions: Definitions, found: TriedRows, since: Instant, source: Source
) -> TriedRowsOut:
    starting = [one for one in found.events if one.at >= since]

    def act(session: Session, definitions: Definitions) -> dict[str, int]:
        part = starting[-MOST_FOLLOWED:]
        take_part(session, definitions, part, since, source)
        return {"events": len(part)}

    follows: Follows | None = None
    if starting:
        counts, follows = what_follows(post.database, post.library.load, act)
    return TriedRowsOut(
        events=len(found.events),
        known=found.known,
        not_for_us=found.not_for_us,
        waits=len(found.waits),
        examples=[
            RowSaid(row=one.row, said=happened(definitions, one.event)) for one in found.events[:MOST_SHOWN]
        ],
        waiting=[RowSaid(row=row, said=waits.sentence) for row, waits in found.waits[:MOST_SHOWN]],
        starting=len(starting),
        follows=follows_out(counts, follows, len(starting)) if follows is not None else None,
    )


@router.post("/{id}/take", status_code=202)
def take(
    id: RowId, body: DayIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard
) -> EventWorkOut:
    """Take in what was tried. 409 when it was not tried with this day and this connection file."""
    tables = board.one(_Tables)
    key, name, _ = tables.get(id)
    kept, definitions = the(session, key), definitions_in(post, session)
    since = _since(definitions, now_in(session), body.day)
    found = tables.tried(id, kept.text, since)
    source = Source(f"{source_of(kept).how}, in the file “{name}”")

    def work(job: Job[None, _Done]) -> _Done:
        done, failed = take_rows(post.database, post.library.load, found.events, since, source, job.step)
        note(post, user.name, f"Events of the file “{name}” taken in: {done}")
        post.nudge()
        return _Done(taken=done, failed=failed)

    return _out(board.of(EVENT_FILES).begin(len(found.events), None, work, PATIENCE_SECONDS))


@router.get("/progress/{id}")
def progress(id: RowId, user: SignedIn, board: TheBoard) -> EventWorkOut:
    return _out(board.of(EVENT_FILES).known(id))


def _out(job: Job[None, _Done]) -> EventWorkOut:
    found = job.result or _Done()
    return EventWorkOut(
        id=job.id,
        state=job.state,
        done=job.done,
        total=job.total,
        tried=found.tried,
        taken=found.taken,
        failed=found.failed,
        refused=job.refused,
    )
