"""What the weekly letter is made of, asked of the tables as of a moment."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.helpers.rights import nameless
from patient_courier.core.overview.sections import Section
from patient_courier.core.overview.weekly import (
    MOST_NAMED,
    Named,
    Quote,
    Week,
    Worth,
    sections_of,
    subject_of,
)
from patient_courier.core.telling import words
from patient_courier.dispatch.coming import coming_letters
from patient_courier.dispatch.needing import waiting_for_owner
from patient_courier.store.completion import feedback
from patient_courier.store.overview import events

DAYS = 7
# Somebody is silent after so many days; named in the week in which they become it.
SILENT_DAYS = 7


@dataclass(frozen=True, slots=True)
class Letter:
    """The weekly letter as it is to be read, and the students (row ids) it names."""

    subject: str
    sections: list[Section]
    students: list[int]


def weekly_letter(
    session: Session, definitions: Definitions, until: Instant, worth: Worth | None, *, addresses: bool
) -> Letter:
    """Of the seven days that end at ``until``; ``addresses``: students without a name are called by theirs."""
    named: list[int] = []
    zone = definitions.school.timezone
    since = until.subtract(hours=24 * DAYS)

    def shown(name: str) -> str:
        return name if addresses else nameless(name)

    def happened(kind: str, objects: str) -> Named:
        found = events.between(session, (kind,), since, until, MOST_NAMED)
        named.extend(one.student for one in found)
        names = [
            f"{shown(one.name)} ({words.title(definitions, objects, one.what.names.get(objects))})"
            for one in found
        ]
        return Named(names, events.number_between(session, kind, since, until))

    silent_until = until.subtract(hours=24 * SILENT_DAYS)
    silent = events.fell_silent(session, silent_until.subtract(hours=24 * DAYS), silent_until)
    quiet = events.names_of(session, silent, MOST_NAMED)
    named.extend(id for id, _ in quiet)
    said = _said(session, since, until)
    named.extend(id for id, _ in said)
    week = Week(
        since=words.moment(since, zone),
        until=words.moment(until, zone),
        letters=[
            (definitions.letters[key].letter.called if key in definitions.letters else key, number)
            for key, number in events.posted_between(session, since, until)
        ],
        bought=happened("purchased", "offer"),
        finished=happened("course_completed", "course"),
        left=happened("refunded", "offer"),
        silent=Named([shown(name) for _, name in quiet], len(silent)),
        said=[Quote(shown(quote.who), quote.value, quote.words) for _, quote in said],
        needs_you=waiting_for_owner(session, definitions, until),
        coming=_coming(session, definitions, until),
        worth=worth,
    )
    return Letter(subject_of(week), sections_of(week), named)


def _said(session: Session, since: Instant, until: Instant) -> list[tuple[int, Quote]]:
    found = feedback.between(session, since, until, MOST_NAMED)
    return [(one.student.id, Quote(one.student.name, one.value, one.words)) for one in found]


def _coming(session: Session, definitions: Definitions, now: Instant) -> list[tuple[str, int]]:
    """Letters of the next seven days if nobody does anything, by day of the school's time."""
    found = coming_letters(session, definitions, now, now.add(hours=24 * DAYS))
    zone = definitions.school.timezone
    counts = Counter(calendar.local_date(one.at, zone) for one in found.letters)
    return [(words.day(date), counts[date]) for date in sorted(counts)]
