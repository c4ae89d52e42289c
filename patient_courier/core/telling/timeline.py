"""One student's line of time: what they did, what was sent, what was not sent and why, the newest first."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words

# Said by another line already.
UNSAID = ("quiz_taken",)
Kind = Literal["did", "sent", "going", "not_sent", "held", "told"]
_KINDS: dict[str, Kind] = {"sent": "sent", "queued": "going", "posting": "going", "held": "held"}
STATUS_WORDS = {
    "queued": "going out",
    "posting": "going out",
    "sent": "sent",
    "skipped": "not posted",
    "held": "kept back",
    "stuck": "waits for you",
    "dropped": "not posted",
    "bounced": "came back",
    "unsure": "waits for you",
}


@dataclass(frozen=True, slots=True)
class TimelineItem:
    """One line of a student's timeline; ``delivery`` opens the letter."""

    at: str
    day: str
    clock: str
    kind: Kind
    text: str
    detail: str
    delivery: int | None


@dataclass(frozen=True, slots=True)
class Decided:
    """A letter that was decided for the student, as the timeline needs it."""

    id: int
    at: Instant
    status: str
    reason: str | None
    subject: str
    sequence: str
    broadcast: str = ""  # what its broadcast is called
    to: str | None = None  # others than the student, in words
    sent_by: str | None = None  # sent again by hand, and by whom


def timeline(
    definitions: Definitions, events: Iterable[tuple[int, Happening]], letters: Iterable[Decided], zone: str
) -> list[TimelineItem]:
    """Events (with their numbers) and letters as lines, in the student's ``zone``."""
    found = []
    answers: dict[str, str] = {}
    for number, what in events:
        text = words.what_happened(definitions, what)
        if what.type == "answered":
            before = answers.get(what.names["letter"], what.names["answer"])
            answers[what.names["letter"]] = what.names["answer"]
            if before != what.names["answer"]:
                text += ", after another answer before"
        if what.type in ("quiz_passed", "quiz_failed"):
            text += f" with {what.names['score']:g}%"
        item = _item(what.at, zone, "did", text[0].upper() + text[1:], "", None)
        found.append((what.at, number, item))
    for one in letters:
        kind = _KINDS.get(one.status, "not_sent")
        if one.to is not None and kind == "sent":
            kind = "told"
        plan = definitions.sequences.get(one.sequence)
        name = one.broadcast or (plan.sequence.name if plan else "") or one.sequence
        said = words.reason(one.reason) or STATUS_WORDS[one.status]
        detail = name if kind in ("sent", "told") else f"{said} · {name}"
        if one.to is not None:
            detail = f"to {one.to} · {detail}"
        if one.sent_by is not None:
            detail = f"again, by {one.sent_by} · {detail}"
        # Behind what set it going at the same moment.
        found.append((one.at, 10**12 + one.id, _item(one.at, zone, kind, one.subject, detail, one.id)))
    return [item for _, _, item in sorted(found, key=lambda entry: entry[:2], reverse=True)]


def _item(at: Instant, zone: str, kind: Kind, text: str, detail: str, delivery: int | None) -> TimelineItem:
    day, _, clock = words.moment(at, zone).partition(", ")
    return TimelineItem(moment_text(at), day, clock, kind, text, detail, delivery)
