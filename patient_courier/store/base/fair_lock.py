"""A lock for writers: first come, first served."""

from __future__ import annotations

from collections import deque
from threading import Lock


class FairLock:
    """A lock that is given in the order in which it was asked for.

    SQLite's own waiting looks again at intervals, so that one who asks often is served before one who waits long.
    """

    def __init__(self) -> None:
        self._mutex = Lock()
        self._waiting: deque[Lock] = deque()
        self._held = False

    def acquire(self, timeout: float) -> bool:
        """Wait for one's turn; False when it did not come in time (seconds)."""
        with self._mutex:
            if not self._held:
                self._held = True
                return True
            ticket = Lock()
            ticket.acquire()
            self._waiting.append(ticket)
        if ticket.acquire(timeout=timeout):
            return True
        with self._mutex:
            if ticket in self._waiting:
                self._waiting.remove(ticket)
                return False
        return True  # given just now

    def release(self) -> None:
        with self._mutex:
            if self._waiting:
                self._waiting.popleft().release()
            else:
                self._held = False
