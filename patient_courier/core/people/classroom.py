"""The practice classroom as one student sees it: what can be bought, what is learnt, what is still open."""

from __future__ import annotations

from dataclasses import dataclass

from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState


@dataclass(frozen=True, slots=True)
class LessonOut:
    key: str
    title: str
    minutes: int | None
    started: bool
    done: bool


@dataclass(frozen=True, slots=True)
class QuizOut:
    key: str
    title: str
    pass_mark: int
    score: float | None
    passed: bool


@dataclass(frozen=True, slots=True)
class ModuleOut:
    key: str
    title: str
    done: bool
    lessons: list[LessonOut]
    quizzes: list[QuizOut]


@dataclass(frozen=True, slots=True)
class ClassCourse:
    """A course as the student sees it; ``status`` is null when they are not in it."""

    key: str
    title: str
    summary: str
    status: str | None
    progress: int
    modules: list[ModuleOut]


@dataclass(frozen=True, slots=True)
class OfferOut:
    key: str
    title: str
    price: str
    bought: bool
    courses: list[str]


@dataclass(frozen=True, slots=True)
class Classroom:
    offers: list[OfferOut]
    courses: list[ClassCourse]


def seen_by(definitions: Definitions, state: StudentState) -> Classroom:
    """Every course and offer, with what this student has done in them."""
    facts = state.facts
    courses = []
    for key, course in definitions.courses.items():
        modules = []
        for module in course.modules:
            lessons = [
                LessonOut(
                    key=f"{key}/{x.key}",
                    title=x.title,
                    minutes=x.minutes,
                    started=f"{key}/{x.key}" in facts.watched,
                    done=f"{key}/{x.key}" in facts.lessons,
                )
                for x in module.lessons
            ]
            quizzes = []
            for quiz in module.quizzes:
                record = facts.quizzes.get(f"{key}/{quiz.key}")
                quizzes.append(
                    QuizOut(
                        key=f"{key}/{quiz.key}",
                        title=quiz.title,
                        pass_mark=quiz.pass_mark,
                        score=record.score if record else None,
                        passed=record is not None and record.passed is not None,
                    )
                )
            place = f"{key}/{module.key}"
            modules.append(
                ModuleOut(
                    key=place,
                    title=module.title,
                    done=place in facts.modules,
                    lessons=lessons,
                    quizzes=quizzes,
                )
            )
        courses.append(
            ClassCourse(
                key=key,
                title=course.title,
                summary=course.summary,
                status=facts.status(key),
                progress=progress(definitions, state, key),
                modules=modules,
            )
        )
    offers = [
        OfferOut(
            key=key,
            title=offer.title,
            price=str(offer.price) if offer.price else "free",
            bought=bool(facts.bought(key)),
            courses=[definitions.courses[course].title for course in offer.courses],
        )
        for key, offer in definitions.offers.items()
    ]
    return Classroom(offers=offers, courses=courses)
