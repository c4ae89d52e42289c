"""Long work in the background: begun, asked for until it is done, stopped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass
from itertools import count
from typing import Any, Generic, Literal, TypeVar

import structlog
from fastapi import HTTPException

log = structlog.get_logger()
# Results of older work are forgotten.
KEPT = 32
About = TypeVar("About")
Result = TypeVar("Result")
Thing = TypeVar("Thing")
JobState = Literal["working", "done", "stopped", "failed"]


class Stopped(Exception):
    """The work was told to stop."""


@dataclass(frozen=True)
class Kind(Generic[About, Result]):
    """A kind of work under its name, what is said of a piece of it that has been forgotten, and how many are kept."""

    name: str
    gone: str
    kept: int = KEPT


class Job(Generic[About, Result]):
    """One piece of work: what it is about, how far it is, and what came of it."""

    def __init__(self, id: int, total: int, about: About) -> None:
        self.id = id
        self.about = about
        self.total = total
        self.done = 0
        self.state: JobState = "working"
        self.refused = ""
        self.result: Result | None = None
        self.stop = threading.Event()
        self._over = threading.Event()

    def step(self, number: int = 1) -> None:
        """Say that so much more is done. Raises Stopped when the work is to end."""
        self.done += number
        if self.stop.is_set():
            raise Stopped

    def wait(self, seconds: float) -> None:
        """Wait for the end, but not for longer than this."""
        self._over.wait(seconds)

    def run(self, work: Callable[[Job[About, Result]], Result]) -> None:
        try:
            self.result = work(self)
            self.state = "done"
        except Stopped:
            self.state = "stopped"
        except ValueError as error:
            self.state, self.refused = "failed", str(error)
        except Exception:
            log.exception("work in the background failed")
            self.state, self.refused = "failed", "This could not be done. Try again."
        finally:
            self._over.set()


class Jobs(Generic[About, Result]):
    """The work of one kind that is under way or was done lately."""

    def __init__(self, kind: Kind[About, Result]) -> None:
        self._kind = kind
        self._numbers = count(1)
        self._lock = threading.Lock()
        self._known: dict[int, Job[About, Result]] = {}

    def begin(
        self, total: int, about: About, work: Callable[[Job[About, Result]], Result], patience: float = 0.0
    ) -> Job[About, Result]:
        """Begin the work; small work is done within the ``patience`` (seconds)."""
        with self._lock:
            job: Job[About, Result] = Job(next(self._numbers), total, about)
            self._known[job.id] = job
            for old in [id for id in self._known if id <= job.id - self._kind.kept]:
                self._known.pop(old).stop.set()
        threading.Thread(
            target=job.run, args=(work,), name=f"{self._kind.name}-{job.id}", daemon=True
        ).start()
        job.wait(patience)
        return job

    def find(self, id: int) -> Job[About, Result] | None:
        return self._known.get(id)

    def last(self) -> Job[About, Result] | None:
        """The one that was begun last."""
        with self._lock:
            return self._known[max(self._known)] if self._known else None

    def known(self, id: int) -> Job[About, Result]:
        """A piece of work that was begun. 404 when it is too long ago."""
        job = self.find(id)
        if job is None:
            raise HTTPException(404, self._kind.gone)
        return job


class Board:
    """What one application has in hand in memory: its work of every kind, and things of which it has one each."""

    def __init__(self) -> None:
        self._jobs: dict[str, Jobs[Any, Any]] = {}
        self._things: dict[type[Any], Any] = {}
        self._lock = threading.Lock()

    def of(self, kind: Kind[About, Result]) -> Jobs[About, Result]:
        with self._lock:
            return self._jobs.setdefault(kind.name, Jobs(kind))

    def one(self, make: type[Thing]) -> Thing:
        """The one thing of this type, made when it is first asked for."""
        with self._lock:
            if make not in self._things:
                self._things[make] = make()
            found: Thing = self._things[make]
            return found
