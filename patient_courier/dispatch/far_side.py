"""The mailroom's far side: what it plays for which address, and the reports it sends back a moment later."""

from __future__ import annotations

import threading
import time
from collections import deque

from patient_courier.post.far_side import AT_ONCE, SLOW_SECONDS, report_of
from patient_courier.store.base.database import Database
from patient_courier.store.outbox import returns

# How long after a letter its report comes back.
LATER_SECONDS = 1.0


class FarSide:
    """Knows the troubles by heart: the mailroom asks for every recipient."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._mutex = threading.Lock()
        self._troubles: dict[str, tuple[str, int]] = {}
        self._coming: deque[tuple[float, bytes]] = deque()

    def read(self) -> None:
        """Read anew what is to be played."""
        with self._database.reading() as session:
            found = returns.troubles(session)
        with self._mutex:
            self._troubles = found

    def answer(self, recipient: str) -> str | None:
        """What is said of a recipient before the letter is taken; None: come in."""
        kind = self._kind(recipient)
        if kind not in AT_ONCE:
            return None
        if kind == "greylisting" and not self._once_more(recipient):
            return None
        return AT_ONCE[kind]

    def pause(self, recipients: list[str]) -> float:
        """How long the answer to a letter is waited for."""
        return SLOW_SECONDS if any(self._kind(one) == "slow" for one in recipients) else 0.0

    def took(self, letter: bytes, recipients: list[str]) -> None:
        """The letter has been taken; what comes back of it comes later."""
        for recipient in recipients:
            kind = self._kind(recipient)
            report = report_of(kind, letter, recipient) if kind else None
            if report is not None:
                self._coming.append((time.monotonic() + LATER_SECONDS, report))

    def reports(self) -> list[bytes]:
        """The reports whose time has come."""
        found = []
        while self._coming and self._coming[0][0] <= time.monotonic():
            found.append(self._coming.popleft()[1])
        return found

    def seconds_until_next(self) -> float | None:
        return max(0.0, self._coming[0][0] - time.monotonic()) if self._coming else None

    def _kind(self, recipient: str) -> str | None:
        found = self._troubles.get(recipient.lower())
        return found[0] if found else None

    def _once_more(self, recipient: str) -> bool:
        """Whether a greylisting server still asks to come again."""
        with self._mutex:
            kind, times = self._troubles.get(recipient.lower(), ("", 0))
            if times > 0:
                self._troubles[recipient.lower()] = (kind, times - 1)
            return times != 0
