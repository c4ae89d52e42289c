"""Feedback on a course: how many gave which answer, month by month, and what they wrote; as CSV."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Response
from pydantic import BaseModel

from patient_courier.core.completion.feedback import Feedback, Rating, by_month, figures_of, scales
from patient_courier.core.drafting.ending import has_ending
from patient_courier.core.figures.rates import Rate, rate
from patient_courier.core.school.values import moment_text
from patient_courier.core.telling import words
from patient_courier.store.completion import feedback
from patient_courier.store.students import people
from patient_courier.web.context import PageNumber, Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.places.courses.courses import known_course
from patient_courier.web.refusals import csv_file

router = APIRouter(prefix="/api/courses", tags=["courses"])
CourseKey = Annotated[str, Path(max_length=200)]
PAGE = 50


class ShareOut(BaseModel):
    """``part`` of ``whole``, in percent, with its likely range; ``small``: so few that it says little."""

    part: int
    whole: int
    percent: int
    low: int
    high: int
    small: bool


class FeedbackFigures(BaseModel):
    """How many gave 1, 2, 3, 4 and 5, the mean, and how many gave 4 or 5."""

    counts: list[int]
    mean: float | None
    glad: ShareOut


class MonthOut(BaseModel):
    """``2026-03`` and its words."""

    month: str
    words: str
    figures: FeedbackFigures


class OpinionOut(BaseModel):
    student: str
    student_name: str
    value: int
    words: str
    at: str


class FeedbackOut(BaseModel):
    """``answered``: how many of those who were asked; ``opinions`` a page of them, the newest first, ``total`` how many.

    ``has_ending``: some sequence begins with this course's certificate.
    """

    answered: ShareOut
    figures: FeedbackFigures
    months: list[MonthOut]
    total: int
    opinions: list[OpinionOut]
    has_ending: bool


@router.get("/{key}/feedback")
def course_feedback(
    key: CourseKey,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    page: PageNumber = 1,
    with_words: bool = False,
) -> FeedbackOut:
    """The figures of everybody's newest answer; ``with_words``: list only those who wrote something."""
    definitions = definitions_in(post, session)
    known_course(definitions, key)
    zone, asks = definitions.school.timezone, scales(definitions)
    found = _of(session, asks, key)
    listed = [one for one in found if one.words or not with_words]
    shown = listed[(page - 1) * PAGE : page * PAGE]
    persons = people.by_ids(session, {one.student for one in shown})
    return FeedbackOut(
        answered=_share(rate(len(found), max(len(found), feedback.asked(session, list(asks), key)))),
        figures=_figures(figures_of(found)),
        months=[
            MonthOut(month=one.month, words=words.month_and_year(one.month), figures=_figures(one.feedback))
            for one in by_month(found, zone)
        ],
        total=len(listed),
        opinions=[
            OpinionOut(
                student=persons[one.student].key,
                student_name=persons[one.student].name,
                value=one.value,
                words=one.words,
                at=words.moment(one.at, zone),
            )
            for one in shown
        ],
        has_ending=has_ending(definitions, key),
    )


@router.get("/{key}/feedback.csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def feedback_csv(key: CourseKey, user: SignedIn, post: ThePost, session: Reading) -> Response:
    """Every answer with its words as CSV (RFC 4180), safe to open in a spreadsheet."""
    definitions = definitions_in(post, session)
    known_course(definitions, key)
    found = _of(session, scales(definitions), key)
    persons = people.by_ids(session, {one.student for one in found})
    lines = (
        [
            moment_text(one.at),
            persons[one.student].name,
            persons[one.student].email,
            one.letter,
            str(one.value),
            one.words,
        ]
        for one in found
    )
    header = ["answered", "name", "address", "letter", "rating", "words"]
    return csv_file(f"{key}-feedback.csv", header, lines)


def _of(session: Session, asks: dict[str, dict[str, int]], course: str) -> list[Rating]:
    """The ratings of a course, the newest first."""
    found = [one for one in feedback.ratings(session, asks) if one.course == course]
    return sorted(found, key=lambda one: one.at, reverse=True)


def _share(found: Rate) -> ShareOut:
    return ShareOut(
        part=found.part,
        whole=found.whole,
        percent=round(100 * found.fraction),
        low=round(100 * found.low),
        high=round(100 * found.high),
        small=found.small,
    )


def _figures(found: Feedback) -> FeedbackFigures:
    return FeedbackFigures(counts=found.counts, mean=found.mean, glad=_share(found.glad))
