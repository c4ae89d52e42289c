"""The values of merge fields, bound to a student and the subject of a run."""

from __future__ import annotations

import hashlib
from base64 import b32encode
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Subject
from patient_courier.core.engine.state import StudentState
from patient_courier.core.letters.merge import Value
from patient_courier.core.letters.merge_fields import FIELDS, FREE_PREFIX, About, MergeField
from patient_courier.core.school.courses import Course, Lesson, Module, Offer, Quiz

# Stands for a link that is signed for one delivery when the letter is put together.
LINK_PLACES = {
    "links.preferences": "https://links.invalid/preferences",
    "links.stop": "https://links.invalid/stop",
    "links.view_online": "https://links.invalid/view",
}


@dataclass(frozen=True, slots=True)
class Source:
    """Where the values of one letter come from."""

    definitions: Definitions
    state: StudentState
    subject: Subject | None
    event_at: Instant | None

    def key(self, kind: str) -> str | None:
        return self.subject.get(kind) if self.subject else None


def value(name: str, source: Source) -> Value:
    """The value of one merge field, or None when there is none."""
    if name.startswith(FREE_PREFIX):
        return source.state.student.fields.get(name[len(FREE_PREFIX) :])
    if name in LINK_PLACES:
        return LINK_PLACES[name]
    return _VALUES[name](source)


def certificate_code(seal: str, student: str, course: str) -> str:
    """The code printed on a certificate: the same for the same student and course, and unguessable where the seal is secret."""
    digest = hashlib.sha256(f"{seal}\n{student}\n{course}".encode()).digest()
    code = b32encode(digest[:8]).decode().rstrip("=")
    return f"{code[:4]}-{code[4:8]}-{code[8:12]}"


def certificate_address(site: str, code: str) -> str:
    """Where anybody can see whether a certificate is real."""
    return f"{site.rstrip('/')}/certificate/{code}"


def _full_name(source: Source) -> Value:
    student = source.state.student
    return " ".join(part for part in (student.first_name, student.last_name) if part)


def _progress(source: Source) -> Value:
    key = source.key("course")
    return progress(source.definitions, source.state, key) if key in source.definitions.courses else None


def _next_lesson(name: str) -> Callable[[Source], Value]:
    def found(source: Source) -> Value:
        lesson = next_lesson(source.definitions, source.state, source.key("course"))
        return getattr(lesson, name) if lesson else None

    return found


def next_lesson(definitions: Definitions, state: StudentState, course: str | None) -> Lesson | None:
    """The first lesson that is not completed, in course order."""
    if course not in definitions.courses:
        return None
    for key in definitions.lessons_of(course):
        if key not in state.facts.lessons:
            return definitions.lessons[key]
    return None


def _quiz_record(name: str) -> Callable[[Source], Value]:
    def found(source: Source) -> Value:
        record = source.state.facts.quizzes.get(source.key("quiz") or "")
        return getattr(record, name) if record else None

    return found


def _certificate(source: Source) -> str | None:
    course = source.key("course")
    found = source.state.facts.certificates.get(course or "")
    if course is None or found is None or found.issued is None:
        return None
    return certificate_code(source.definitions.seal, source.state.student.key, course)


def _certificate_url(source: Source) -> Value:
    code = _certificate(source)
    return certificate_address(source.definitions.site, code) if code else None


def _issued_on(source: Source) -> Value:
    found = source.state.facts.certificates.get(source.key("course") or "")
    return found.issued if found else None


def _attribute(field: MergeField) -> Callable[[Source], Value]:
    """A field that is an attribute of the student, the school, or the object it is about."""

    def found(source: Source) -> Value:
        state, definitions = source.state, source.definitions
        of: object
        if field.about is None:
            of = state.student if field.group == "student" else definitions.school
        else:
            of = object_of(definitions, field.about, source.key(field.about))
        held: Value = getattr(of, field.attribute, None)
        return held

    return found


def object_of(
    definitions: Definitions, kind: About, key: str | None
) -> Course | Module | Lesson | Quiz | Offer | None:
    """The object of the school that a field is about; None without one, or when it is no longer there."""
    if key is None:
        return None
    match kind:
        case "course":
            return definitions.courses.get(key)
        case "module":
            return definitions.modules.get(key)
        case "lesson":
            return definitions.lessons.get(key)
        case "quiz":
            return definitions.quizzes.get(key)
        case "offer":
            return definitions.offers.get(key)


# What is no plain attribute.
_COMPUTED: Mapping[str, Callable[[Source], Value]] = {
    "student.full_name": _full_name,
    "course.progress": _progress,
    "next_lesson.title": _next_lesson("title"),
    "next_lesson.url": _next_lesson("url"),
    "quiz.score": _quiz_record("score"),
    "quiz.attempts": _quiz_record("attempts"),
    "certificate.code": _certificate,
    "certificate.url": _certificate_url,
    "certificate.issued_on": _issued_on,
    "school.sender_name": lambda source: source.definitions.school.sender.name,
    "event.at": lambda source: source.event_at,
}
_VALUES = {name: _COMPUTED.get(name) or _attribute(field) for name, field in FIELDS.items()}
