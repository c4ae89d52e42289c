"""Events that arrive together share a transaction: one worker takes in what has come, each sender gets their own answer."""

from __future__ import annotations

import queue
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field

import structlog
from sqlalchemy.orm import Session

from patient_courier.core.definitions import Definitions
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.receiving import Receipt, Refusal, keep_problem, receive
from patient_courier.dispatch.worker import Worker
from patient_courier.intake.reading import Read
from patient_courier.store.database import Busy, Database

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
        receipts = []
        with self._database.writing() as session:
            for message in lot:
                receipts.append(self._take_message(session, message.reports))
        for message, receipt in zip(lot, receipts, strict=True):
            message.answer.set_result(receipt)
        self._nudge()

    def _take_message(self, session: Session, reports: list[Read]) -> Receipt:
        """One message; if it can't be taken in as a whole, each of its events on its own, and those that can't are kept."""
        now = read_clock(session).now
        try:
            with session.begin_nested():
                return receive(session, self._load(session), reports, now)
        except Exception:
            log.exception("a message could not be taken in as a whole")
        receipt = Receipt()
        for index, report in enumerate(reports):
            try:
                with session.begin_nested():
                    one = receive(session, self._load(session), [report], now)
                receipt.add(one, index)
            except Exception as error:
                log.exception("an event could not be taken in")
                reason = f"this event could not be taken in ({type(error).__name__})"
                keep_problem(session, report.raw, reason, now)
                receipt.refused.append(Refusal(index, reason))
        return receipt
