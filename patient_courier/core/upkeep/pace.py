"""How many letters a mail server is given in a minute and in a day, in windows that move along."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable

from whenever import Instant

MINUTE_SECONDS, DAY_SECONDS = 60, 86_400


class Pace:
    """Remembers the newest hand-overs, as many as a limit allows, and says when the next one may be. All in real time."""

    def __init__(self, a_minute: int | None, a_day: int | None, handed: Iterable[Instant] = ()) -> None:
        """``handed``: when letters were handed over in the last day, the oldest first."""
        self._windows = [
            (seconds, most, deque[Instant](maxlen=most))
            for seconds, most in ((MINUTE_SECONDS, a_minute), (DAY_SECONDS, a_day))
            if most is not None
        ]
        for at in handed:
            self.note(at)

    def note(self, at: Instant) -> None:
        """A letter has been handed over."""
        for _, _, window in self._windows:
            window.append(at)

    def left(self, now: Instant, most: int) -> int:
        """How many may be handed over now, at most ``most``."""
        for seconds, limit, window in self._windows:
            while window and window[0] <= now.subtract(seconds=seconds):
                window.popleft()
            most = min(most, limit - len(window))
        return most

    def free_at(self, now: Instant) -> Instant:
        """When the next one may be handed over: ``now``, or later."""
        full = [
            window[0].add(seconds=seconds) for seconds, limit, window in self._windows if len(window) == limit
        ]
        return max([now, *full])

    def last_of(self, number: int, now: Instant) -> Instant:
        """When about the last of ``number`` letters can go: a whole window later for each limit that they fill."""
        found = now
        for seconds, limit, window in self._windows:
            room = limit - sum(at > now.subtract(seconds=seconds) for at in window)
            found = max(found, now.add(seconds=seconds * max(0, -(-(number - room) // limit))))
        return found
