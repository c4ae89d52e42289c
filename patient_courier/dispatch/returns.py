"""Reports of the mail world taken in: addresses that do not work are stopped, complaints end in silence.

From the intake, from a folder of messages, or from the mailroom, which plays them.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import Bounced, Event, PlainEvent
from patient_courier.dispatch.taking import take_events
from patient_courier.intake.mail_reports import Report
from patient_courier.post.links import LinkSigner
from patient_courier.store.outbox import log as deliveries
from patient_courier.store.outbox import returns

log = structlog.get_logger()
# An address from which letters come back for now on so many days, within so many, is given up: common practice, no source.
SOFT_DAYS, SOFT_WITHIN_DAYS = 3, 14

Became = Literal["stopped", "noted", "complained", "known", "no_letter", "no_report"]


@dataclass(frozen=True, slots=True)
class Taken:
    """What a report led to, in a word and for whom (the student's key)."""

    became: Became
    student: str | None = None


def take_report(
    session: Session, definitions: Definitions, signer: LinkSigner, report: Report, now: Instant
) -> Taken:
    """Take in what one message says. Whatever it is, it stops nobody whose letter it does not prove to be about."""
    if report.kind == "nothing":
        return Taken("no_report")
    found = deliveries.find(session, _delivery(report, signer) or 0)
    if found is None:
        return Taken("no_letter")
    row, student = found
    if report.kind == "delayed" or row.recipients is not None:
        return Taken("noted", student.key)
    if not returns.note(session, row.id, student.id, now, report.kind, report.code, report.said):
        return Taken("known", student.key)
    body = {"student": student.key, "at": now}
    event: Event
    if report.kind == "complaint":
        event = PlainEvent.model_validate({**body, "type": "complained"})
    else:
        hard = report.kind == "hard" or _too_often(session, student.id, now, definitions.school.timezone)
        event = Bounced.model_validate({**body, "type": "bounced", "hard": hard})
    take_events(session, definitions, [event], now)
    if isinstance(event, Bounced):
        return Taken("stopped" if event.hard else "noted", student.key)
    return Taken("complained", student.key)


def _delivery(report: Report, signer: LinkSigner) -> int | None:
    if report.token is not None:
        return signer.delivery("stop", report.token)
    return signer.delivery("stop", report.envelope) if report.envelope else None


def _too_often(session: Session, student: int, now: Instant, zone: str) -> bool:
    since = now.subtract(hours=24 * SOFT_WITHIN_DAYS)
    days = {calendar.local_date(at, zone) for at in returns.soft_since(session, student, since)}
    return len(days) >= SOFT_DAYS


def waiting_in(folder: Path) -> list[Path]:
    """The messages that lie in a folder, or in the ``new`` and ``cur`` of a Maildir, the oldest first."""
    places = [folder, folder / "new", folder / "cur"]
    found = [path for place in places if place.is_dir() for path in place.iterdir() if path.is_file()]
    return sorted(found, key=lambda path: (path.stat().st_mtime, path.name))


def put_aside(folder: Path, path: Path, became: str) -> None:
    """Move a message that has been read: to ``taken``, or to ``not-taken`` when it said nothing we could use."""
    place = folder / ("not-taken" if became in ("no_letter", "no_report", "failed") else "taken")
    place.mkdir(exist_ok=True)
    path.rename(place / path.name)
