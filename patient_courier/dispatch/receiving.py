"""From a read report to the engine: who is meant, whether it can be true, what is kept for the owner."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from hashlib import sha256

from sqlalchemy import func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import Event
from patient_courier.core.school.file import Student
from patient_courier.core.telling.words import moment
from patient_courier.dispatch.taking import Taken, take_events
from patient_courier.intake.events import Read, Reporter
from patient_courier.store.base.plain import STUDENTS
from patient_courier.store.base.statements import Statement, given, one_of
from patient_courier.store.base.tables import ProblemRow, StudentRow
from patient_courier.store.students import people
from patient_courier.store.students.adding import add_student
from patient_courier.store.students.consents import REPORTED

_BY_KEY = Statement(select(STUDENTS.c.key).where(STUDENTS.c.key == given("who")))
_BY_KEYS = Statement(select(STUDENTS.c.key).where(one_of(STUDENTS.c.key, "keys")))
_BY_ADDRESS = Statement(
    select(STUDENTS.c.key).where(func.lower(STUDENTS.c.email) == func.lower(given("who"))).limit(1)
)

# Course sites' clocks may run a little ahead of ours.
CLOCK_SLACK_SECONDS = 300


@dataclass(frozen=True, slots=True)
class Refusal:
    """One event that could not be used: its place in the batch and the reason."""

    index: int
    reason: str


@dataclass(slots=True)
class Receipt:
    """What became of a batch."""

    taken: Taken = field(default_factory=lambda: Taken(0, 0))
    refused: list[Refusal] = field(default_factory=list)

    def add(self, other: Receipt, index: int) -> None:
        """Count in what became of one event that stood at ``index``."""
        self.taken = Taken(self.taken.new + other.taken.new, self.taken.known + other.taken.known)
        self.refused += [Refusal(index, found.reason) for found in other.refused]


def receive(session: Session, definitions: Definitions, reports: Sequence[Read], now: Instant) -> Receipt:
    """Take in the good events of a batch; keep the bad ones, with the reason, in Needs you."""
    receipt, good = Receipt(), []
    known = _known(session, reports)
    for index, report in enumerate(reports):
        reason = report.refused
        if report.event is not None:
            try:
                check(definitions, report.event, now)
                who = report.student
                student = who if isinstance(who, str) and who in known else _student(session, who, now)
                good.append(report.event.model_copy(update={"student": student}))
            except ValueError as error:
                reason = str(error)
        if reason is not None:
            receipt.refused.append(Refusal(index, reason))
            keep_problem(session, report.raw, reason, now)
    receipt.taken = take_events(session, definitions, good, now)
    return receipt


def keep_problem(session: Session, raw: object, reason: str, now: Instant) -> None:
    """Keep an event that can't be used for the owner, once, however often it is sent."""
    text = json.dumps(raw, sort_keys=True, ensure_ascii=False)
    digest = sha256(text.encode()).hexdigest()
    statement = insert(ProblemRow).on_conflict_do_nothing(index_elements=["digest"])
    body = raw if isinstance(raw, dict) else {"body": raw}
    session.connection().execute(
        statement,
        {"kind": "event", "at": now, "reason": reason, "body": body, "digest": digest, "done": False},
    )


def check(definitions: Definitions, event: Event, now: Instant) -> None:
    """Whether an event can be used in this school now. Raises ValueError with the reason when it can't."""
    if event.at > now.add(seconds=CLOCK_SLACK_SECONDS):
        zone = definitions.school.timezone
        raise ValueError(
            f"“at” lies in the future: {moment(event.at, zone)}, while the school's time is {moment(now, zone)} ({zone})"
        )
    missing = definitions.unknown(event.names())
    if missing:
        kind, key = missing
        raise ValueError(
            f"there is no {kind} “{key}” in this school; add it to the course's outline or mend the key"
        )


def _known(session: Session, reports: Sequence[Read]) -> set[str]:
    """The keys among those who are named that belong to a student, asked for together."""
    keys = {x.student for x in reports if isinstance(x.student, str) and x.event is not None}
    return {row.key for row in _BY_KEYS.rows(session, keys=list(keys))} if keys else set()


def _student(session: Session, who: str | Reporter, now: Instant) -> str:
    """The key of the student who is meant; whoever is described and not known becomes known."""
    if isinstance(who, str):
        asked = _BY_ADDRESS if "@" in who else _BY_KEY
        key: str | None = asked.scalar(session, who=who)
        if key is None:
            raise ValueError(
                f"there is no student “{who}”; send the student as an object with “email” to add them"
            )
        return key
    row = session.scalar(
        select(StudentRow)
        .where(StudentRow.key == who.key if who.key else func.lower(StudentRow.email) == who.email.lower())
        .limit(1)
    )
    if row is None:
        return _new(session, who, now)
    # The address stays: whoever may report events must not be able to send a student's post elsewhere.
    for name in ("first_name", "last_name", "timezone"):
        if getattr(who, name) is not None:
            setattr(row, name, getattr(who, name))
    if who.fields:
        row.fields = {**row.fields, **who.fields}
    session.flush()
    return row.key


def _new(session: Session, who: Reporter, now: Instant) -> str:
    holder = _BY_ADDRESS.scalar(session, who=who.email) if who.key else None
    if holder is not None:
        raise ValueError(
            f"there is no student with the key “{who.key}”, and the address belongs to another student; send the address "
            "without a key, or their own key"
        )
    key = who.key or people.free_key(session, who.email)
    student = Student(
        key=key,
        email=who.email,
        first_name=who.first_name,
        last_name=who.last_name,
        timezone=who.timezone,
        news=bool(who.news),
        fields=who.fields or {},
    )
    add_student(session, student, now, REPORTED)
    return key
