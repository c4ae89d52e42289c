"""Figures of a course: how long it takes to finish, before and after a sequence, and quizzes after a failure; as CSV too."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from typing import Annotated, Literal

from fastapi import APIRouter, Depends, Path, Query, Response
from pydantic import BaseModel

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures.rates import rate
from patient_courier.core.figures.survival import Step, Watched, curve, half
from patient_courier.core.school.courses import Course
from patient_courier.core.school.events import OnEnrolled, OnOffer, OnQuiz
from patient_courier.core.telling.figure_words import finishing_words
from patient_courier.store.completion import finishing
from patient_courier.store.completion.finishing import Enrolled
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in, now_in
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.refusals import csv_file
from patient_courier.web.remembering import TheFigures

router = APIRouter(prefix="/api/courses", tags=["courses"])
CourseKey = Annotated[str, Path(max_length=200)]
By = Literal["all", "month", "received", "switched"]
# As many days as are drawn, and how many groups beside each other.
MOST_DAYS, MOST_MONTHS = 366, 6
HELP_DAYS = 14
HELPED = (
    "No proof: counted are those who had not passed a day after they failed, by whether a letter about it had come by "
    "then. The two may differ in other ways; a trial tells what the letter itself does."
)
NO_PROOF = "No proof: those who came before and after differ in more than this sequence."
RECEIVED = "No proof: who got it and who did not may differ in other ways. A trial tells what the sequence itself does."


class Point(BaseModel):
    """The share (0 to 1) that has finished within so many days, with its range, and how many were watched that long."""

    day: int
    share: float
    low: float
    high: float
    watched: int


class CurveOut(BaseModel):
    """``half``: the day by which half have finished, None while they have not; ``points`` begin at day 0 and end where nobody is watched any more."""

    label: str
    students: int
    finished: int
    half: int | None
    points: list[Point]


class SequenceChoice(BaseModel):
    key: str
    name: str


class FinishingOut(BaseModel):
    """``sequences``: those that begin when somebody enrols here, for which one can ask."""

    words: str
    note: str
    curves: list[CurveOut]
    sequences: list[SequenceChoice]


class Share(BaseModel):
    part: int
    whole: int
    share: float
    low: float
    high: float
    small: bool


class FailedQuiz(BaseModel):
    """Passed within ``days`` of the first failure, of those a letter reached within a day of it and of the others."""

    quiz: str
    title: str
    days: int
    helped: Share
    alone: Share


class QuizzesOut(BaseModel):
    note: str
    items: list[FailedQuiz]


@router.get("/{key}/figures/finishing")
def finishing_figures(
    key: CourseKey,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    kept: TheFigures,
    by: By = "all",
    sequence: Annotated[str, Query(max_length=200)] = "",
) -> FinishingOut:
    """How long students take to finish: all together, by month of enrolment, or by a sequence."""
    definitions = definitions_in(post, session)
    known_course(definitions, key)
    asked = ("finishing", key, by, sequence)
    return kept.ask(session, definitions, asked, lambda: _finishing(session, definitions, key, by, sequence))


def _finishing(session: Session, definitions: Definitions, key: str, by: By, sequence: str) -> FinishingOut:
    found = finishing.enrolled(session, key, now_in(session))
    choices = _at_enrolment(definitions, key)
    chosen = sequence if any(one.key == sequence for one in choices) else choices[0].key if choices else ""
    note = NO_PROOF if by == "switched" else RECEIVED if by == "received" else ""
    groups = _groups(session, definitions, found, by, chosen)
    return FinishingOut(
        words=finishing_words([one.watched for one in found]),
        note=note,
        curves=[_curve_out(label, [one.watched for one in group]) for label, group in groups],
        sequences=choices,
    )


def _groups(
    session: Session, definitions: Definitions, found: list[Enrolled], by: By, sequence: str
) -> list[tuple[str, list[Enrolled]]]:
    """The students side by side, each group under its name."""
    match by:
        case "all":
            return [("All students", found)]
        case "month":
            months = defaultdict[str, list[Enrolled]](list)
            for one in sorted(found, key=lambda one: one.began):
                day = calendar.local_date(one.began, definitions.school.timezone)
                months[f"{calendar.MONTHS[day.month - 1]} {day.year}"].append(one)
            return list(months.items())[-MOST_MONTHS:]
        case "received":
            inside = finishing.in_sequence(session, sequence)
            return _halves(found, "Got it", "Did not get it", lambda one: one.student_id in inside)
        case "switched":
            since = finishing.first_run(session, sequence)
            return _halves(
                found,
                "Enrolled after",
                "Enrolled before",
                lambda one: since is not None and one.began >= since,
            )


def _halves(
    found: list[Enrolled], these: str, others: str, test: Callable[[Enrolled], bool]
) -> list[tuple[str, list[Enrolled]]]:
    sides: dict[bool, list[Enrolled]] = {True: [], False: []}
    for one in found:
        sides[test(one)].append(one)
    return [(label, sides[side]) for label, side in ((these, True), (others, False)) if sides[side]]


def _at_enrolment(definitions: Definitions, course: str) -> list[SequenceChoice]:
    """The sequences that begin when somebody enrols here: only of those does it not depend on how far one has come who gets them."""
    return [
        SequenceChoice(key=plan.key, name=plan.sequence.called)
        for plan in definitions.sequences.values()
        if any(
            (isinstance(one, OnEnrolled) and one.course == course)
            or (isinstance(one, OnOffer) and one.on == "purchased" and _gives(definitions, one, course))
            for one in plan.sequence.starts
        )
    ]


def _gives(definitions: Definitions, matcher: OnOffer, course: str) -> bool:
    offer = definitions.offers.get(matcher.offer or "")
    return matcher.course == course or (offer is not None and course in offer.courses)


def _curve_out(label: str, people: list[Watched]) -> CurveOut:
    steps = curve(people)
    middle = half(steps)
    last = min(MOST_DAYS, int(max((one.days for one in people), default=0)))
    return CurveOut(
        label=label,
        students=len(people),
        finished=sum(one.happened for one in people),
        half=max(1, round(middle)) if middle is not None else None,
        points=_by_day(steps, people, last),
    )


def _by_day(steps: list[Step], people: list[Watched], last: int) -> list[Point]:
    """The curve at the end of each day on which it changes, and of the last one."""
    ordered = sorted(one.days for one in people)
    points, here, gone = [Point(day=0, share=0.0, low=0.0, high=0.0, watched=len(people))], 0, 0
    for day in range(1, last + 1):
        before = here
        while here < len(steps) and steps[here].day <= day:
            here += 1
        while gone < len(ordered) and ordered[gone] <= day:
            gone += 1
        if here and (here != before or day == last):
            step = steps[here - 1]
            points.append(
                Point(day=day, share=step.share, low=step.low, high=step.high, watched=len(ordered) - gone)
            )
    return points


@router.get(
    "/{key}/figures/finishing.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}}
)
def finishing_csv(key: CourseKey, found: Annotated[FinishingOut, Depends(finishing_figures)]) -> Response:
    """The same curves as a table."""
    lines = [
        [
            one.label,
            str(point.day),
            *(f"{x:.4f}" for x in (point.share, point.low, point.high)),
            str(point.watched),
        ]
        for one in found.curves
        for point in one.points
    ]
    header = ["group", "day", "share_finished", "low", "high", "watched"]
    return csv_file(f"{key}-finishing.csv", header, lines)


@router.get("/{key}/figures/quizzes")
def quiz_figures(
    key: CourseKey, user: SignedIn, post: ThePost, session: Reading, kept: TheFigures
) -> QuizzesOut:
    """Who passes within two weeks of failing: those to whom a letter about it came within a day, and the others."""
    definitions = definitions_in(post, session)
    course = known_course(definitions, key)
    return kept.ask(session, definitions, ("quizzes", key), lambda: _quizzes(session, definitions, course))


def _quizzes(session: Session, definitions: Definitions, course: Course) -> QuizzesOut:
    items, now = [], now_in(session)
    for module in course.modules:
        for quiz in module.quizzes:
            place = f"{course.key}/{quiz.key}"
            found = finishing.after_failing(session, place, _helping(definitions, place), now, HELP_DAYS)
            if found:
                helped, alone = (
                    [one.passed for one in found if one.helped == side] for side in (True, False)
                )
                items.append(
                    FailedQuiz(
                        quiz=place,
                        title=quiz.title,
                        days=HELP_DAYS,
                        helped=_share(helped),
                        alone=_share(alone),
                    )
                )
    return QuizzesOut(note=HELPED, items=items)


def _helping(definitions: Definitions, quiz: str) -> list[str]:
    """The sequences that begin when this quiz is failed."""
    course = quiz.partition("/")[0]
    return [
        plan.key
        for plan in definitions.sequences.values()
        if any(
            isinstance(one, OnQuiz)
            and one.on == "quiz_failed"
            and one.quiz in (None, quiz)
            and one.course in (None, course)
            and one.module in (None, definitions.module_of.get(quiz))
            for one in plan.sequence.starts
        )
    ]


def _share(passed: Iterable[bool]) -> Share:
    every = list(passed)
    found = rate(sum(every), len(every))
    return Share(
        part=found.part,
        whole=found.whole,
        share=found.fraction,
        low=found.low,
        high=found.high,
        small=found.small,
    )
