"""What became of letters: how many and who, for each thing that can be told of one; of a broadcast, a letter, a step."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from sqlalchemy import (
    BigInteger,
    ColumnElement,
    Integer,
    Select,
    and_,
    case,
    cast,
    exists,
    func,
    not_,
    or_,
    select,
    type_coerce,
)
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.columns import from_nanoseconds
from patient_courier.store.base.plain import DELIVERIES, EVENTS, READINGS, RETURNS
from patient_courier.store.base.tables import (
    POSTED,
    DeliveryRow,
    ErasedRow,
    PostingRow,
    StudentRow,
    VisitRow,
)
from patient_courier.store.students.people import PAGE, Person, person_of, with_words

# A stop within so long of a letter is put down to it: common practice, no source.
BLAMED_NANOSECONDS = 3 * 86_400 * 10**9


def _read(column: Any) -> ColumnElement[bool]:
    return exists().where(
        READINGS.c.student_id == DELIVERIES.c.student_id,
        READINGS.c.letter == DELIVERIES.c.letter,
        column >= DELIVERIES.c.at,
    )


def _event(*types: str, within: bool) -> ColumnElement[bool]:
    found = [
        EVENTS.c.student_id == DELIVERIES.c.student_id,
        EVENTS.c.type.in_(types),
        EVENTS.c.at >= DELIVERIES.c.at,
    ]
    if within:
        found.append(
            type_coerce(EVENTS.c.at, BigInteger)
            <= type_coerce(DELIVERIES.c.at, BigInteger) + BLAMED_NANOSECONDS
        )
    else:
        found.append(func.json_extract(EVENTS.c["names"], "$.letter") == DELIVERIES.c.letter)
    # Few have done it at all: asked first, once, from the index of types.
    anyone = DELIVERIES.c.student_id.in_(select(EVENTS.c.student_id).where(EVENTS.c.type.in_(types)))
    return and_(anyone, exists().where(and_(*found)))


def _returned(*kinds: str) -> ColumnElement[bool]:
    return exists().where(RETURNS.c.delivery_id == DELIVERIES.c.id, RETURNS.c.kind.in_(kinds))


_SENT = DELIVERIES.c.status == "sent"
# Which deliveries are meant.
Scope = ColumnElement[bool]
_WEEK_NANOSECONDS = 7 * 86_400 * 10**9
# 1970 began on a Thursday, so that weeks begin on Mondays.
_MONDAY_NANOSECONDS = 3 * 86_400 * 10**9


def of_broadcast(key: str) -> Scope:
    return DeliveryRow.broadcast == key


def of_letter(
    key: str,
    *,
    version: int | None = None,
    sequence: str | None = None,
    step: str | None = None,
    link: str | None = None,
    week: Instant | None = None,
    broadcast: str | None = None,
) -> Scope:
    """Every delivery of a letter to a student; of one version, by one broadcast, at one step of a sequence, whose reader followed one link,
    posted in the week that begins at a moment."""
    found = [DELIVERIES.c.letter == key, DELIVERIES.c.recipients.is_(None)]
    if version is not None:
        found.append(DELIVERIES.c.letter_version == version)
    if sequence is not None:
        found += [DELIVERIES.c.sequence == sequence, DELIVERIES.c.step == step]
    if broadcast is not None:
        found.append(of_broadcast(broadcast))
    if link is not None:
        followed = (
            func.json_extract(EVENTS.c["names"], "$.letter") == key,
            func.json_extract(EVENTS.c["names"], "$.link") == link,
        )
        found.append(
            exists().where(
                EVENTS.c.student_id == DELIVERIES.c.student_id,
                EVENTS.c.type == "link_clicked",
                EVENTS.c.at >= DELIVERIES.c.at,
                *followed,
            )
        )
    if week is not None:
        found += [DELIVERIES.c.at >= week, DELIVERIES.c.at < week.add(hours=7 * 24)]
    return and_(*found)


OUTCOMES: dict[str, ColumnElement[bool]] = {
    "posted": DELIVERIES.c.status.in_(POSTED),
    "delivered": and_(_SENT, not_(_returned("hard", "soft"))),
    "opened": and_(_SENT, _read(READINGS.c.opened)),
    "not_opened": and_(_SENT, not_(_read(READINGS.c.opened))),
    "clicked": and_(_SENT, _read(READINGS.c.clicked)),
    "answered": and_(_SENT, _event("answered", within=False)),
    "stopped": and_(_SENT, _event("news_stopped", "course_help_stopped", "complained", within=True)),
    "complained": and_(_SENT, or_(_returned("complaint"), _event("complained", within=True))),
    "bounced": or_(DELIVERIES.c.status == "bounced", and_(_SENT, _returned("hard", "soft"))),
    "on_its_way": DELIVERIES.c.status.in_(("queued", "posting")),
    "kept_back": DELIVERIES.c.status == "held",
    "not_posted": DELIVERIES.c.status == "skipped",
    "waits_for_you": DELIVERIES.c.status.in_(("stuck", "unsure")),
}


def numbers(session: Session, scope: Scope) -> dict[str, int]:
    """How many letters each outcome is true of."""
    asked = [func.count().filter(test) for test in OUTCOMES.values()]
    row = session.execute(select(*asked).select_from(DELIVERIES).where(scope)).one()
    return dict(zip(OUTCOMES, row, strict=True))


def students(session: Session, scope: Scope) -> dict[str, int]:
    """How many students each outcome is true of, for at least one of their letters."""
    asked = [func.count(case((test, DELIVERIES.c.student_id)).distinct()) for test in OUTCOMES.values()]
    row = session.execute(select(*asked).select_from(DELIVERIES).where(scope)).one()
    return dict(zip(OUTCOMES, row, strict=True))


def of_everyone(session: Session, key: str) -> dict[str, int]:
    """How many students each outcome of a broadcast is true of, those erased since included."""
    found = numbers(session, of_broadcast(key))
    gone = select(ErasedRow.outcome, ErasedRow.number).where(ErasedRow.of == key, ErasedRow.step == "")
    for outcome, number in session.execute(gone):
        found[outcome] += number
    return found


def undecided(session: Session, key: str) -> int:
    """How many on the list have had no decision at all yet."""
    decided = exists().where(DELIVERIES.c.broadcast == key, DELIVERIES.c.student_id == PostingRow.student_id)
    query = select(func.count()).where(PostingRow.broadcast == key, not_(PostingRow.done), not_(decided))
    return session.scalar(query) or 0


def reasons(session: Session, scope: Scope, status: Collection[str]) -> list[tuple[str, str | None, int]]:
    """Why letters were not posted, or wait: (status, reason, how many), the most first."""
    number = func.count()
    rows = session.execute(
        select(DELIVERIES.c.status, DELIVERIES.c.reason, number)
        .where(scope, DELIVERIES.c.status.in_(status))
        .group_by(DELIVERIES.c.status, DELIVERIES.c.reason)
        .order_by(number.desc())
    )
    return [(status, reason, count) for status, reason, count in rows]


def people(
    session: Session, scope: Scope, outcome: str, *, reason: str | None, words: str, page: int
) -> tuple[int, list[tuple[Person, int]]]:
    """The students an outcome is true of, a page of them with their delivery, and how many there are."""
    query: Select[StudentRow, int] = (
        select(StudentRow, DeliveryRow.id)
        .join(DeliveryRow, DeliveryRow.student_id == StudentRow.id)
        .where(scope, OUTCOMES[outcome])
    )
    if reason:
        query = query.where(DeliveryRow.reason == reason)
    query = with_words(query, words)
    total = session.scalar(
        select(func.count()).select_from(query.with_only_columns(StudentRow.id).subquery())
    )
    rows = session.execute(query.order_by(StudentRow.id).limit(PAGE).offset((page - 1) * PAGE))
    return total or 0, [(person_of(row), id) for row, id in rows]


@dataclass(frozen=True, slots=True)
class LinkFigures:
    """One link of a letter: how many students followed it, how often a machine did, as far as that can be told."""

    link: str
    students: int
    machines: int


def links(session: Session, key: str) -> list[LinkFigures]:
    """The links of a letter that were followed, the most first."""
    link = func.json_extract(EVENTS.c["names"], "$.link")
    of_it = func.json_extract(EVENTS.c["names"], "$.letter") == key
    clicked: dict[str, int] = dict(
        session.execute(
            select(link, func.count(EVENTS.c.student_id.distinct()))
            .where(EVENTS.c.type == "link_clicked", of_it)
            .group_by(link)
        ).all()
    )
    by_machines = dict(
        session.execute(
            select(func.coalesce(VisitRow.link, ""), func.count())
            .join(DeliveryRow, DeliveryRow.id == VisitRow.delivery_id)
            .where(DeliveryRow.letter == key, VisitRow.machine.is_not(None), VisitRow.link.is_not(None))
            .group_by(VisitRow.link)
        ).all()
    )
    found = [
        LinkFigures(str(name), clicked.get(name, 0), by_machines.get(name, 0))
        for name in {*clicked, *by_machines}
    ]
    return sorted(found, key=lambda one: (-one.students, -one.machines, one.link))


@dataclass(frozen=True, slots=True)
class WeekFigures:
    """Letters of one week (from Monday, UTC), and what became of them up to now."""

    monday: Instant
    posted: int
    opened: int
    clicked: int


def weeks(session: Session, scope: Scope) -> list[WeekFigures]:
    """By week of posting, the oldest first."""
    at = type_coerce(DELIVERIES.c.at, BigInteger)
    week = cast((at + _MONDAY_NANOSECONDS) / _WEEK_NANOSECONDS, Integer).label("week")
    rows = session.execute(
        select(
            week,
            func.count().filter(OUTCOMES["posted"]),
            func.count().filter(OUTCOMES["opened"]),
            func.count().filter(OUTCOMES["clicked"]),
        )
        .select_from(DELIVERIES)
        .where(scope)
        .group_by(week)
        .order_by(week)
    )
    return [
        WeekFigures(
            from_nanoseconds(int(number) * _WEEK_NANOSECONDS - _MONDAY_NANOSECONDS), posted, opened, clicked
        )
        for number, posted, opened, clicked in rows
        if posted
    ]


def versions_and_steps(session: Session, key: str) -> tuple[dict[int, int], list[tuple[str, str, int]]]:
    """How many of each version of a letter were posted; and by (sequence, step), sequence empty for broadcasts."""
    posted = (DELIVERIES.c.letter == key, DELIVERIES.c.recipients.is_(None), OUTCOMES["posted"])
    versions = session.execute(
        select(DELIVERIES.c.letter_version, func.count()).where(*posted).group_by(DELIVERIES.c.letter_version)
    )
    steps = session.execute(
        select(DELIVERIES.c.sequence, DELIVERIES.c.step, func.count())
        .where(*posted)
        .group_by(DELIVERIES.c.sequence, DELIVERIES.c.step)
        .order_by(func.count().desc())
    )
    return {number: count for number, count in versions}, [(a, b, n) for a, b, n in steps]
