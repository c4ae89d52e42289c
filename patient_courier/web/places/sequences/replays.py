"""The last days again: a draft played against what really happened, in the background, with progress and a stop."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import new_state
from patient_courier.core.rehearsing.replay import LIMITED, Replay
from patient_courier.core.rehearsing.replay_view import ReplayResult, looked_back, shown_people
from patient_courier.core.rehearsing.scene import NotPlayable, playable
from patient_courier.core.school.events import Event
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.outbox.log import limited_by_day
from patient_courier.store.school.exporting import students_with_events
from patient_courier.store.students import people
from patient_courier.web.context import Reading, RowId, SignedIn, TheBoard, ThePost, definitions_in
from patient_courier.web.jobs import Job, JobState, Kind

router = APIRouter(prefix="/api/replays", tags=["rehearsals"])
CHUNK = 200


class ReplayIn(BaseModel):
    sequence: dict[str, Any]
    days: int = Field(90, ge=1, le=730)


class ReplayOut(BaseModel):
    id: int
    state: JobState
    done: int
    total: int
    result: ReplayResult | None


REPLAYS: Kind[None, ReplayResult] = Kind(
    "replay", "This look back is no longer known. Begin it again.", kept=8
)


@router.post("", status_code=202)
def begin(body: ReplayIn, user: SignedIn, post: ThePost, session: Reading, board: TheBoard) -> ReplayOut:
    """Begin to play a draft over the last days; ask for it by its id until it is done."""
    definitions = definitions_in(post, session)
    try:
        draft = playable(definitions, body.sequence)
    except NotPlayable as error:
        raise HTTPException(422, str(error)) from error
    now = read_clock(session).now
    ids = people.every_id(session)
    since = now.subtract(hours=24 * body.days)
    replay = Replay(definitions, draft, since, now)
    return _out(
        board.of(REPLAYS).begin(len(ids), None, lambda job: _play(post, definitions, replay, job, ids, since))
    )


def _play(
    post: ThePost,
    definitions: Definitions,
    replay: Replay,
    job: Job[None, ReplayResult],
    ids: list[int],
    since: Instant,
) -> ReplayResult:
    school = definitions.school
    with post.database.reading() as session:
        for start in range(0, len(ids), CHUNK):
            chunk = ids[start : start + CHUNK]
            sent = limited_by_day(session, chunk, since, school.timezone, LIMITED)
            for id, student, events in students_with_events(session, chunk):
                state = new_state(student, school, id)
                replay.look(state, _readable(definitions, events), sent.get(id, {}))
                job.step()
        names = people.by_keys(session, shown_people(replay.found))
        return looked_back(definitions, replay, {key: one.name for key, one in names.items()})


def _readable(definitions: Definitions, events: list[Event]) -> list[Event]:
    """The events whose objects are still there; outlines change."""
    return [event for event in events if definitions.unknown(event.names()) is None]


def _out(job: Job[None, ReplayResult]) -> ReplayOut:
    return ReplayOut(id=job.id, state=job.state, done=job.done, total=job.total, result=job.result)


@router.get("/{id}")
def get_replay(id: RowId, user: SignedIn, board: TheBoard) -> ReplayOut:
    return _out(board.of(REPLAYS).known(id))


@router.delete("/{id}")
def stop_replay(id: RowId, user: SignedIn, board: TheBoard) -> ReplayOut:
    job = board.of(REPLAYS).known(id)
    job.stop.set()
    return _out(job)
