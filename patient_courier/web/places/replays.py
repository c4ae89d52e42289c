"""The last days again: a draft played against what really happened, in the background, with progress and a stop."""

from __future__ import annotations

import threading
from collections import Counter, defaultdict
from dataclasses import dataclass, field
from itertools import count
from typing import Any, Literal

import structlog
from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Date, Instant

from patient_courier.core import calendar, words
from patient_courier.core.definitions import Definitions
from patient_courier.core.replay import LIMITED, Replay
from patient_courier.core.school.events import Event
from patient_courier.core.state import new_state
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.exporting import students_with_events
from patient_courier.store.states import POSTED
from patient_courier.store.tables import DeliveryRow, StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, definitions_in
from patient_courier.web.places.deliveries import student_name
from patient_courier.web.places.rehearsals import playable

router = APIRouter(prefix="/api/replays", tags=["rehearsals"])
log = structlog.get_logger()
CHUNK = 200
KEPT = 8


class ReplayIn(BaseModel):
    sequence: dict[str, Any]
    days: int = Field(90, ge=1, le=730)


class Person(BaseModel):
    key: str
    name: str
    words: str


class DayCount(BaseModel):
    date: str
    label: str
    letters: int


class StepCount(BaseModel):
    step: str
    letters: int


class ReplayResult(BaseModel):
    """What the draft would have posted in those days. Lists of people are cut at fifty."""

    letters: int
    students: int
    skipped: list[str]
    busiest: DayCount | None
    days: list[DayCount]
    steps: list[StepCount]
    over_limit: list[Person]
    over_limit_number: int
    unwritten: list[Person]
    unwritten_number: int


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
    draft = playable(definitions, body.sequence)
    now = read_clock(session).now
    ids = list(session.scalars(select(StudentRow.id).order_by(StudentRow.id)))
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
            sent = _sent(session, chunk, since, zone)
            for id, student, events in students_with_events(session, chunk):
                if job.stop.is_set():
                    job.state = "stopped"
                    return
                replay.look(new_state(student, zone, id), _readable(definitions, events), sent[id])
                job.done += 1
        job.result = _result(session, definitions, replay)
    job.state = "done"


def _readable(definitions: Definitions, events: list[Event]) -> list[Event]:
    """The events whose objects are still there; outlines change."""
    return [event for event in events if definitions.unknown(event.names()) is None]


def _sent(session: Session, ids: list[int], since: Instant, zone: str) -> defaultdict[int, Counter[Date]]:
    """How many limited letters each student really got, by their local day."""
    found: defaultdict[int, Counter[Date]] = defaultdict(Counter)
    d = DeliveryRow
    rows = session.execute(
        select(d.student_id, d.at, StudentRow.timezone)
        .join(StudentRow, StudentRow.id == d.student_id)
        .where(
            d.student_id.in_(ids),
            d.at >= since,
            d.status.in_(POSTED),
            d.purpose.in_(LIMITED),
            d.recipients.is_(None),
        )
    )
    for id, at, own in rows:
        found[id][calendar.local_date(at, own or zone)] += 1
    return found


def _result(session: Session, definitions: Definitions, replay: Replay) -> ReplayResult:
    found = replay.found
    shown = {*list(found.crowded)[:50], *found.unwritten[:50]}
    rows = {row.key: row for row in session.scalars(select(StudentRow).where(StudentRow.key.in_(shown)))}

    def person(key: str, said: str) -> Person:
        return Person(key=key, name=student_name(rows[key]), words=said)

    zone = definitions.school.timezone
    first, last = (calendar.local_date(at, zone) for at in (replay.since, replay.until))
    every = [first.add(days=n) for n in range(calendar.days_between(first, last) + 1)]
    days = [DayCount(date=d.format_iso(), label=words.day(d), letters=found.days[d]) for d in every]
    return ReplayResult(
        letters=found.letters,
        students=len(found.students),
        skipped=[
            f"{number} not posted: {words.reason(code) or code}"
            for code, number in found.skipped.most_common()
        ],
        busiest=max(days, key=lambda day: day.letters) if found.letters else None,
        days=days,
        steps=[StepCount(step=step, letters=number) for step, number in found.steps.most_common()],
        over_limit=[
            person(key, f"{n} letters on {words.day(day)}")
            for key, (day, n) in list(found.crowded.items())[:50]
        ],
        over_limit_number=len(found.crowded),
        unwritten=[person(key, f"{found.students[key]} letters") for key in found.unwritten[:50]],
        unwritten_number=len(found.unwritten),
    )


def _job(id: int) -> _Job:
    job = _jobs.get(id)
    if job is None:
        raise HTTPException(404, "This look back is no longer known. Begin it again.")
    return job


@router.get("/{id}")
def get_replay(id: int, user: SignedIn) -> ReplayOut:
    return _job(id).out()


@router.delete("/{id}")
def stop_replay(id: int, user: SignedIn) -> ReplayOut:
    job = _job(id)
    job.stop.set()
    return job.out()
