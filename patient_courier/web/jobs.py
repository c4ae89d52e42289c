"""Long work in the background: begun, asked for until it is done, stopped."""

from __future__ import annotations

import threading
from collections.abc import Callable
from itertools import count
from typing import Generic, Literal, TypeVar

import structlog

log = structlog.get_logger()
# Results of older work are forgotten.
KEPT = 32
Result = TypeVar("Result")
JobState = Literal["working", "done", "stopped", "failed"]


class Stopped(Exception):
    """The work was told to stop."""


class Job(Generic[Result]):
    """One piece of work: how far it is, and what came of it."""

    def __init__(self, id: int, total: int) -> None:
        self.id = id
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

    def run(self, work: Callable[[Job[Result]], Result]) -> None:
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


class Jobs(Generic[Result]):
    """The work of one kind that is under way or was done lately."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._numbers = count(1)
        self._lock = threading.Lock()
        self._known: dict[int, Job[Result]] = {}

    def begin(self, total: int, work: Callable[[Job[Result]], Result], patience: float = 0.0) -> Job[Result]:
        """Begin the work; small work is done within the ``patience`` (seconds)."""
        with self._lock:
            job: Job[Result] = Job(next(self._numbers), total)
            self._known[job.id] = job
            for old in [id for id in self._known if id <= job.id - KEPT]:
                self._known.pop(old).stop.set()
        threading.Thread(target=job.run, args=(work,), name=f"{self._name}-{job.id}", daemon=True).start()
        job.wait(patience)
        return job

    def find(self, id: int) -> Job[Result] | None:
        return self._known.get(id)
