"""Sending a letter again by hand: what stands against it, what is worth knowing before, and doing it."""

from __future__ import annotations

from dataclasses import dataclass, field

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.guards import hold, hours_of, refusal
from patient_courier.core.telling import words
from patient_courier.core.telling.timeline import STATUS_WORDS
from patient_courier.store.outbox import again

UNDER_WAY = ("queued", "posting", "held")


@dataclass(slots=True)
class Slip:
    """What would go out: the subject as the student reads it; ``against`` keeps it from it, ``remarks`` do not."""

    subject: str = ""
    against: str | None = None
    remarks: list[str] = field(default_factory=list)


class CantSend(ValueError):
    """It can't be sent again; the message says why."""


def look(session: Session, definitions: Definitions, id: int, now: Instant) -> Slip | None:
    """What sending it again would mean now; None when there is no such delivery."""
    found = again.found(session, definitions, id)
    if found is None:
        return None
    row, state, course = found
    ready = definitions.letters.get(row.letter)
    if ready is None:
        return Slip(row.subject, "This letter is not in the library any more.")
    if row.status in UNDER_WAY:
        return Slip(
            row.subject, "It has not gone out yet, and will: wait for it, or look at why it is kept back."
        )
    _, _, subject, against = again.written(session, definitions, row, state, now)
    slip = Slip(subject, words.reason(against) if against else None)
    then = words.moment(row.at, state.zone)
    slip.remarks.append(f"The one before: {STATUS_WORDS[row.status]}, {then} where they live.")
    if row.recipients:
        return slip
    refused = refusal(ready, state, course, now)
    if refused is not None and refused.reason == "min_gap":
        slip.remarks.append(
            "They had this letter a shorter while ago than you set for it. By hand it goes all the same."
        )
    elif refused is not None:
        slip.against = words.reason(refused.reason)
    kept = hold(ready, state, hours_of(definitions, "school", state), definitions.school.daily_limit, now)
    if kept is not None:
        slip.remarks.append(f"{words.reason(kept.reason)} By hand it goes at once all the same.")
    return slip


def send(session: Session, definitions: Definitions, id: int, now: Instant, by: str) -> int:
    """Queue it once more, in its newest text; returns the new delivery's id. Raises CantSend."""
    slip = look(session, definitions, id, now)
    found = again.found(session, definitions, id)
    if slip is None or found is None:
        raise CantSend("There is no such delivery.")
    if slip.against is not None:
        raise CantSend(slip.against)
    row, state, _ = found
    letter, values, subject, _ = again.written(session, definitions, row, state, now)
    return again.put(session, row, letter, values, subject, now, by)
