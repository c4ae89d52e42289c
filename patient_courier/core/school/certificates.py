"""Certificates in the school file: as they were issued, and the keys their credentials are signed with."""

from __future__ import annotations

import hashlib
from typing import Annotated

from pydantic import Field

from patient_courier.core.school.courses import CertificateRule, Count, Url
from patient_courier.core.school.looks import Colour
from patient_courier.core.school.text import KeyText, Line, Text
from patient_courier.core.school.values import Model, Moment, Zone


class Design(Model):
    """Everything printed on a course's certificates but the name, the day and the number, and what was learnt for it.

    ``lessons`` and ``quizzes`` are numbers of them; ``logo`` is a path or web address.
    """

    school: Line
    title: Line
    summary: Text = ""
    modules: list[Line] = []
    lessons: Count = 0
    quizzes: Count = 0
    signed: Line = ""
    zone: Zone
    paper_colour: Colour
    ink: Colour
    soft: Colour
    accent: Colour
    logo: Url | None = None
    rule: CertificateRule

    @property
    def key(self) -> str:
        """A digest: designs that are the same have the same."""
        return hashlib.sha256(self.model_dump_json().encode()).hexdigest()[:32]


class IssuedCertificate(Model):
    """A certificate that was issued: its number, the wish for the name on it, its place in the status list (``place``)."""

    code: Annotated[str, Field(pattern=r"^[A-Z0-9]{4}-[A-Z0-9]{4}-[A-Z0-9]{4}$")]
    student: KeyText
    course: KeyText
    name: Line | None = None
    issued: Moment
    taken_back: bool = False
    place: Annotated[int, Field(ge=0, le=2**53)]
    design: Design


class SigningKeyInFile(Model):
    """A key credentials are signed with. ``public`` is a Multikey, ``private`` the 32 bytes of it in Base64 (URL-safe).

    ``distrusted`` is from when what it signed counts for nothing.
    """

    number: Annotated[int, Field(ge=1, le=1_000_000)]
    made: Moment
    public: Annotated[str, Field(pattern=r"^z[1-9A-HJ-NP-Za-km-z]{40,60}$")]
    private: Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{43}=$")] | None = None
    distrusted: Moment | None = None
