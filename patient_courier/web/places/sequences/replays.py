"""The last days again: a draft played against what really happened, in the background, with progress and a stop."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from itertools import count
from typing import Any, Literal

import structlog
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
from patient_courier.web.context import Reading, RowId, SignedIn, ThePost, definitions_in

router = APIRouter(prefix="/api/replays", tags=["rehearsals"])
log = structlog.get_logger()
CHUNK = 200
KEPT = 8


class ReplayIn(BaseModel):
    sequence: dict[str, Any]
    days: int = Field(90, ge=1, le=730)


class ReplayOut(BaseModel):
    id: int
    state: Literal["playing", "done", "stopped", "failed"]
    done: int
    total: int
    result: ReplayResult | None


@dataclass
class _Job:
    """One replay under way: how far it is, and whether it is to stop."""

    id: int
    total: int
    done: int = 0
    state: Literal["playing", "done", "stopped", "failed"] = "playing"
    stop: threading.Event = field(default_factory=threading.Event)
    result: ReplayResult | None = None

    def out(self) -> ReplayOut:
        return ReplayOut(id=self.id, state=self.state, done=self.done, total=self.total, result=self.result)


_jobs: dict[int, _Job] = {}
_numbers = count(1)


@router.post("", status_code=202)
def begin(body: ReplayIn, user: SignedIn, post: ThePost, session: Reading) -> ReplayOut:
    """Begin to play a draft over the last days; ask for it by its id until it is done."""
    definitions = definitions_in(post, session)
    try:
        draft = playable(definitions, body.sequence)
    except NotPlayable as error:
        raise HTTPException(422, str(error)) from error
    now = read_clock(session).now
    ids = people.every_id(session)
    job = _Job(next(_numbers), len(ids))
    for old in [id for id in _jobs if id <= job.id - KEPT]:
        _jobs.pop(old).stop.set()
    _jobs[job.id] = job
    since = now.subtract(hours=24 * body.days)
    replay = Replay(definitions, draft, since, now)

    def work() -> None:
        try:
            _play(post, definitions, replay, job, ids, since)
        except Exception:
            log.exception("replay failed")
            job.state = "failed"

    threading.Thread(target=work, name=f"replay-{job.id}", daemon=True).start()
    return job.out()


def _play(
    post: ThePost, definitions: Definitions, replay: Replay, job: _Job, ids: list[int], since: Instant
) -> None:
    zone = definitions.school.timezone
    with post.database.reading() as session:
        for start in range(0, len(ids), CHUNK):
            chunk = ids[start : start + CHUNK]
            sent = limited_by_day(session, chunk, since, zone, LIMITED)
            for id, student, events in students_with_events(session, chunk):
                if job.stop.is_set():
                    job.state = "stopped"
                    return
                replay.look(
                    new_state(student, definitions.school, id),
                    _readable(definitions, events),
                    sent.get(id, {}),
                )
                job.done += 1
        names = people.by_keys(session, shown_people(replay.found))
        job.result = looked_back(definitions, replay, {key: one.name for key, one in names.items()})
    job.state = "done"


def _readable(definitions: Definitions, events: list[Event]) -> list[Event]:
    """The events whose objects are still there; outlines change."""
    return [event for event in events if definitions.unknown(event.names()) is None]


def _job(id: int) -> _Job:
    job = _jobs.get(id)
    if job is None:
        raise HTTPException(404, "This look back is no longer known. Begin it again.")
    return job


@router.get("/{id}")
def get_replay(id: RowId, user: SignedIn) -> ReplayOut:
    return _job(id).out()


@router.delete("/{id}")
def stop_replay(id: RowId, user: SignedIn) -> ReplayOut:
    job = _job(id)
    job.stop.set()
    return job.out()
