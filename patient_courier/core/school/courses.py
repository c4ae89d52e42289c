"""The school, its courses and offers."""

from __future__ import annotations

from typing import Annotated, Literal
from urllib.parse import urlsplit

from email_validator import EmailNotValidError, validate_email
from pydantic import Field, field_validator

from patient_courier.core.school.looks import Signature
from patient_courier.core.school.text import AddressText, FilledLine, KeyText, Line, Text, shortened
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
Url = Annotated[AddressText, Field(max_length=2000)]
Title = Annotated[FilledLine, Field(max_length=500)]
Count = Annotated[int, Field(ge=0, le=1_000_000)]


def check_email(value: str) -> str:
    """An address as RFC 5322 and RFC 6531 have it, a name, an @ and a domain that a mail server can look up.

    Kept as it is written. Raises ValueError with a sentence.
    """
    try:
        # Names such as “.example” and those of a local network are addresses too.
        validate_email(
            value, check_deliverability=False, globally_deliverable=False, test_environment=True, strict=True
        )
    except EmailNotValidError as error:
        raise ValueError(f"“{shortened(value)}” is not an e-mail address: {_reason(error)}") from error
    return value


def _reason(error: EmailNotValidError) -> str:
    text = str(error).rstrip(".")
    return text[:1].lower() + text[1:]


def check_web_address(value: str) -> str:
    """An http or https address with a host that can be looked up (RFC 3986, RFC 1035). Raises ValueError with a sentence."""
    wrong = ValueError(
        f"“{shortened(value)}” is not a web address that can be reached; write https://, a host and a path"
    )
    try:
        parts = urlsplit(value)
        host = (parts.hostname or "").rstrip(".")
        if (
            parts.scheme not in ("http", "https")
            or not host
            or parts.port == 0
            or not value.isprintable()
            or " " in value
        ):
            raise wrong
        labels = [host] if ":" in host else host.encode("idna").decode().split(".")
    except (ValueError, UnicodeError) as error:
        raise wrong from error
    if not all(0 < len(label) <= 63 for label in labels):
        raise wrong
    return value


class Sender(Model):
    name: Line = ""
    email: Email

    _email = field_validator("email")(check_email)


class Tracking(Model):
    """What is noted of letters: clicks on their links, and that their pictures were loaded (``openings``)."""

    links: bool = True
    openings: bool = False


class Campaign(Model):
    """What is added to web addresses in letters, so that a site's own statistics know where a visit comes from.

    ``campaign``: the letter's key where it is left out.
    """

    source: Annotated[FilledLine, Field(max_length=100)]
    medium: Annotated[Line, Field(max_length=100)] = "email"
    campaign: Annotated[Line, Field(max_length=100)] | None = None


class School(Model):
    """``layout`` is the key of the frame round letters whose course has none of its own."""

    name: Title
    timezone: Zone
    sender: Sender
    reply_to: Email | None = None
    postal_address: Annotated[Text, Field(max_length=2000)] = ""
    login_url: Url | None = None
    posting_hours: PostingHours | None = None
    daily_limit: Annotated[int, Field(ge=1, le=1_000_000)] | None = None
    layout: KeyText | None = None
    signature: Signature | None = None
    tracking: Tracking = Tracking()
    campaign: Campaign | None = None

    def zone_of(self, own: str | None) -> str:
        """The zone of somebody who has given this one, or none: then they are taken to live where the school is."""
        return own or self.timezone

    @field_validator("reply_to")
    @classmethod
    def _reply_to(cls, value: str | None) -> str | None:
        return value if value is None else check_email(value)


class Lesson(Model):
    key: InnerKey
    title: Title
    minutes: Count | None = None
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
    """Whether it waits for the owner, and how it looks.

    ``wording`` stands between the name and the course, ``hours`` are those of study, ``signature`` is a picture,
    ``language`` is of ISO 639: screen readers read the page out in it.
    """

    approval: bool = False
    design: Literal["frame", "band", "corners", "plain"] = "frame"
    heading: Annotated[FilledLine, Field(max_length=60)] = "Certificate"
    before: Annotated[Line, Field(max_length=120)] = "This is to say that"
    wording: Annotated[Line, Field(max_length=200)] = "has finished the course"
    language: Annotated[str, Field(pattern=r"^[a-z]{2,3}$")] = "en"
    hours: Annotated[int, Field(ge=1, le=10_000)] | None = None
    paper: Literal["a4", "letter"] = "a4"
    upright: bool = False
    signature: Url | None = None


class Course(Model):
    """``layout``, ``sender_name`` and ``sender_email`` are for letters about it, before the school's."""

    key: InnerKey
    title: Title
    summary: Annotated[Text, Field(max_length=20_000)] = ""
    url: Url | None = None
    review_url: Url | None = None
    access: SpanField | None = None
    modules: list[Module] = []
    certificate: CertificateRule | None = None
    picture: Url | None = None
    layout: KeyText | None = None
    sender_name: Annotated[Line, Field(max_length=200)] | None = None
    sender_email: Email | None = None

    @field_validator("sender_email")
    @classmethod
    def _sender_email(cls, value: str | None) -> str | None:
        return value if value is None else check_email(value)


class Offer(Model):
    """``url`` is where it can be bought."""

    key: ObjectKey
    title: Title
    price: Money | None = None
    summary: Annotated[Text, Field(max_length=20_000)] = ""
    url: Url | None = None
    picture: Url | None = None
    courses: list[KeyText] = []
    tags: list[TagName] = []
