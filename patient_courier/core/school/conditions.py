"""Conditions: what may be asked of one student."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Discriminator, Field, Tag, model_validator

from patient_courier.core.school.text import Text
from patient_courier.core.school.values import Day, Model, Percent, SpanField, TagName

Status = Literal["preview", "active", "completed", "expired", "refunded"]


class All(Model):
    all: list[Condition]


class Any_(Model):
    any: list[Condition]


class Not(Model):
    not_: Annotated[Condition, Field(alias="not")]


class Leaf(Model):
    """A condition that asks one thing, and holds no others."""


class IsEnrolled(Leaf):
    is_: Annotated[Literal["enrolled"], Field(alias="is")]
    course: str
    status: Annotated[list[Status], Field(min_length=1)] | None = None


class IsCompleted(Leaf):
    is_: Annotated[Literal["completed"], Field(alias="is")]
    course: str | None = None
    module: str | None = None
    lesson: str | None = None

    @model_validator(mode="after")
    def _one(self) -> IsCompleted:
        if sum(x is not None for x in (self.course, self.module, self.lesson)) != 1:
            raise ValueError("“completed” asks about one thing: a course, a module or a lesson")
        return self


class IsProgress(Leaf):
    is_: Annotated[Literal["progress"], Field(alias="is")]
    course: str
    at_least: Percent | None = None
    at_most: Percent | None = None


class IsQuiz(Leaf):
    is_: Annotated[Literal["quiz"], Field(alias="is")]
    quiz: str
    result: Literal["passed", "failed", "not_taken"]
    # At least so many times; with ``not_taken`` it means nothing.
    taken: Annotated[int, Field(ge=1, le=1000)] = 1


class IsBought(Leaf):
    is_: Annotated[Literal["bought"], Field(alias="is")]
    offer: str
    within: SpanField | None = None


class IsTagged(Leaf):
    is_: Annotated[Literal["tagged"], Field(alias="is")]
    tag: TagName


class IsSequence(Leaf):
    is_: Annotated[Literal["inside", "finished", "been_inside"], Field(alias="is")]
    sequence: str


class IsLetter(Leaf):
    is_: Annotated[Literal["sent", "opened", "clicked"], Field(alias="is")]
    letter: str
    within: SpanField | None = None


class IsInactive(Leaf):
    is_: Annotated[Literal["inactive"], Field(alias="is")]
    course: str
    for_: Annotated[SpanField, Field(alias="for")]


class IsJoined(Leaf):
    is_: Annotated[Literal["joined"], Field(alias="is")]
    before: Day | None = None
    after: Day | None = None

    @model_validator(mode="after")
    def _some(self) -> IsJoined:
        if self.before is None and self.after is None:
            raise ValueError("“joined” needs a date: before or after")
        return self


class IsCertified(Leaf):
    is_: Annotated[Literal["certified"], Field(alias="is")]
    course: str


class IsNewsOn(Leaf):
    is_: Annotated[Literal["news_on"], Field(alias="is")]


class IsField(Leaf):
    is_: Annotated[Literal["field"], Field(alias="is")]
    name: str
    equals: Text | int | float | bool | None = None
    contains: Text | None = None
    filled: bool | None = None

    @model_validator(mode="after")
    def _one(self) -> IsField:
        if sum(x is not None for x in (self.equals, self.contains, self.filled)) != 1:
            raise ValueError("“field” asks one thing: equals, contains or filled")
        return self


class IsStudent(Leaf):
    is_: Annotated[Literal["student"], Field(alias="is")]
    keys: list[str]


def _kind(value: Any) -> str | None:
    """Which condition a dict or a model is."""
    if isinstance(value, Model):
        value = value.model_dump(by_alias=True, include={"all", "any", "not_", "is_"})
    if not isinstance(value, dict):
        return None
    for name in ("all", "any", "not"):
        if name in value:
            return name
    kind = value.get("is")
    return _GROUPS.get(kind, kind) if isinstance(kind, str) else None


_GROUPS = {
    "inside": "sequence",
    "finished": "sequence",
    "been_inside": "sequence",
    "sent": "letter",
    "opened": "letter",
    "clicked": "letter",
}

Condition = Annotated[
    Annotated[All, Tag("all")]
    | Annotated[Any_, Tag("any")]
    | Annotated[Not, Tag("not")]
    | Annotated[IsEnrolled, Tag("enrolled")]
    | Annotated[IsCompleted, Tag("completed")]
    | Annotated[IsProgress, Tag("progress")]
    | Annotated[IsQuiz, Tag("quiz")]
    | Annotated[IsBought, Tag("bought")]
    | Annotated[IsTagged, Tag("tagged")]
    | Annotated[IsSequence, Tag("sequence")]
    | Annotated[IsLetter, Tag("letter")]
    | Annotated[IsInactive, Tag("inactive")]
    | Annotated[IsJoined, Tag("joined")]
    | Annotated[IsCertified, Tag("certified")]
    | Annotated[IsNewsOn, Tag("news_on")]
    | Annotated[IsField, Tag("field")]
    | Annotated[IsStudent, Tag("student")],
    Discriminator(
        _kind,
        custom_error_type="unknown_condition",
        custom_error_message="a condition starts with “all”, “any”, “not” or a known “is”",
    ),
]

for _model in (All, Any_, Not):
    _model.model_rebuild()
