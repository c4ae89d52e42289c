"""Events (what happened) and matchers (which events are meant), one table for both."""

from __future__ import annotations

from functools import cache
from typing import Annotated, Any, Literal

from pydantic import Field

from patient_courier.core.school.text import FilledLine, KeyText, Line
from patient_courier.core.school.values import Key, Model, Money, Percent, ReportedMoment, SpanField, TagName

Via = Literal["manual", "import", "preview"]
AnyVia = Literal["purchase", "manual", "import", "preview"]
Score = Annotated[float | int, Field(ge=0, le=100)]

# Selectors that name an object of the school, and what kind of object it is.
OBJECTS = ("course", "module", "lesson", "quiz", "offer", "letter")


_COMMON = frozenset({"at", "student", "id", "type", "on"})


@cache
def _own(kind: type[Model]) -> tuple[str, ...]:
    """The fields that an event has beside those of every event, or a matcher beside its type."""
    return tuple(name for name in kind.model_fields if name not in _COMMON)


class EventBase(Model):
    """What every event has: its own time, the student it is about, and maybe the id of the reporting site."""

    at: ReportedMoment
    student: Key
    id: Key | None = None

    def names(self) -> dict[str, Any]:
        """The event's own fields, those that are given."""
        return {name: value for name in _own(type(self)) if (value := getattr(self, name)) is not None}


class Purchased(EventBase):
    type: Literal["purchased"]
    offer: KeyText
    order: Annotated[Line, Field(max_length=200)] | None = None
    amount: Money | Line | Annotated[int, Field(ge=-(2**53), le=2**53)] | float | None = None


class Refunded(EventBase):
    type: Literal["refunded"]
    offer: KeyText


class Enrolled(EventBase):
    type: Literal["enrolled"]
    course: KeyText
    via: Via


class LessonEvent(EventBase):
    type: Literal["lesson_started", "lesson_completed"]
    lesson: KeyText


class LessonWatched(EventBase):
    type: Literal["lesson_watched"]
    lesson: KeyText
    percent: Annotated[float | int, Field(ge=0, le=100)]


class QuizTaken(EventBase):
    type: Literal["quiz_taken"]
    quiz: KeyText
    score: Score


class PlainEvent(EventBase):
    type: Literal["signed_in", "news_stopped", "complained"]


class SignedUp(EventBase):
    type: Literal["signed_up"]
    form: FilledLine


class LetterOpened(EventBase):
    type: Literal["letter_opened"]
    letter: KeyText


class LinkClicked(EventBase):
    type: Literal["link_clicked"]
    letter: KeyText
    link: Line


class Answered(EventBase):
    type: Literal["answered"]
    letter: KeyText
    answer: KeyText


class CourseEvent(EventBase):
    type: Literal["course_help_stopped", "certificate_approved", "certificate_revoked"]
    course: KeyText


class Bounced(EventBase):
    type: Literal["bounced"]
    hard: bool


class TagEvent(EventBase):
    type: Literal["tag_added", "tag_removed"]
    tag: TagName


Event = Annotated[
    Purchased
    | Refunded
    | Enrolled
    | LessonEvent
    | LessonWatched
    | QuizTaken
    | PlainEvent
    | SignedUp
    | LetterOpened
    | LinkClicked
    | Answered
    | CourseEvent
    | Bounced
    | TagEvent,
    Field(discriminator="type"),
]


class MatcherBase(Model):
    """Base of the matchers; a selector that is left out matches any."""

    def selectors(self) -> dict[str, Any]:
        """The selectors that are given, without ``on``."""
        return {name: value for name in _own(type(self)) if (value := getattr(self, name)) is not None}


class OnOffer(MatcherBase):
    on: Literal["purchased", "refunded"]
    offer: str | None = None
    course: str | None = None


class OnEnrolled(MatcherBase):
    on: Literal["enrolled"]
    course: str | None = None
    via: Annotated[list[AnyVia], Field(min_length=1)] = ["purchase", "manual", "import"]


class OnLesson(MatcherBase):
    on: Literal["lesson_started", "lesson_completed"]
    lesson: str | None = None
    module: str | None = None
    course: str | None = None


class OnLessonWatched(MatcherBase):
    on: Literal["lesson_watched"]
    lesson: str | None = None
    module: str | None = None
    course: str | None = None
    percent: Percent | None = None


class OnQuiz(MatcherBase):
    on: Literal["quiz_taken", "quiz_passed", "quiz_failed"]
    quiz: str | None = None
    module: str | None = None
    course: str | None = None


class OnModule(MatcherBase):
    on: Literal["module_completed"]
    module: str | None = None
    course: str | None = None


class OnCourse(MatcherBase):
    on: Literal[
        "course_completed",
        "certificate_issued",
        "certificate_requested",
        "certificate_approved",
        "certificate_revoked",
        "course_help_stopped",
    ]
    course: str | None = None


class OnPlain(MatcherBase):
    on: Literal["signed_in", "news_stopped", "complained"]


class OnSignedUp(MatcherBase):
    on: Literal["signed_up"]
    form: Line | None = None


class OnLetterOpened(MatcherBase):
    on: Literal["letter_opened"]
    letter: str | None = None


class OnLinkClicked(MatcherBase):
    on: Literal["link_clicked"]
    letter: str | None = None
    link: Line | None = None


class OnAnswered(MatcherBase):
    on: Literal["answered"]
    letter: str | None = None
    answer: str | None = None


class OnBounced(MatcherBase):
    on: Literal["bounced"]
    hard: bool | None = None


class OnTag(MatcherBase):
    on: Literal["tag_added", "tag_removed"]
    tag: TagName | None = None


class OnInactive(MatcherBase):
    on: Literal["inactive"]
    course: str | None = None
    for_: Annotated[SpanField, Field(alias="for")]


class OnUnlocking(MatcherBase):
    on: Literal["unlocking"]
    module: str | None = None
    course: str | None = None
    ahead: SpanField | None = None


class OnAccessEnding(MatcherBase):
    on: Literal["access_ending"]
    course: str | None = None
    ahead: SpanField | None = None


Matcher = Annotated[
    OnOffer
    | OnEnrolled
    | OnLesson
    | OnLessonWatched
    | OnQuiz
    | OnModule
    | OnCourse
    | OnPlain
    | OnSignedUp
    | OnLetterOpened
    | OnLinkClicked
    | OnAnswered
    | OnBounced
    | OnTag
    | OnInactive
    | OnUnlocking
    | OnAccessEnding,
    Field(discriminator="on"),
]
CLOCK_MATCHERS = (OnInactive, OnUnlocking, OnAccessEnding)
