"""Visits of links become events once it can be told that a person made them."""

from __future__ import annotations

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.visits import WAIT_SECONDS, judged
from patient_courier.core.school.events import Event, LetterOpened, LinkClicked
from patient_courier.dispatch.taking import take_events
from patient_courier.store.outbox import visits

log = structlog.get_logger()


def seconds_until_settled(session: Session, real: Instant) -> float | None:
    """Seconds until the next visit can be settled, below zero when that is overdue; None when there is none."""
    first = visits.first_unsettled(session)
    return None if first is None else WAIT_SECONDS - (real - first).total("seconds")


def settle_visits(session: Session, definitions: Definitions, now: Instant, real: Instant) -> int:
    """Settle every visit that has waited long enough; returns how many events came of them.

    A link that a student follows again is one event, the first; so is a picture that is loaded again.
    """
    taken = 0
    ripe = real.subtract(seconds=WAIT_SECONDS)
    for one, student, handed, rows in visits.with_unsettled(session, ripe):
        verdict = judged([visits.as_visit(row) for row in rows], handed)
        known = {row.link for row in rows if row.settled and row.machine is None}
        events: list[Event] = []
        for row in rows:
            if row.settled or row.real > ripe:
                continue
            machine = verdict[row.id]
            visits.settle(session, row.id, machine)
            if machine is None and row.link not in known and one.letter in definitions.letters:
                known.add(row.link)
                events.append(_event(student.key, one.letter, row.link, row.at))
        try:
            with session.begin_nested():
                take_events(session, definitions, events, now)
            taken += len(events)
        except Exception:
            # What a student's click sets going may fail; other students' clicks still count.
            log.exception("a visit could not be taken in", delivery=one.id)
    return taken


def _event(student: str, letter: str, link: str | None, at: Instant) -> Event:
    body = {"student": student, "at": at, "letter": letter}
    if link is None:
        return LetterOpened.model_validate({**body, "type": "letter_opened"})
    return LinkClicked.model_validate({**body, "type": "link_clicked", "link": link})
