"""Looking over the school by itself: the check-up of the whole once a day, and the links of letters one by one."""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import structlog
from sqlalchemy.orm import Session

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview.reading_through import leads_to
from patient_courier.core.upkeep import check_up
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.whole import letters_in_use, look_over
from patient_courier.post.outward import NotReached, Outward
from patient_courier.store.base.database import Database
from patient_courier.store.overview import kept_findings
from patient_courier.store.students import people

log = structlog.get_logger()
OFTEN_HOURS = 24
# A link is asked at most every so many seconds, and each once a week: nobody is to take it for an attack.
LINK_SECONDS, LINK_HOURS = 20.0, 7 * 24
IDLE_SECONDS = 300.0


@dataclass(frozen=True, slots=True)
class Progress:
    """How far a check-up that is under way has come: ``done`` of ``total`` looks."""

    done: int
    total: int


# For so long one thread may compute while others wait for their turn; Python's own are ten times as long.
TURN_SECONDS = 0.0005


@contextmanager
def _short_turns() -> Iterator[None]:
    """Whoever looks at a page meanwhile takes many short turns: each would wait for a long one of ours (sys.setswitchinterval)."""
    before = sys.getswitchinterval()
    sys.setswitchinterval(TURN_SECONDS)
    try:
        yield
    finally:
        sys.setswitchinterval(before)


class Overseer:
    """Keeps the findings fresh. One check-up at a time, whoever asks for it."""

    def __init__(
        self,
        database: Database,
        load: Callable[[Session], Definitions],
        runs: Callable[[], list[check_up.Finding]],
        *,
        inside: bool,
    ) -> None:
        """``runs`` looks at how the school runs; ``inside``: links may lead to this machine's networks too."""
        self._database, self._load, self._runs, self._inside = database, load, runs, inside
        self._at_work = threading.Lock()
        self._asked = threading.Event()
        self.progress: Progress | None = None

    def ask(self) -> None:
        """Somebody wants it looked over now."""
        if self.progress is None:
            self.progress = Progress(0, 1)
        self._asked.set()

    def look(self) -> float:
        """Look over the school if that is due or asked for, and ask one link; returns in how many seconds to come again."""
        if self._asked.is_set() or self._is_due():
            self._asked.clear()
            self.look_now()
        return self._look_at_link()

    def look_now(self) -> None:
        with self._at_work, _short_turns():
            try:
                look_over(self._database, self._load, self._runs, self._step)
            finally:
                self.progress = None

    def _step(self, done: int, total: int) -> None:
        self.progress = Progress(done, total)

    def _is_due(self) -> bool:
        with self._database.reading() as session:
            last = kept_findings.last(session)
            if last is None:
                return people.number(session) > 0
        return (real_now() - last.real).total("hours") >= OFTEN_HOURS

    def _look_at_link(self) -> float:
        """Ask the address that has waited longest. A practice school asks nobody outside."""
        with self._database.reading() as session:
            if not kept_findings.looks_at_links(session) or (
                read_clock(session).practice and not self._inside
            ):
                return IDLE_SECONDS
            used = leads_to(letters_in_use(session, self._load(session)))
            url = kept_findings.next_link(session, used, real_now().subtract(hours=LINK_HOURS))
        if url is None:
            return IDLE_SECONDS
        wrong = self._wrong_with(url)
        with self._database.writing() as session:
            kept_findings.note_link(session, url, wrong, real_now())
            kept_findings.forget_links(session, used)
        return LINK_SECONDS

    def _wrong_with(self, url: str) -> str | None:
        outward = Outward(inside=self._inside)
        try:
            status = outward.knock(url)
        except NotReached as error:
            return f"It could not be reached: {error}."
        finally:
            outward.close()
        # What asks for a password, or for patience, is there.
        return f"It answers {status}." if status >= 400 and status not in (401, 403, 429) else None
