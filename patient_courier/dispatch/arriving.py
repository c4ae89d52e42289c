"""Events that arrive together share a transaction: one worker takes in what has come, each sender gets their own answer."""

from __future__ import annotations

import queue
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field

import structlog
from sqlalchemy.orm import Session

from patient_courier.core.engine.definitions import Definitions
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.receiving import Receipt, Refusal, keep_problem, receive
from patient_courier.dispatch.worker import Worker
from patient_courier.intake.events import Read
from patient_courier.store.base.database import Busy, Database

log = structlog.get_logger()
# Messages that may wait; more are told to come again.
MOST_WAITING = 500
# What shares a transaction: enough to share its cost, few enough that nobody waits long for its end.
MOST_TOGETHER, MOST_EVENTS = 50, 500


@dataclass(slots=True)
class _Message:
    """One sender's events, or what is no event, and where the answer goes."""

    reports: list[Read]
    answer: Future[Receipt] = field(default_factory=Future)


class Arrivals:
    """Takes in events in the order in which their messages came."""

    def __init__(
        self, database: Database, definitions: Callable[[Session], Definitions], nudge: Callable[[], None]
    ) -> None:
        """``nudge`` is called when something has been taken in."""
        self._database = database
        self._load = definitions
        self._nudge = nudge
        self._queue: queue.Queue[_Message] = queue.Queue(MOST_WAITING)
        self._worker = Worker("arrivals", self._work)

    def start(self) -> None:
        self._worker.start()

    def stop(self) -> None:
        self._worker.stop()

    def submit(self, reports: list[Read]) -> Future[Receipt]:
        """Hand in the events of one message; the receipt comes when they are on the disk. Raises Busy."""
        message = _Message(reports)
        try:
            self._queue.put_nowait(message)
        except queue.Full as error:
            raise Busy("Too many events are waiting to be taken in.") from error
        self._worker.nudge()
        return message.answer

    def _work(self) -> float:
        while lot := self._next_lot():
            try:
                self._take(lot)
            except Exception as error:
                for message in lot:
                    if not message.answer.done():
                        message.answer.set_exception(error)
        return 3600.0

    def _next_lot(self) -> list[_Message]:
        lot: list[_Message] = []
        while len(lot) < MOST_TOGETHER and sum(len(x.reports) for x in lot) < MOST_EVENTS:
            try:
                lot.append(self._queue.get_nowait())
            except queue.Empty:
                break
        return lot

    def _take(self, lot: list[_Message]) -> None:
        """All messages in one transaction; should one of them break it, each on its own."""
        try:
            with self._database.writing() as session:
                receipts = [self._receive(session, message.reports) for message in lot]
        except Busy:
            raise
        except Exception:
            log.exception("messages could not be taken in together")
            receipts = [self._one_by_one(message.reports) for message in lot]
        for message, receipt in zip(lot, receipts, strict=True):
            message.answer.set_result(receipt)
        self._nudge()

    def _receive(self, session: Session, reports: list[Read]) -> Receipt:
        return receive(session, self._load(session), reports, read_clock(session).now)

    def _one_by_one(self, reports: list[Read]) -> Receipt:
        """Each event in a transaction of its own; what can't be taken in for a reason of ours is kept for the owner."""
        receipt = Receipt()
        for index, report in enumerate(reports):
            try:
                with self._database.writing() as session:
                    receipt.add(self._receive(session, [report]), index)
            except Busy:
                raise  # nothing is wrong with the event: all of them may be sent again
            except Exception as error:
                log.exception("an event could not be taken in")
                reason = f"this event could not be taken in ({type(error).__name__})"
                with self._database.writing() as session:
                    keep_problem(session, report.raw, reason, read_clock(session).now)
                receipt.refused.append(Refusal(index, reason))
        return receipt
