"""Connections that are silent beyond their habit."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures.rhythm import silence
from patient_courier.core.telling import words
from patient_courier.store.connections import connections
from patient_courier.store.connections.connections import Kept

HABIT_DAYS = 60


def days_until(definitions: Definitions, now: Instant, number: int) -> list[str]:
    """The last days of the school's up to today, as counts are kept."""
    today = calendar.local(now, definitions.school.timezone).date()
    return [today.subtract(days=back).format_iso() for back in range(number - 1, -1, -1)]


def silent(kept: Kept, counts: list[int]) -> str | None:
    """That a connection is silent beyond its habit, as a sentence; ``counts`` by whole days, the oldest first."""
    found = silence(counts) if kept.state == "on" else None
    if found is None:
        return None
    usual = "one" if found.usual == 1 else str(found.usual)
    return f"Usually {usual} a day, none for {words.counted(found.days, 'day')}."


def silences(definitions: Definitions, session: Session, now: Instant) -> list[tuple[Kept, str]]:
    """The connections that are silent beyond their habit."""
    days = days_until(definitions, now, HABIT_DAYS)
    counted = connections.days_since(session, days[0])
    found = []
    for kept in connections.every(session):
        line = [counted.get(kept.id, {}).get(day, {}).get("messages", 0) for day in days]
        said = silent(kept, line[:-1])
        if said:
            found.append((kept, said))
    return found
