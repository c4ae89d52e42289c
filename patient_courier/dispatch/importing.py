"""Taking in a file of students: tried first, then done in parts, and undone as a whole."""

from __future__ import annotations

import copy
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.people.importing import Plan, Reader, Row
from patient_courier.core.school.events import Enrolled, Event, PlainEvent, TagEvent
from patient_courier.core.school.keys import free_key, name_of_address
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.in_parts import cut, in_parts
from patient_courier.dispatch.taking import take_events
from patient_courier.intake.people_file import People
from patient_courier.store.base.database import Database
from patient_courier.store.students import consents, people
from patient_courier.store.students import importing as stored
from patient_courier.store.students.consents import Source

CHUNK = 500
# So many refusals, and so many examples of the others, are shown.
MOST_SHOWN = 500
EXAMPLES = 50


@dataclass(slots=True)
class Tried:
    """What taking a file in would do: every usable row, the refused ones, and how many are known as they are."""

    rows: list[Row] = field(default_factory=list)
    refused: list[Row] = field(default_factory=list)
    same: int = 0

    def number(self, verdict: str) -> int:
        return sum(row.verdict == verdict for row in self.rows)


def try_out(
    session: Session,
    definitions: Definitions,
    file: People,
    plan: Plan,
    now: Instant,
    step: Callable[[int], None],
) -> Tried:
    """Read every row against the school as it is; changes nothing. Rows are numbered as a spreadsheet numbers them."""
    reader = Reader(definitions, plan, stored.known_students(session), now)
    found = Tried()
    for place, cells in enumerate(file.rows):
        row = reader.read(place + 2, cells)
        if row.verdict == "refused":
            found.refused.append(row)
        elif row.verdict == "same":
            found.same += 1
        else:
            found.rows.append(row)
        if place % CHUNK == CHUNK - 1:
            step(CHUNK)
    return found


@dataclass(frozen=True, slots=True)
class How:
    """From which file, on whose word, and whether running sequences start for those who come in."""

    name: str
    plan: Plan
    by: str
    starts: bool


def take_in(
    database: Database,
    definitions: Callable[[Session], Definitions],
    tried: Tried,
    how: How,
    step: Callable[[int], None],
) -> int:
    """Put the rows in, some in each transaction; returns the number of the import."""
    with database.writing() as session:
        now = read_clock(session).now
        id = stored.begin(session, how.name, now, len(tried.refused))
        taken = stored.every_key(session)

    def take(session: Session, part: Sequence[Row]) -> None:
        _take_part(session, _for(definitions(session), how), part, how, id, taken)

    def failed(row: Row) -> None:
        with database.writing() as session:
            stored.count_refused(session, id)

    in_parts(database, cut(tried.rows, CHUNK), take, failed, step)
    return id


def _for(definitions: Definitions, how: How) -> Definitions:
    """Nothing starts for those who come in by a file unless the owner wishes."""
    return definitions if how.starts else quiet(definitions)


def quiet(definitions: Definitions) -> Definitions:
    """The definitions with no start of any sequence: facts come about, no run begins, no destination is told."""
    found = copy.copy(definitions)
    found.starting = {}
    found.quiet = True
    return found


def _take_part(
    session: Session, definitions: Definitions, part: Sequence[Row], how: How, id: int, taken: set[str]
) -> None:
    now = read_clock(session).now
    known = people.by_addresses(session, [row.email for row in part])
    fresh: dict[str, Row] = {}
    for row in part:
        # Whoever has come in since the file was tried is changed, not added a second time.
        if row.email.lower() not in known:
            key = free_key(name_of_address(row.email), taken)
            taken.add(key)
            fresh[key] = row
    ids = stored.put_new(session, fresh)
    keys = {row.email.lower(): key for key, row in fresh.items()}
    changed = [(known[row.email.lower()], row) for row in part if row.email.lower() in known]
    keys |= {row.email.lower(): one.key for one, row in changed}
    before = {one.id: stored.change(session, one.id, row) for one, row in changed}
    session.flush()
    first = stored.last_event(session)
    events = [event for row in part for event in _events(row, keys[row.email.lower()], now)]
    source = _source(how)
    take_events(session, definitions, events, now, source)
    last = stored.last_event(session)
    consents.note(session, [ids[key] for key, row in fresh.items() if row.news], "news_on", now, source)
    consents.note(session, [one.id for one, row in changed if row.news], "news_on", now, source)
    span: dict[str, Any] = {"events": [first, last]}
    done = [(ids[key], True, dict(span)) for key in fresh]
    done += [
        (one.id, False, {**before[one.id], **span, "tags": row.tags, "course": row.course})
        for one, row in changed
    ]
    stored.note(session, id, done)


def _source(how: How) -> Source:
    said = how.plan.consent or "a column of the file"
    return Source(f"import of “{how.name}”: {said}", how.by, past=not how.starts)


def _events(row: Row, student: str, now: Instant) -> list[Event]:
    """What a row reports: an enrolment at its own time, tags, and that news is not wished for."""
    body = {"student": student, "at": now}
    found: list[Event] = []
    if row.course is not None:
        enrolled = {
            **body,
            "at": row.enrolled or now,
            "type": "enrolled",
            "course": row.course,
            "via": "import",
        }
        found.append(Enrolled.model_validate(enrolled))
    found += [
        TagEvent.model_validate({**body, "type": "tag_added", "tag": tag}) for tag in dict.fromkeys(row.tags)
    ]
    if row.verdict == "changed" and row.news is False:
        found.append(PlainEvent.model_validate({**body, "type": "news_stopped"}))
    return found


def take_back(database: Database, id: int, step: Callable[[int], None]) -> tuple[int, int]:
    """Undo a whole import; returns how many students went back to how they were, and how many new ones stay."""
    with database.reading() as session:
        ids = stored.changed_by(session, id)
    back = stay = 0
    for begin in range(0, len(ids), CHUNK):
        with database.writing() as session:
            went, kept = stored.take_back(session, id, ids[begin : begin + CHUNK])
        back, stay = back + went, stay + kept
        step(len(ids[begin : begin + CHUNK]))
    with database.writing() as session:
        stored.undone(session, id, read_clock(session).now)
    return back, stay
