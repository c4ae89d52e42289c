"""What a school file or a school has, by key, to say what is missing; and a fault."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import Course
from patient_courier.core.school.file import SchoolFile

_WORDS = {
    "course": "course",
    "module": "module",
    "lesson": "lesson",
    "quiz": "quiz",
    "offer": "offer",
    "letter": "letter",
    "sequence": "sequence",
    "student": "student",
    "layout": "layout",
}


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong: the JSON pointer of its place (RFC 6901) and a sentence."""

    pointer: str
    sentence: str


class Known:
    """The keys a school has, by kind."""

    def __init__(
        self,
        courses: Iterable[Course],
        offers: Iterable[str],
        letters: Iterable[str],
        sequences: Iterable[str],
        students: Iterable[str] | None = None,
        layouts: Iterable[str] = (),
    ) -> None:
        """``students`` None: who is a student can't be told here, so any key may be one."""
        courses = list(courses)
        inner = [(course, module) for course in courses for module in course.modules]
        self.keys: dict[str, set[str]] = {
            "course": {course.key for course in courses},
            "module": {f"{course.key}/{module.key}" for course, module in inner},
            "lesson": {f"{course.key}/{x.key}" for course, module in inner for x in module.lessons},
            "quiz": {f"{course.key}/{x.key}" for course, module in inner for x in module.quizzes},
            "offer": set(offers),
            "letter": set(letters),
            "sequence": set(sequences),
            "layout": set(layouts),
        }
        if students is not None:
            self.keys["student"] = set(students)

    @classmethod
    def of_file(cls, file: SchoolFile) -> Known:
        return cls(
            file.courses,
            (offer.key for offer in file.offers),
            (letter.key for letter in file.letters),
            (sequence.key for sequence in file.sequences),
            (student.key for student in file.students),
            (layout.key for layout in file.layouts),
        )

    @classmethod
    def of_definitions(cls, definitions: Definitions) -> Known:
        return cls(
            definitions.courses.values(),
            definitions.offers,
            definitions.letters,
            definitions.sequences,
            layouts=definitions.layouts,
        )

    def missing(self, pointer: str, kind: str, key: str | None, *also: str) -> Iterator[Fault]:
        if key is not None and key not in also and kind in self.keys and key not in self.keys[kind]:
            unchosen = f"no {_WORDS[kind]} is chosen here yet"
            yield Fault(pointer, f"there is no {_WORDS[kind]} “{key}” in this school" if key else unchosen)
