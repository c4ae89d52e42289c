"""The merge fields, each once: what it is called, what it is about, and who decides whether it has a value.

A new field is one row here and, where it is no plain attribute of an object, one function in ``engine/fields.py``.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

FREE_PREFIX = "student.fields."
# Objects of the school that a run can be about; ``course`` also what a broadcast can be about.
About = Literal["course", "module", "lesson", "quiz", "offer"]
# Who decides whether there is a value: nobody (it always has one), the school in its settings, the school where it
# describes the object, the student's record, the certificate (once it is issued), how the student stands.
Empty = Literal["never", "school", "object", "student", "certificate", "standing"]


@dataclass(frozen=True, slots=True)
class MergeField:
    """One merge field. ``about``: the kind of object without which it can't be filled; ``fallback``: what one writes instead."""

    name: str
    words: str
    about: About | None
    empty: Empty
    fallback: str = "…"

    @property
    def group(self) -> str:
        return self.name.partition(".")[0]

    @property
    def attribute(self) -> str:
        return self.name.partition(".")[2]


_ALL = (
    MergeField("student.first_name", "first name", None, "student", "there"),
    MergeField("student.last_name", "last name", None, "student", "there"),
    MergeField("student.full_name", "full name", None, "student", "there"),
    MergeField("student.email", "email", None, "never"),
    MergeField("course.title", "course title", "course", "never"),
    MergeField("course.summary", "course summary", "course", "object"),
    MergeField("course.url", "course url", "course", "object"),
    MergeField("course.review_url", "course review url", "course", "object"),
    MergeField("course.progress", "course progress", "course", "standing"),
    MergeField("module.title", "module title", "module", "never"),
    MergeField("lesson.title", "lesson title", "lesson", "never"),
    MergeField("lesson.url", "lesson url", "lesson", "object"),
    MergeField("lesson.minutes", "lesson minutes", "lesson", "object"),
    MergeField("next_lesson.title", "next lesson title", "course", "standing"),
    MergeField("next_lesson.url", "next lesson url", "course", "standing"),
    MergeField("quiz.title", "quiz title", "quiz", "never"),
    MergeField("quiz.score", "quiz score", "quiz", "standing"),
    MergeField("quiz.pass_mark", "quiz pass mark", "quiz", "object"),
    MergeField("quiz.attempts", "quiz attempts", "quiz", "standing"),
    MergeField("quiz.url", "quiz url", "quiz", "object"),
    MergeField("offer.title", "offer title", "offer", "never"),
    MergeField("offer.price", "offer price", "offer", "object"),
    MergeField("certificate.code", "certificate code", "course", "certificate"),
    MergeField("certificate.url", "certificate url", "course", "certificate"),
    MergeField("certificate.issued_on", "certificate issued on", "course", "certificate"),
    MergeField("school.name", "school name", None, "never"),
    MergeField("school.sender_name", "school sender name", None, "school"),
    MergeField("school.postal_address", "school postal address", None, "school"),
    MergeField("school.login_url", "school login url", None, "school"),
    MergeField("links.preferences", "links preferences", None, "never"),
    MergeField("links.stop", "links stop", None, "never"),
    MergeField("links.view_online", "links view online", None, "never"),
    MergeField("event.at", "event at", None, "never"),
)
FIELDS = {field.name: field for field in _ALL}


def known_field(name: str) -> MergeField | None:
    """The merge field of this name, one of the school's own (``student.fields.…``) too; None when there is none."""
    own = name.removeprefix(FREE_PREFIX)
    if own != name and own:
        return MergeField(name, own.replace("_", " "), None, "student")
    return FIELDS.get(name)


def field_words(name: str) -> str:
    """A merge field as the screen names it: ``first name``, ``course title``; its name when there is none such."""
    found = known_field(name)
    return found.words if found else name.replace(".", " ").replace("_", " ")
