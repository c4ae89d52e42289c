"""How long a message is tried, and how long between: growing pauses, three days, a day without any answer.

Pauses that grow and an end after days are what Standard Webhooks 1.0 asks for (“Retries”); the numbers are the school's own.
"""

from __future__ import annotations

from whenever import Instant

FIRST_SECONDS, LONGEST_SECONDS = 60, 6 * 3600
TRIED_HOURS = 72
# A destination that takes nothing for so long stands still until the owner has looked.
FAILING_HOURS = 24


def again(tries: int, first: Instant, now: Instant, asked: float | None) -> Instant | None:
    """When a message that was tried so many times (from 1), ``first`` then, is tried again; None: not any more.

    ``asked`` is how many seconds the receiver asks to wait (RFC 9110 section 10.2.3), of which a longest pause is granted.
    """
    if (now - first).total("hours") >= TRIED_HOURS:
        return None
    pause = min(FIRST_SECONDS * 2 ** min(tries - 1, 20), LONGEST_SECONDS)
    return now.add(seconds=max(pause, min(asked or 0.0, LONGEST_SECONDS)))


def stands_still(failing: Instant, now: Instant) -> bool:
    """Whether a destination that takes nothing since ``failing`` is to stand still."""
    return (now - failing).total("hours") >= FAILING_HOURS
