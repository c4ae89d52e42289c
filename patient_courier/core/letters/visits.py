"""Which visits of a letter's links are a student's, and which a machine's.

Mail programs and their guards open links and load pictures by themselves. A GET says nothing about what a person wants
(RFC 9110 section 9.2.1), so nothing is put down to a student that looks like a machine. The bounds are common practice,
no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from whenever import Instant

# Nobody has read a letter so soon after it was handed over.
TOO_SOON_SECONDS = 3
# Nobody follows so many different links of one letter in such a time.
MANY_LINKS, MANY_SECONDS = 3, 5
# For how long a visit waits, so that it is seen what comes with it.
WAIT_SECONDS = 10


@dataclass(frozen=True, slots=True)
class Visit:
    """One visit, in real time; ``link`` None: the letter's picture. ``machine`` is what its request said by itself."""

    id: int
    real: Instant
    link: str | None
    machine: str | None


def judged(visits: Sequence[Visit], handed: Instant | None) -> dict[int, str | None]:
    """For each visit of one letter (by id) why it is put down to a machine, or None for a person.

    ``visits`` are all of the letter that are known, ``handed`` when the letter had been handed over.
    """
    return {one.id: one.machine or _soon(one, handed) or _many(one, visits) for one in visits}


def _soon(one: Visit, handed: Instant | None) -> str | None:
    if handed is not None and (one.real - handed).total("seconds") < TOO_SOON_SECONDS:
        return "too_soon"
    return None


def _many(one: Visit, visits: Sequence[Visit]) -> str | None:
    """Too many different links were followed at once, and this was one of them, or the picture loaded with them."""
    followed = [other for other in visits if other.link is not None]
    for first in followed:
        burst = {
            other.link
            for other in followed
            if 0 <= (other.real - first.real).total("seconds") <= MANY_SECONDS
        }
        apart = (one.real - first.real).total("seconds")
        earliest = 0 if one.link is not None else -MANY_SECONDS
        if len(burst) >= MANY_LINKS and earliest <= apart <= MANY_SECONDS:
            return "many_links"
    return None
