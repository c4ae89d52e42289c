"""Today: what goes out next, from a real forecast, and what came and went lately."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from pydantic import BaseModel
from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.drafting import ending
from patient_courier.core.drafting.course_line_view import Stalled, silent_courses, stalled
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.helpers.rights import nameless
from patient_courier.core.telling import words
from patient_courier.core.telling.week import DayOut, StuckAhead, by_day, stuck_ahead
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.coming import coming_letters
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.outbox import log
from patient_courier.store.sequences.counts import events_since, told_by_step
from patient_courier.store.students import audience, people
from patient_courier.store.students.people import Person
from patient_courier.store.students.standing import standings
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.drafts_only import hides_addresses
from patient_courier.web.places.log.deliveries import DeliveryOut, delivery_out
from patient_courier.web.places.school.mail import pace_line
from patient_courier.web.places.students.audiences import read_condition

router = APIRouter(prefix="/api/today", tags=["today"])
DAYS = 7
SHOWN = 7
SILENT_DAYS = 7
MOST_STALLED = 6
LATELY = 8


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


class Nearly(BaseModel):
    """How many are nearly through a course and have gone silent; who, as a ``condition`` of the school file.

    ``reminded``: a running sequence begins when somebody goes silent there.
    """

    course: str
    course_title: str
    students: int
    condition: dict[str, Any]
    reminded: bool


class TodayOut(BaseModel):
    """``cut_short``: more letters are to come than can be counted; ``pace``: what waits for the mail server's pace."""

    days: list[DayOut]
    stalled: list[Stalled]
    nearly: list[Nearly]
    next: list[NextLetter]
    stuck: list[StuckAhead]
    total: int
    cut_short: bool
    lately: list[DeliveryOut]
    week: list[Happened]
    pace: str | None


@router.get("")
def today(user: SignedIn, post: ThePost, session: Reading) -> TodayOut:
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    now = read_clock(session).now
    first = calendar.local_date(now, zone)
    until = calendar.resolve(first.add(days=DAYS).at(calendar.MIDNIGHT), zone).subtract(nanoseconds=1)
    found = coming_letters(session, definitions, now, until)
    called = broadcasts.names(session)
    shown = found.letters[:SHOWN]
    names = people.by_keys(session, {letter.student for letter in shown})
    standing = {key: standings(session, definitions, key) for key in definitions.courses}
    told = {
        step: ids
        for key in silent_courses(standing, now, SILENT_DAYS)
        for step, ids in told_by_step(session, definitions, key).items()
    }
    hidden = hides_addresses(user)
    happened = events_since(session, now.subtract(hours=24 * DAYS), list(_WEEK))
    return TodayOut(
        days=by_day(definitions, found.letters, first, DAYS, called),
        stalled=stalled(definitions, standing, now, SILENT_DAYS, MOST_STALLED, told),
        nearly=_nearly(session, definitions, now),
        next=[
            found.model_copy(update={"student_name": nameless(found.student_name)}) if hidden else found
            for found in (_next(letter, names[letter.student], definitions, zone, called) for letter in shown)
        ],
        stuck=stuck_ahead(definitions, found.stuck),
        total=len(found.letters),
        cut_short=found.cut_short,
        lately=[]
        if hidden
        else [delivery_out(definitions, one, person, called) for one, person in log.lately(session, LATELY)],
        week=[Happened(words=text, number=happened.get(kind, 0)) for kind, text in _WEEK.items()],
        pace=pace_line(post, definitions, session),
    )


def _nearly(session: Session, definitions: Definitions, now: Instant) -> list[Nearly]:
    """Courses in which somebody is nearly there."""
    found = []
    for key, course in definitions.courses.items():
        condition = ending.nearly_there(key)
        students = audience.count(session, read_condition(definitions, condition), definitions, now)
        if students:
            reminded = ending.reminded(definitions, key)
            found.append(
                Nearly(
                    course=key,
                    course_title=definitions.short_titles[course.key],
                    students=students,
                    condition=condition,
                    reminded=reminded,
                )
            )
    return found


def _next(
    letter: LetterDecided, student: Person, definitions: Definitions, zone: str, called: Mapping[str, str]
) -> NextLetter:
    return NextLetter(
        at=words.moment(letter.at, zone),
        local=words.moment(letter.at, definitions.school.zone_of(student.timezone)),
        student=student.key,
        student_name=student.name,
        letter_name=definitions.letters[letter.letter].letter.called,
        sequence=called[letter.broadcast]
        if letter.broadcast
        else definitions.sequences[letter.sequence].sequence.called,
    )


_WEEK = {
    "purchased": "purchases",
    "lesson_completed": "lessons finished",
    "module_completed": "modules finished",
    "course_completed": "courses finished",
    "refunded": "refunds",
}
