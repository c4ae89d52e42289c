"""The school, its courses and offers."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, field_validator

from patient_courier.core.school.values import (
    InnerKey,
    Model,
    Money,
    ObjectKey,
    Percent,
    PostingHours,
    SpanField,
    TagName,
    Zone,
)

Email = Annotated[str, Field(max_length=320)]
Url = Annotated[str, Field(max_length=2000)]
Title = Annotated[str, Field(min_length=1, max_length=500)]


def check_email(value: str) -> str:
    """An address with a name, an @ and a domain, and nothing that could break a header."""
    name, at, domain = value.rpartition("@")
    if not (name and at and domain) or any(c.isspace() or c in '<>,;"' or not c.isprintable() for c in value):
        raise ValueError(f"“{value}” is not an e-mail address")
    return value


class Sender(Model):
    name: str = ""
    email: Email

    _email = field_validator("email")(check_email)


class School(Model):
    name: Title
    timezone: Zone
    sender: Sender
    reply_to: Email | None = None
    postal_address: str = ""
    login_url: Url | None = None
    posting_hours: PostingHours | None = None
    daily_limit: Annotated[int, Field(ge=1)] | None = None

    @field_validator("reply_to")
    @classmethod
    def _reply_to(cls, value: str | None) -> str | None:
        return value if value is None else check_email(value)


class Lesson(Model):
    key: InnerKey
    title: Title
    minutes: Annotated[int, Field(ge=0)] | None = None
    url: Url | None = None


class Quiz(Model):
    key: InnerKey
    title: Title
    pass_mark: Percent = 70
    url: Url | None = None


class Module(Model):
    key: InnerKey
    title: Title
    unlocks: SpanField | None = None
    lessons: list[Lesson] = []
    quizzes: list[Quiz] = []


class CertificateRule(Model):
    approval: bool = False


class Course(Model):
    key: InnerKey
    title: Title
    summary: str = ""
    url: Url | None = None
    review_url: Url | None = None
    access: SpanField | None = None
    modules: list[Module] = []
    certificate: CertificateRule | None = None


class Offer(Model):
    key: ObjectKey
    title: Title
    price: Money | None = None
    courses: list[str] = []
    tags: list[TagName] = []
