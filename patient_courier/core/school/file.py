"""The school file as a whole."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.certificates import IssuedCertificate, SigningKeyInFile
from patient_courier.core.school.courses import Course, Email, Offer, School, check_email
from patient_courier.core.school.events import Event
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import Layout
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.text import FilledLine, KeyText, Line, Text
from patient_courier.core.school.values import Key, Model, Moment, TagName, Zone

# Whole numbers as far as JSON's other readers keep them exact (RFC 8259 section 6).
FieldValue = Text | Annotated[int, Field(ge=-(2**53), le=2**53)] | float | bool | None
FieldName = Annotated[FilledLine, Field(max_length=200)]


class Student(Model):
    key: Key
    email: Email
    first_name: Line | None = ""
    last_name: Line | None = ""
    timezone: Zone | None = None
    news: bool = False
    tags: list[TagName] = []
    fields: dict[FieldName, FieldValue] = {}

    _email = field_validator("email")(check_email)


class Picture(Model):
    """A picture that was uploaded; ``data`` is Base64 (RFC 4648 section 4). Letters name it by the path ``/pictures/{key}``."""

    key: Annotated[str, Field(pattern=r"^[0-9a-f]{32}\.(png|jpg)$")]
    name: Annotated[Line, Field(max_length=200)] = ""
    data: Annotated[str, Field(max_length=20_000_000)]


class Words(Model):
    """What a student wrote after an answer: ``value`` is what the answer counts, ``done`` when the owner is through with it."""

    student: KeyText
    letter: KeyText
    course: KeyText | None = None
    answer: KeyText
    value: Annotated[int, Field(ge=1, le=5)] | None = None
    words: Annotated[Text, Field(max_length=5000)]
    at: Moment
    done: bool = False


class SchoolFile(Model):
    """Everything a school is: who it is, what it teaches and posts, who learns there and what happened.

    ``void_places`` are those of certificates that were taken back and whose students are known no more; ``seal`` is what numbers of certificates are made with, so that those of a school that is made again stay the same.
    """

    format: Literal["patient-courier.school"]
    version: Literal[1]
    about: Text | None = None
    school: School
    courses: list[Course] = []
    offers: list[Offer] = []
    letters: list[Letter] = []
    sequences: list[Sequence] = []
    broadcasts: list[Broadcast] = []
    students: list[Student] = []
    events: list[Event] = []
    layouts: list[Layout] = []
    pictures: list[Picture] = []
    certificates: list[IssuedCertificate] = []
    void_places: list[Annotated[int, Field(ge=0, le=2**53)]] = []
    seal: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")] | None = None
    signing_keys: list[SigningKeyInFile] = []
    words: list[Words] = []
    until: Annotated[Moment | None, Field()] = None
