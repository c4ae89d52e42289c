"""Today: what goes out next, from a real forecast, and what came and went lately."""

from __future__ import annotations

from collections import Counter, defaultdict

from fastapi import APIRouter
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core import calendar, words
from patient_courier.core.definitions import Definitions
from patient_courier.core.effects import LetterDecided
from patient_courier.core.line import hung, stops
from patient_courier.core.rehearsal import forecast
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.standing import standings
from patient_courier.store.states import load_states
from patient_courier.store.tables import DeliveryRow, EventRow, RunRow, StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, definitions_in
from patient_courier.web.places.courses import GAP_FROM, is_silent
from patient_courier.web.places.deliveries import DeliveryOut, delivery_out, student_name

router = APIRouter(prefix="/api/today", tags=["today"])
DAYS = 7
SHOWN = 7
SILENT_DAYS = 7


class DayLine(BaseModel):
    """Letters of one sequence on one day."""

    sequence: str
    name: str
    letters: int


class DayOut(BaseModel):
    """One of the coming days in the school's zone, with the letters that will go out if nothing else happens."""

    date: str
    weekday: str
    label: str
    letters: int
    lines: list[DayLine]


class NextLetter(BaseModel):
    at: str
    local: str
    student: str
    student_name: str
    letter_name: str
    sequence: str


class Happened(BaseModel):
    """How often something happened in the last seven days."""

    words: str
    number: int


class Stalled(BaseModel):
    """A stop at which students have been silent for a week or more; ``covered``: a letter hangs there."""

    course: str
    course_title: str
    stop: str
    title: str
    silent: int
    covered: bool


class TodayOut(BaseModel):
    days: list[DayOut]
    stalled: list[Stalled]
    next: list[NextLetter]
    total: int
    lately: list[DeliveryOut]
    week: list[Happened]


@router.get("")
def today(user: SignedIn, post: ThePost, session: Reading) -> TodayOut:
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    now = read_clock(session).now
    first = calendar.local_date(now, zone)
    until = calendar.resolve(first.add(days=DAYS).at(calendar.MIDNIGHT), zone).subtract(nanoseconds=1)
    waiting = session.scalars(select(RunRow.student_id).where(RunRow.outcome.is_(None)).distinct()).all()
    clocked = session.scalars(select(StudentRow.id).where(StudentRow.clock_due <= until)).all()
    states = load_states(session, {*waiting, *clocked}, definitions)
    letters = forecast(definitions, list(states.values()), now, until).letters
    by_day: defaultdict[str, Counter[str]] = defaultdict(Counter)
    for letter in letters:
        by_day[calendar.local_date(letter.at, zone).format_iso()][letter.sequence] += 1
    days = []
    for offset in range(DAYS):
        date = first.add(days=offset)
        found = by_day[date.format_iso()]
        lines = [
            DayLine(sequence=key, name=definitions.sequences[key].sequence.name or key, letters=number)
            for key, number in found.most_common()
        ]
        label = words.day(date)
        days.append(
            DayOut(
                date=date.format_iso(),
                weekday=label[:3],
                label=label[4:],
                letters=sum(found.values()),
                lines=lines,
            )
        )
    names = dict(session.execute(select(StudentRow.key, StudentRow).where(StudentRow.id.in_(states))).all())
    return TodayOut(
        days=days,
        stalled=_stalled(session, definitions, now),
        next=[_next(letter, names[letter.student], definitions, zone) for letter in letters[:SHOWN]],
        total=len(letters),
        lately=_lately(session, definitions),
        week=_week(session, now.subtract(hours=24 * DAYS)),
    )


def _stalled(session: Session, definitions: Definitions, now: Instant) -> list[Stalled]:
    """Where most students have been silent for a week, over all courses."""
    found = []
    for key, course in definitions.courses.items():
        people = standings(session, definitions, key)
        silent = Counter(one.stop for one in people if is_silent(one, now, SILENT_DAYS))
        covered = {one.stop for one in hung(definitions, key)}
        titles = {stop.id: stop.title for stop in stops(course)}
        found += [
            Stalled(
                course=key,
                course_title=course.title,
                stop=stop,
                title=titles[stop],
                silent=number,
                covered=stop in covered,
            )
            for stop, number in silent.items()
            if number >= GAP_FROM
        ]
    return sorted(found, key=lambda one: (-one.silent, one.title))[:6]


def _next(letter: LetterDecided, student: StudentRow, definitions: Definitions, zone: str) -> NextLetter:
    return NextLetter(
        at=words.moment(letter.at, zone),
        local=words.moment(letter.at, student.timezone or zone),
        student=student.key,
        student_name=student_name(student),
        letter_name=definitions.letters[letter.letter].letter.name or letter.letter,
        sequence=definitions.sequences[letter.sequence].sequence.name or letter.sequence,
    )


def _lately(session: Session, definitions: Definitions) -> list[DeliveryOut]:
    rows = session.execute(
        select(DeliveryRow, StudentRow)
        .join(StudentRow, StudentRow.id == DeliveryRow.student_id)
        .order_by(DeliveryRow.at.desc(), DeliveryRow.id.desc())
        .limit(8)
    )
    return [delivery_out(definitions, row, student) for row, student in rows]


_WEEK = {
    "purchased": "purchases",
    "lesson_completed": "lessons finished",
    "module_completed": "modules finished",
    "course_completed": "courses finished",
    "refunded": "refunds",
}


def _week(session: Session, since: Instant) -> list[Happened]:
    rows = session.execute(
        select(EventRow.type, func.count())
        .where(EventRow.at > since, EventRow.type.in_(_WEEK))
        .group_by(EventRow.type)
    )
    counts = dict(rows.all())
    return [Happened(words=text, number=counts.get(kind, 0)) for kind, text in _WEEK.items()]
