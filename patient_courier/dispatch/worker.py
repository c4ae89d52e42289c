"""A thread that does what there is to do, sleeps until there may be more, and bears failures."""

from __future__ import annotations

import threading
from collections.abc import Callable

import structlog

from patient_courier.store.base.database import Busy

log = structlog.get_logger()
LONGEST_SLEEP_SECONDS = 30.0
AFTER_ERROR_SECONDS = 5.0
# For so long those who need no answer are gathered, so that many share one look.
GATHERED_SECONDS = 0.1


class Worker:
    """Calls ``work`` again and again; what it returns is how many seconds it may sleep, at most ``longest``."""

    def __init__(self, name: str, work: Callable[[], float], longest: float = LONGEST_SLEEP_SECONDS) -> None:
        self._work, self._longest = work, longest
        self._waits_for = ""  # said once, not at every look
        self._wanted = threading.Event()
        self._at_once = threading.Event()
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)

    def start(self) -> None:
        self._thread.start()

    def nudge(self) -> None:
        """Say that there is something to do now."""
        self._at_once.set()
        self._wanted.set()

    def nudge_soon(self) -> None:
        """Say that there may be something to do; many who say so within a tenth of a second share one look."""
        self._wanted.set()

    def stop(self, patience: float = 30.0) -> None:
        """Let it finish what it has in hand, for at most so many seconds."""
        self._stopping.set()
        self.nudge()
        if self._thread.is_alive():
            self._thread.join(timeout=patience)

    @property
    def stopping(self) -> bool:
        return self._stopping.is_set()

    def _run(self) -> None:
        while not self.stopping:
            self._wanted.clear()
            self._at_once.clear()
            try:
                pause = self._work()
            except Busy as error:
                if str(error) != self._waits_for:
                    log.warning("must wait", worker=self._thread.name, why=str(error))
                self._waits_for = str(error)
                pause = AFTER_ERROR_SECONDS
            except Exception:
                log.exception("failed, will try again", worker=self._thread.name)
                pause = AFTER_ERROR_SECONDS
            if self._wanted.wait(min(max(pause, 0.0), self._longest)):
                self._at_once.wait(GATHERED_SECONDS)
