"""What a destination is told: one message for each thing that happened, in the form of Standard Webhooks 1.0 (payload).

``type`` says what happened, ``timestamp`` when by school time (RFC 3339, UTC), ``data`` whom and what it concerns.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal, get_args

from pydantic import Field
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import certificate_address, certificate_code
from patient_courier.core.engine.happening import Happening
from patient_courier.core.school.file import Student
from patient_courier.core.school.values import Model, moment_text

Kind = Literal[
    "enrolled", "purchased", "refunded", "lesson_completed", "module_completed", "course_completed", "quiz_failed",
    "quiz_passed", "tag_added", "tag_removed", "certificate_issued", "certificate_revoked", "news_on", "news_off",
    "letter_posted", "bounced", "complained", "feedback_given",
]  # fmt: skip
KINDS: tuple[Kind, ...] = get_args(Kind)
# How the engine calls what is told under another name.
_OF_EVENT: dict[str, Kind] = {"news_stopped": "news_off"}


class ToldStudent(Model):
    """The student it happened to, as they were called then."""

    key: str
    email: str
    first_name: str
    last_name: str


class ToldThing(Model):
    """Something of the school: its key, and the title it had then."""

    key: str
    title: str


class ToldCertificate(Model):
    """A certificate: its number, and the page where it can be checked."""

    code: str
    address: str


class ToldLetter(Model):
    """A letter that was posted or answered, by its key, and its subject as the student read it, if it was posted."""

    key: str
    title: str
    subject: str | None = None


class ToldFeedback(Model):
    """What a student answered: the answer's key, what it counts on its scale, and the words they left beside it."""

    answer: str
    value: int | None = None
    words: str = ""


class ToldData(Model):
    """Whom and what it concerns; what does not belong to it is left out. ``score`` in percent."""

    student: ToldStudent
    course: ToldThing | None = None
    module: ToldThing | None = None
    lesson: ToldThing | None = None
    quiz: ToldThing | None = None
    offer: ToldThing | None = None
    tag: str | None = None
    score: Annotated[float, Field(ge=0, le=100)] | None = None
    via: str | None = None
    certificate: ToldCertificate | None = None
    letter: ToldLetter | None = None
    feedback: ToldFeedback | None = None


class Told(Model):
    """A message to a destination."""

    type: Kind
    timestamp: str
    data: ToldData


@dataclass(frozen=True, slots=True)
class News:
    """Something that destinations may want to hear: its kind, when (school time), about which courses (none: about no
    course), and everything but the student of what it says."""

    kind: Kind
    at: Instant
    courses: frozenset[str]
    about: Mapping[str, Any]


def courses_of(definitions: Definitions, names: Mapping[str, Any]) -> frozenset[str]:
    """The courses that an event is about: the one it names, and those its offer gives."""
    courses = {names["course"]} if names.get("course") else set()
    if names.get("offer") in definitions.offers:
        courses |= set(definitions.offers[names["offer"]].courses)
    return frozenset(courses)


def of_happening(definitions: Definitions, what: Happening, student: str) -> News | None:
    """The news in an event; None when destinations are not told of its like. ``student`` is the student's key."""
    kind = _OF_EVENT.get(what.type, what.type)
    if kind not in KINDS:
        return None
    names, about = what.names, things(definitions, what.names)
    for plain in ("tag", "via"):
        if names.get(plain):
            about[plain] = names[plain]
    if names.get("score") is not None:
        about["score"] = float(names["score"])
    if what.type in ("certificate_issued", "certificate_revoked"):
        code = certificate_code(definitions.seal, student, names["course"])
        about["certificate"] = {"code": code, "address": certificate_address(definitions.site, code)}
    return News(kind, what.at, courses_of(definitions, names), about)


def things(definitions: Definitions, names: Mapping[str, Any]) -> dict[str, Any]:
    """The objects among an event's names, with their titles; what is gone from the school has its key for a title."""
    kinds: dict[str, Mapping[str, Any]] = {
        "course": definitions.courses,
        "module": definitions.modules,
        "lesson": definitions.lessons,
        "quiz": definitions.quizzes,
        "offer": definitions.offers,
    }
    found = {}
    for kind, known in kinds.items():
        if key := names.get(kind):
            thing = known.get(key)
            found[kind] = {"key": key, "title": thing.title if thing else key}
    return found


def hears(kinds: Iterable[str], courses: Iterable[str], news: News) -> bool:
    """Whether a destination for these kinds and courses (none: all) is told. What concerns no course is told in any case."""
    if news.kind not in kinds:
        return False
    wanted = set(courses)
    return not wanted or not news.courses or bool(wanted & news.courses)


def message(news: News, student: Mapping[str, str | None]) -> str:
    """The message as JSON. ``student`` has ``key``, ``email``, ``first_name`` and ``last_name``."""
    who = ToldStudent(
        key=str(student["key"]),
        email=str(student["email"]),
        first_name=student["first_name"] or "",
        last_name=student["last_name"] or "",
    )
    data = ToldData.model_validate({"student": who, **news.about})
    return Told(type=news.kind, timestamp=moment_text(news.at), data=data).model_dump_json(exclude_none=True)


def described(student: Student) -> dict[str, str | None]:
    """What a message says of a student."""
    return student.model_dump(include={"key", "email", "first_name", "last_name"})
