"""What the engine wants done, as plain data; whoever runs the engine carries it out. Nobody changes one.

The two that are made for every event and every letter are not frozen: that would make them five times as dear.
"""

from __future__ import annotations

from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.engine.happening import Happening
from patient_courier.core.engine.state import Hold
from patient_courier.core.letters.merge import Value


@dataclass(slots=True)
class Noted:
    """An event was taken in. ``cause`` is the number of the event it follows from.

    ``reported``: it came from outside, with the ``id`` the reporting site gave it, if it gave one.
    """

    number: int
    student: str
    what: Happening
    cause: int | None
    reported: bool = False
    id: str | None = None


@dataclass(slots=True)
class LetterDecided:
    """What became of one letter: ``sent`` (hand it to the carrier), ``skipped``, ``stuck``,
    ``held`` (kept back for now) or ``dropped`` (the run moved on while it was held).

    One per run, step and round, except that ``held`` is followed by one of the others.
    """

    at: Instant
    student: str
    run: int
    sequence: str
    step: str
    round: str
    letter: str
    letter_version: int
    purpose: str
    status: str
    subject: str
    reason: str | None
    holds: tuple[Hold, ...]
    values: dict[str, Value]
    to: str | tuple[str, ...] | None = None
    broadcast: str | None = None  # the key of the broadcast it belongs to, instead of a run
    course: str | None = None  # what a broadcast is about
    story: int = 0  # how many entries of the run's trail belong to this letter's story


@dataclass(frozen=True, slots=True)
class BroadcastStarted:
    """The list of a broadcast was drawn up; ``recipients`` are all on it, with those that guards refuse later."""

    at: Instant
    broadcast: str
    recipients: int


@dataclass(frozen=True, slots=True)
class TagChanged:
    at: Instant
    student: str
    tag: str
    change: str  # added or removed


@dataclass(frozen=True, slots=True)
class CertificateIssued:
    at: Instant
    student: str
    course: str


@dataclass(frozen=True, slots=True)
class CallMade:
    """A signed HTTP POST with the run's data is to go out."""

    at: Instant
    student: str
    run: int
    step: str
    round: str
    url: str


@dataclass(frozen=True, slots=True)
class NotBegun:
    """A start picked an event, or another run's step asked for it, and no run began.

    ``refused_by`` is the part of the sequence that said no: ``status``, ``again`` or ``only_if``.
    """

    at: Instant
    student: str
    sequence: str
    cause: int  # the number of the event
    refused_by: str


@dataclass(frozen=True, slots=True)
class Warned:
    at: Instant
    text: str


Effect = (
    Noted | LetterDecided | BroadcastStarted | TagChanged | CertificateIssued | CallMade | NotBegun | Warned
)
