"""Events that arrive together share a transaction: one worker takes in what has come, each sender gets their own answer."""

from __future__ import annotations

import queue
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Any, Generic, Protocol, TypeVar

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.translating.message import Message
from patient_courier.core.translating.statements import Statement
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.connecting import (
    Outcome,
    StatedOutcome,
    count_own,
    count_unproven,
    keep_for_later,
    take_message,
    take_statements,
)
from patient_courier.dispatch.receiving import Receipt, Refusal, keep_problem, receive
from patient_courier.dispatch.worker import Worker
from patient_courier.intake.events import Read
from patient_courier.store.base.database import Busy, Database

log = structlog.get_logger()
# Messages that may wait; more are told to come again.
MOST_WAITING = 500
# What shares a transaction: enough to share its cost, few enough that nobody waits long for its end.
MOST_TOGETHER, MOST_EVENTS = 50, 500


T = TypeVar("T")
Answer = TypeVar("Answer", covariant=True)


class Arrived(Protocol[Answer]):
    """What one sender has sent: how many events it may hold, and how it is taken in within a transaction."""

    @property
    def size(self) -> int: ...

    def take(self, session: Session, definitions: Definitions, now: Instant) -> Answer:
        """Take it in."""

    def alone(self, arrivals: Arrivals) -> Answer:
        """What becomes of it when it could not be taken in: as much as possible goes in, the rest is kept for the owner."""


@dataclass(frozen=True, slots=True)
class Reports:
    """Events in our own form."""

    reports: list[Read]

    @property
    def size(self) -> int:
        return len(self.reports)

    def take(self, session: Session, definitions: Definitions, now: Instant) -> Receipt:
        receipt = receive(session, definitions, self.reports, now)
        count_own(session, definitions, receipt, now)
        return receipt

    def alone(self, arrivals: Arrivals) -> Receipt:
        """Each event in a transaction of its own; what can't be taken in for a reason of ours is kept for the owner."""
        receipt = Receipt()
        for index, report in enumerate(self.reports):
            try:
                receipt.add(arrivals.take_one(Reports([report])), index)
            except Busy:
                raise  # nothing is wrong with the event: all of them may be sent again
            except Exception as wrong:
                log.exception("an event could not be taken in")
                reason = f"this event could not be taken in ({type(wrong).__name__})"
                with arrivals.database.writing() as session:
                    keep_problem(session, report.raw, reason, read_clock(session).now)
                receipt.refused.append(Refusal(index, reason))
        return receipt


@dataclass(frozen=True, slots=True)
class Delivered:
    """A message of a connection, which has proven itself."""

    connection: int
    type: str
    body: bytes
    size: int = 1

    def take(self, session: Session, definitions: Definitions, now: Instant) -> Outcome:
        return take_message(session, definitions, self.connection, self.type, self.body, now)

    def alone(self, arrivals: Arrivals) -> Outcome:
        """In a transaction of its own; what can't be taken in for a reason of ours waits for the owner."""
        try:
            return arrivals.take_one(self)
        except Busy:
            raise
        except Exception as wrong:
            log.exception("a message could not be taken in")
            with arrivals.database.writing() as session:
                return keep_for_later(
                    session,
                    arrivals.definitions(session),
                    self.connection,
                    Message(read_clock(session).now, self.type, self.body),
                    type(wrong).__name__,
                )


@dataclass(frozen=True, slots=True)
class Unproven:
    """A message of a connection whose proof failed: counted, and not kept."""

    connection: int
    why: str
    size: int = 1

    def take(self, session: Session, definitions: Definitions, now: Instant) -> Outcome:
        return count_unproven(session, definitions, self.connection, self.why, now)

    def alone(self, arrivals: Arrivals) -> Outcome:
        return arrivals.take_one(self)


@dataclass(frozen=True, slots=True)
class Stated:
    """xAPI statements of a connection, which have proven themselves: all of them are taken in, or none."""

    connection: int
    statements: list[Statement]

    @property
    def size(self) -> int:
        return len(self.statements)

    def take(self, session: Session, definitions: Definitions, now: Instant) -> StatedOutcome:
        return take_statements(session, definitions, self.connection, self.statements, now)

    def alone(self, arrivals: Arrivals) -> StatedOutcome:
        return arrivals.take_one(self)


@dataclass(slots=True)
class _Waiting(Generic[T]):
    """What has arrived, and where the answer goes."""

    arrived: Arrived[T]
    answer: Future[T] = field(default_factory=Future)


class Arrivals:
    """Takes in what arrives in the order in which it came."""

    def __init__(
        self, database: Database, definitions: Callable[[Session], Definitions], nudge: Callable[[], None]
    ) -> None:
        """``nudge`` is called when something has been taken in."""
        self.database = database
        self.definitions = definitions
        self._nudge = nudge
        self._queue: queue.Queue[_Waiting[Any]] = queue.Queue(MOST_WAITING)
        self._worker = Worker("arrivals", self._work)

    def start(self) -> None:
        self._worker.start()

    def stop(self) -> None:
        self._worker.stop()

    def submit(self, arrived: Arrived[T]) -> Future[T]:
        """Hand in what one sender has sent; the answer comes when it is on the disk. Raises Busy."""
        waiting: _Waiting[T] = _Waiting(arrived)
        try:
            self._queue.put_nowait(waiting)
        except queue.Full as error:
            raise Busy("Too many events are waiting to be taken in.") from error
        self._worker.nudge()
        return waiting.answer

    def take_one(self, arrived: Arrived[T]) -> T:
        """In a transaction of its own."""
        with self.database.writing() as session:
            return arrived.take(session, self.definitions(session), read_clock(session).now)

    def _work(self) -> float:
        while lot := self._next_lot():
            try:
                self._take(lot)
            except Exception as error:
                for one in lot:
                    if not one.answer.done():
                        one.answer.set_exception(error)
        return 3600.0

    def _next_lot(self) -> list[_Waiting[Any]]:
        lot: list[_Waiting[Any]] = []
        while len(lot) < MOST_TOGETHER and sum(x.arrived.size for x in lot) < MOST_EVENTS:
            try:
                lot.append(self._queue.get_nowait())
            except queue.Empty:
                break
        return lot

    def _take(self, lot: list[_Waiting[Any]]) -> None:
        """All of it in one transaction; should one break it, each on its own."""
        try:
            with self.database.writing() as session:
                answers = [
                    one.arrived.take(session, self.definitions(session), read_clock(session).now)
                    for one in lot
                ]
        except Busy:
            raise
        except Exception:
            log.exception("messages could not be taken in together")
            self._each_alone(lot)
        else:
            for one, answer in zip(lot, answers, strict=True):
                one.answer.set_result(answer)
            # Who only listens sets nothing going.
            if all(isinstance(answer, Outcome) and not answer.counts.get("events") for answer in answers):
                return
        self._nudge()

    def _each_alone(self, lot: list[_Waiting[Any]]) -> None:
        for one in lot:
            try:
                one.answer.set_result(one.arrived.alone(self))
            except Exception as wrong:
                one.answer.set_exception(wrong)
