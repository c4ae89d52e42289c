"""The check-up of the whole school: every look by itself, so that one that fails hides none of the others."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.courses.course_line import ENROLLED, stops
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview import findings as core
from patient_courier.core.overview import reading_through as reading
from patient_courier.core.overview.findings import Finding
from patient_courier.core.overview.weekly import Worth
from patient_courier.core.people.tags import tag_uses
from patient_courier.core.school.letters import Letter
from patient_courier.core.upkeep import check_up
from patient_courier.core.writing.editing import starts_words
from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.store.base.database import Database
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.overview import kept_findings, letters_read, looks
from patient_courier.store.overview.kept_findings import Looked
from patient_courier.store.students import audiences
from patient_courier.store.students.tags import students_by_tag

log = structlog.get_logger()
Look = Callable[[Session, Definitions, Instant], Iterable[Finding]]


def _stalls(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    for course, found in looks.stalls(session, definitions, now).items():
        titles = {stop.id: stop.title for stop in stops(definitions.courses[course])}
        places = [(stop, titles.get(stop, stop), len(ids)) for stop, ids in found.items()]
        places.sort(key=lambda one: -one[2])
        yield core.stalled_unwritten(course, definitions.short_titles[course], places)


def _never_began(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    for course, ids in looks.never_began(session, definitions, now).items():
        if course in definitions.courses:
            yield core.never_began(course, definitions.short_titles[course], len(ids))


def _hears_nothing(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    if ids := looks.hears_nothing(session, now):
        yield core.hears_nothing(len(ids))


def _too_many(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    found = looks.too_many(session, now)
    if found.students:
        names = [
            definitions.sequences[key].sequence.called if key in definitions.sequences else key
            for key in found.sequences
        ]
        yield core.too_many_letters(len(found.students), found.most, names)


def _before(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    for key, (_, ids) in looks.before_switched_on(session, definitions).items():
        sequence = definitions.sequences[key].sequence
        what = starts_words(definitions, sequence)
        yield core.before_switched_on(key, sequence.called, what, len(ids))


def _certificates(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    ids, days = looks.waiting_certificates(session, now)
    if ids:
        yield core.certificates_wait(len(ids), days)


def _bouncing(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    for one in looks.bouncing(session):
        yield core.address_bounces(one.domain, len(one.students), one.of)


def _consent(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    if ids := looks.without_source(session):
        yield core.consent_without_source(len(ids))


def _unopened(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    yield from core.unopened_letters(definitions, letters_read.opened_lately(session, now))


def _texts(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    letters = letters_in_use(session, definitions)
    today = calendar.local_date(now, definitions.school.timezone)
    yield from reading.past_dates(definitions, letters, today)
    yield from reading.old_titles(definitions, letters, letters_read.former_titles(session))
    yield from reading.other_prices(definitions, letters)
    used = reading.leads_to(letters)
    yield from reading.broken_links(definitions, used, kept_findings.wrong_links(session))


def _unused(session: Session, definitions: Definitions, now: Instant) -> Iterator[Finding]:
    every = [kept.broadcast for kept in broadcasts.every(session)]
    saved = [(one.key, one.name, one.condition) for one in audiences.every(session)]
    yield from reading.unused_tags(tag_uses(definitions, every, saved), students_by_tag(session))
    yield from reading.unused_letters(definitions, {key for one in every for key in one.letters})


LOOKS: tuple[Look, ...] = (
    _stalls,
    _never_began,
    _hears_nothing,
    _too_many,
    _before,
    _certificates,
    _bouncing,
    _consent,
    _unopened,
    _texts,
    _unused,
)


def letters_in_use(session: Session, definitions: Definitions) -> list[Letter]:
    """Those that go out as things stand."""
    casts = [
        key
        for kept in broadcasts.every(session)
        if kept.status in ("scheduled", "going")
        for key in kept.broadcast.letters
    ]
    return reading.in_use(definitions, casts)


def look_over(
    database: Database,
    load: Callable[[Session], Definitions],
    runs: Callable[[], list[check_up.Finding]],
    step: Callable[[int, int], None] = lambda done, total: None,
) -> Looked:
    """Look at everything and keep what was found. ``runs``: how the school runs; ``step`` hears how far it has come.

    Each look has a transaction of its own, so that none holds up what is written meanwhile.
    """
    found: list[Finding] = []
    for number, look in enumerate(LOOKS):
        step(number, len(LOOKS) + 1)
        try:
            with database.reading() as session:
                found += look(session, load(session), read_clock(session).now)
        except Exception:
            log.exception("a look of the check-up failed", look=look.__name__)
    step(len(LOOKS), len(LOOKS) + 1)
    try:
        found += [
            core.runs_badly(one.sentence, one.do, f"{one.about}") for one in runs() if one.how == "serious"
        ]
    except Exception:
        log.exception("how it runs can't be told")
    with database.writing() as session:
        looked = Looked(read_clock(session).now, real_now(), core.in_order(_once(found)))
        kept_findings.keep(session, looked)
    step(len(LOOKS) + 1, len(LOOKS) + 1)
    return looked


def _once(found: list[Finding]) -> list[Finding]:
    """Who never began is not told twice where they stand silent at the enrolment."""
    stalled = [one.nudge for one in found if one.nudge and one.code == "stalled_unwritten"]
    silent = {one.course for one in stalled if one.stop == ENROLLED}
    return [one for one in found if one.code != "never_began" or one.about not in silent]


def shown(session: Session) -> list[Finding]:
    """The findings of the last check-up that are not put aside, the weightiest first."""
    looked = kept_findings.last(session)
    aside = {one.key: one.size for one in kept_findings.aside(session)}
    return core.shown(looked.findings, aside) if looked else []


def students_of(session: Session, definitions: Definitions, finding: Finding, now: Instant) -> list[int]:
    """Whom a finding touches now (row ids)."""
    match finding.code:
        case "stalled_unwritten":
            found = looks.stalls(session, definitions, now).get(finding.about, {})
            return sorted({id for ids in found.values() for id in ids})
        case "never_began":
            return looks.never_began(session, definitions, now).get(finding.about, [])
        case "hears_nothing":
            return looks.hears_nothing(session, now)
        case "too_many_letters":
            return looks.too_many(session, now).students
        case "before_switched_on":
            return looks.before_switched_on(session, definitions).get(finding.about, (None, []))[1]
        case "certificate_waits":
            return looks.waiting_certificates(session, now)[0]
        case "address_bounces":
            return next((one.students for one in looks.bouncing(session) if one.domain == finding.about), [])
        case "consent_without_source":
            return looks.without_source(session)
        case "unopened_letter":
            return letters_read.not_opened(session, finding.about, now)
        case (
            "past_date"
            | "old_title"
            | "other_price"
            | "broken_link"
            | "unused_tag"
            | "unused_letter"
            | "runs_badly"
        ):
            return []


def worth_doing(session: Session) -> Worth | None:
    """The weightiest finding, as the one thing worth doing."""
    first = next(iter(shown(session)), None)
    return Worth(f"{first.title}. {first.why}", first.to or "/check-up", first.mend) if first else None
