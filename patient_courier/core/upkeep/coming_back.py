"""Coming back from a copy: which letters may have gone out already, in groups that the owner decides on."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.calendar import calendar

_MESSAGE_ID = re.compile(r"delivery-(\d{1,18})\.([0-9a-f]{20})@")


@dataclass(frozen=True, slots=True)
class Doubtful:
    """A letter that waits in the outbox and may have gone out in the time that is lost. ``source`` is the key of its
    sequence or broadcast, with its kind before it; ``fresh``: what it follows from happened after the coming back."""

    id: int
    source: str
    letter: str
    at: Instant
    student: str
    name: str
    fresh: bool


@dataclass(frozen=True, slots=True)
class Group:
    """Letters of one source and one local day (``YYYY-MM-DD``), decided on together."""

    source: str
    letter: str
    day: str
    ids: tuple[int, ...]
    first: Instant
    last: Instant
    names: tuple[str, ...]
    fresh: bool


def groups(letters: Iterable[Doubtful], zone: str) -> list[Group]:
    """In groups by source, letter and day, the oldest first; what is fresh is in groups of its own, behind."""
    found: dict[tuple[bool, str, str, str], list[Doubtful]] = {}
    for one in sorted(letters, key=lambda one: (one.fresh, one.at, one.id)):
        day = calendar.local_date(one.at, zone).format_iso()
        found.setdefault((one.fresh, one.source, one.letter, day), []).append(one)
    return [
        Group(
            source,
            letter,
            day,
            tuple(one.id for one in many),
            many[0].at,
            many[-1].at,
            tuple(one.name for one in many),
            fresh,
        )
        for (fresh, source, letter, day), many in found.items()
    ]


def prints_in(text: str) -> set[str]:
    """The prints of letters that a folder of sent messages, or a mail server's log, names by their Message-IDs."""
    return {found[2] for found in _MESSAGE_ID.finditer(text)}
