"""Where a student stands who asks for the certificate of a course."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from patient_courier.core.engine.conditions import progress
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.state import StudentState

Standing = Literal["none", "open", "ready", "asked", "issued"]


@dataclass(frozen=True, slots=True)
class Open:
    """A lesson or quiz (by its key) that is not done yet; ``url`` None where the course's outline names no address."""

    kind: Literal["lesson", "quiz"]
    key: str
    title: str
    url: str | None


@dataclass(frozen=True, slots=True)
class Claim:
    """``none``: there is no such certificate for this student; ``open``: the course is not finished; ``ready``: it is, and
    nobody has asked; ``asked``: it waits for the owner; ``issued``: it stands.

    ``progress`` in percent; ``open_`` is what is not done, in the order of the course.
    """

    standing: Standing
    progress: int = 0
    open_: tuple[Open, ...] = ()


def claim(definitions: Definitions, state: StudentState, course: str) -> Claim:
    """Where a student stands with the certificate of a course."""
    found, facts = definitions.courses.get(course), state.facts
    certificate = facts.certificates.get(course)
    if certificate is not None and certificate.issued is not None:
        return Claim("issued", 100)
    if found is None or found.certificate is None or not facts.is_open(course):
        return Claim("none")
    reached = progress(definitions, state, course)
    if certificate is not None and certificate.requested is not None:
        return Claim("asked", reached)
    missing = tuple(what_is_open(definitions, state, course))
    return Claim("open" if missing else "ready", reached, missing)


def what_is_open(definitions: Definitions, state: StudentState, course: str) -> list[Open]:
    """Lessons that are not completed and quizzes that are not passed, in the order of the course."""
    found = []
    for module in definitions.courses[course].modules:
        for lesson in module.lessons:
            if f"{course}/{lesson.key}" not in state.facts.lessons:
                found.append(Open("lesson", f"{course}/{lesson.key}", lesson.title, lesson.url))
        for quiz in module.quizzes:
            record = state.facts.quizzes.get(f"{course}/{quiz.key}")
            if record is None or not record.passed:
                found.append(Open("quiz", f"{course}/{quiz.key}", quiz.title, quiz.url))
    return found
