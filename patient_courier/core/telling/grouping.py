"""What waits for the owner, put together: the same trouble with the same letter is one thing, however many it meets."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from patient_courier.core.telling import words

SHOWN_NAMES = 3


@dataclass(frozen=True, slots=True)
class Waiting:
    """A letter that waits: which, for whom, why (``reason`` is the code)."""

    id: int
    letter: str
    letter_name: str
    status: str
    reason: str | None
    student: str
    student_name: str


@dataclass(frozen=True, slots=True)
class Group:
    """Letters with one trouble, the newest first; ``title`` and ``sentence`` say it for all of them."""

    items: list[Waiting]
    title: str
    sentence: str


def grouped(waiting: Iterable[Waiting]) -> list[Group]:
    """Groups in the order of their newest letters, as they are given."""
    found: dict[tuple[str, str, str | None], list[Waiting]] = {}
    for one in waiting:
        found.setdefault((one.letter, one.status, one.reason), []).append(one)
    return [_group(items) for items in found.values()]


def _group(items: list[Waiting]) -> Group:
    first = items[0]
    reason = words.reason(first.reason)
    if first.status == "unsure":
        reason = f"It may or may not have arrived. {reason}"
    if len(items) == 1:
        return Group(items, f"“{first.letter_name}” to {first.student_name}", reason)
    names = ", ".join(one.student_name for one in items[:SHOWN_NAMES])
    more = f" and {len(items) - SHOWN_NAMES} more" if len(items) > SHOWN_NAMES else ""
    lacking = words.lacking(first.reason, len(items))
    reason = f"{lacking}: {names}{more}." if lacking else f"{reason} {names}{more}."
    return Group(items, f"“{first.letter_name}” to {len(items)} students", reason)
