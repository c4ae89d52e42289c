"""The school file as a whole."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, field_validator

from patient_courier.core.school.courses import Course, Email, Offer, School, check_email
from patient_courier.core.school.events import Event
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.school.values import Key, Model, Moment, TagName, Zone

FieldValue = str | int | float | bool | None


class Student(Model):
    key: Key
    email: Email
    first_name: str | None = ""
    last_name: str | None = ""
    timezone: Zone | None = None
    news: bool = False
    tags: list[TagName] = []
    fields: dict[str, FieldValue] = {}

    _email = field_validator("email")(check_email)


class SchoolFile(Model):
    """Everything a school is: who it is, what it teaches and posts, who learns there and what happened."""

    format: Literal["patient-courier.school"]
    version: Literal[1]
    about: str | None = None
    school: School
    courses: list[Course] = []
    offers: list[Offer] = []
    letters: list[Letter] = []
    sequences: list[Sequence] = []
    students: list[Student] = []
    events: list[Event] = []
    until: Annotated[Moment | None, Field()] = None
