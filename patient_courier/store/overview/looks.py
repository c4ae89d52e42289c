"""Whom the findings of the check-up touch, asked of the tables: row ids of students, by what a finding is about."""

from __future__ import annotations

from collections import Counter, deque
from collections.abc import Iterable
from dataclasses import dataclass

from sqlalchemy import ColumnElement, and_, exists, func, or_, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.courses.course_line import hung
from patient_courier.core.courses.standing import is_silent
from patient_courier.core.drafting.course_line_view import GAP_FROM, reached_by_stop
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview.findings import (
    BOUNCES_FROM,
    BOUNCES_SHARE,
    HEARS_NOTHING_DAYS,
    MANY_A_WEEK,
    NEVER_BEGAN_DAYS,
    WAITS_DAYS,
)
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import Matcher
from patient_courier.store.base.plain import (
    ACTIVITY,
    DELIVERIES,
    ENROLMENTS,
    LEARNT,
    PURCHASES,
    RUNS,
    STUDENTS,
)
from patient_courier.store.base.tables import POSTED, ConsentRow
from patient_courier.store.completion import approvals
from patient_courier.store.sequences.counts import told_by_step
from patient_courier.store.students.standing import standings

SILENT_DAYS = 7
_LATELY_DAYS = 28
_MOST_WAITING = 10_000
Ids = dict[str, list[int]]


def _ago(now: Instant, days: int) -> Instant:
    return now.subtract(hours=24 * days)


def stalls(session: Session, definitions: Definitions, now: Instant) -> dict[str, Ids]:
    """By course and stop: who has gone silent there and is reached by no letter, where they are enough to be told."""
    found: dict[str, Ids] = {}
    for course in definitions.courses:
        people = standings(session, definitions, course)
        silent = [one for one in people if is_silent(one, now, SILENT_DAYS)]
        places = {stop for stop, number in Counter(one.stop for one in silent).items() if number >= GAP_FROM}
        if not places:
            continue
        reached = reached_by_stop(hung(definitions, course), told_by_step(session, definitions, course))
        for stop in sorted(places):
            alone = [
                x.student_id for x in silent if x.stop == stop and x.student_id not in reached.get(stop, ())
            ]
            if len(alone) >= GAP_FROM:
                found.setdefault(course, {})[stop] = alone
    return found


def _active() -> tuple[ColumnElement[bool], ...]:
    e = ENROLMENTS.c
    return e.refunded.is_(None), e.expired.is_(None), e.via != "preview"


def never_began(session: Session, definitions: Definitions, now: Instant) -> Ids:
    """By course: who paid for it two weeks ago and has done nothing there."""
    free = [
        offer.key
        for offer in definitions.offers.values()
        if offer.price is None or not float(offer.price.amount)
    ]
    # Who has several courses at once begins with one of them.
    several = [offer.key for offer in definitions.offers.values() if len(offer.courses) > 1]
    there = ACTIVITY.alias()
    elsewhere = exists().where(there.c.student_id == ENROLMENTS.c.student_id, there.c.at > ENROLMENTS.c.began)
    e, a, q = ENROLMENTS.c, ACTIVITY.c, LEARNT.c
    done = exists().where(
        q.student_id == e.student_id, q.key >= e.course + "/", q.key < e.course + "0", q.kind != "course"
    )
    asked = (
        select(e.course, e.student_id)
        .outerjoin(ACTIVITY, and_(a.student_id == e.student_id, a.course == e.course))
        .where(
            *_active(),
            e.via == "purchase",
            or_(e.offer.is_(None), e.offer.not_in(free)),
            or_(e.offer.is_(None), e.offer.not_in(several), ~elsewhere),
            e.began <= _ago(now, NEVER_BEGAN_DAYS),
            or_(a.at.is_(None), a.at <= e.began),
            ~done,
        )
        .order_by(e.student_id)
    )
    return _grouped(session.execute(asked))


def _grouped(rows: Iterable[tuple[str, int]]) -> Ids:
    found: Ids = {}
    for about, id in rows:
        found.setdefault(about, []).append(id)
    return found


def hears_nothing(session: Session, now: Instant) -> list[int]:
    """Who has been in a course for a month, can be written to, and never got a letter."""
    e, d, who = ENROLMENTS.c, DELIVERIES.c, STUDENTS.c
    heard = exists().where(d.student_id == who.id, d.status.in_(POSTED), d.recipients.is_(None))
    inside = exists().where(
        e.student_id == who.id,
        *_active(),
        e.began <= _ago(now, HEARS_NOTHING_DAYS),
    )
    asked = select(who.id).where(inside, ~heard, who.bounced.is_(False), who.complained.is_(False))
    return list(session.scalars(asked.order_by(who.id)))


@dataclass(frozen=True, slots=True)
class Many:
    """Who got many letters in a week, the most in one, and the sequences (keys) they came from, the most first."""

    students: list[int]
    most: int
    sequences: list[str]


def too_many(session: Session, now: Instant) -> Many:
    """Letters of the last four weeks that were no service ones, counted over seven days that move along."""
    d = DELIVERIES.c
    asked = (
        select(d.student_id, d.at, d.sequence)
        .where(
            d.at >= _ago(now, _LATELY_DAYS),
            d.at <= now,
            d.status.in_(POSTED),
            d.recipients.is_(None),
            d.purpose != "service",
        )
        .order_by(d.student_id, d.at)
    )
    found: list[int] = []
    most = 0
    from_: Counter[str] = Counter()
    window: deque[tuple[Instant, str]] = deque()
    last = None
    for student, at, sequence in session.execute(asked):
        if student != last:
            window.clear()
            last = student
        window.append((at, sequence))
        while window[0][0] <= _ago(at, 7):
            window.popleft()
        if len(window) > MANY_A_WEEK:
            most = max(most, len(window))
            if not found or found[-1] != student:
                found.append(student)
                from_.update(one for _, one in window if one)
            elif sequence:
                from_[sequence] += 1
    return Many(found, most, [key for key, _ in from_.most_common()])


def before_switched_on(session: Session, definitions: Definitions) -> dict[str, tuple[Matcher, list[int]]]:
    """For each running sequence that begins at a purchase or an enrolment and posts a service letter: who was there before
    its first run, is still in, and came through none that begins alike."""
    giving = {
        plan.key: (plan.sequence, start)
        for plan in definitions.sequences.values()
        for start in plan.sequence.starts
        if start.on in ("purchased", "enrolled") and _gives_access(definitions, plan.sequence)
    }
    found: dict[str, tuple[Matcher, list[int]]] = {}
    for key, (sequence, start) in giving.items():
        if sequence.status != "running":
            continue
        alike = [other for other, (_, one) in giving.items() if one == start]
        first = session.scalar(select(func.min(RUNS.c.started)).where(RUNS.c.sequence == key))
        ids = _there_before(session, start, first, alike)
        if ids:
            found[key] = (start, ids)
    return found


def _gives_access(definitions: Definitions, sequence: s.Sequence) -> bool:
    """Whether its first letter is a service letter."""
    first = next((step for step in sequence.steps if isinstance(step, s.Send)), None)
    if first is None:
        return False
    ready = definitions.letters.get(first.letters[0])
    return ready is not None and ready.letter.purpose == "service"


def _there_before(session: Session, start: Matcher, first: Instant | None, alike: list[str]) -> list[int]:
    wanted = start.selectors()
    been = exists().where(RUNS.c.sequence.in_(alike))
    if start.on == "enrolled":
        e = ENROLMENTS.c
        asked = select(e.student_id).where(*_active(), e.via.in_(wanted["via"]))
        asked = asked.where(e.began < first) if first else asked
        asked = asked.where(e.course == wanted["course"]) if wanted.get("course") else asked
        asked = asked.where(~been.where(RUNS.c.student_id == e.student_id))
    else:
        p = PURCHASES.c
        asked = select(p.student_id).where(p.refunded.is_(None))
        asked = asked.where(p.at < first) if first else asked
        asked = asked.where(p.offer == wanted["offer"]) if wanted.get("offer") else asked
        asked = asked.where(~been.where(RUNS.c.student_id == p.student_id))
    return sorted(set(session.scalars(asked)))


def waiting_certificates(session: Session, now: Instant) -> tuple[list[int], int]:
    """Who has waited for the owner's approval for over a week, and for how many days the oldest."""
    rows = [
        (student, requested)
        for student, _, requested in approvals.waiting(session, _MOST_WAITING)
        if requested <= _ago(now, WAITS_DAYS)
    ]
    if not rows:
        return [], 0
    return [student for student, _ in rows], int((now - rows[0][1]).total("hours") // 24)


@dataclass(frozen=True, slots=True)
class Bouncing:
    """Addresses of a domain ('' for the rest) that can't be reached, and how many students it has."""

    domain: str
    students: list[int]
    of: int


def bouncing(session: Session) -> list[Bouncing]:
    """By domain where a good part of it bounces; the others together."""
    who = STUDENTS.c
    domain = func.lower(func.substr(who.email, func.instr(who.email, "@") + 1))
    ids = _grouped(session.execute(select(domain, who.id).where(who.bounced).order_by(who.id)))
    if not ids:
        return []
    counted = select(domain, func.count()).where(domain.in_(ids)).group_by(domain)
    sizes: dict[str, int] = {name: number for name, number in session.execute(counted)}
    found, rest = [], []
    for name, some in ids.items():
        if len(some) >= BOUNCES_FROM and len(some) >= BOUNCES_SHARE * sizes[name]:
            found.append(Bouncing(name, some, sizes[name]))
        else:
            rest += some
    return [*found, *([Bouncing("", sorted(rest), len(rest))] if rest else [])]


def without_source(session: Session) -> list[int]:
    """Who gets news, with no line in the log that says where they agreed."""
    agreed = exists().where(ConsentRow.student_id == STUDENTS.c.id, ConsentRow.what == "news_on")
    asked = select(STUDENTS.c.id).where(STUDENTS.c.news, STUDENTS.c.bounced.is_(False), ~agreed)
    return list(session.scalars(asked.order_by(STUDENTS.c.id)))
