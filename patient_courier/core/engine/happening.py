"""What happened, as the engine sees it: an event with every object it concerns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import Event

# Narrowest first: what a run's subject is called after.
SUBJECT_KINDS = ("quiz", "lesson", "module", "course", "offer", "tag")


@dataclass(slots=True)
class Happening:
    """One event, reported or derived. Nobody changes one; it is not frozen, since so many are made.

    ``names`` holds its fields and the objects around them: a lesson brings its
    module and course, an offer that gives one course brings that course.
    """

    type: str
    at: Instant
    names: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Subject:
    """What a run is about: the narrowest object its starting event names, with what lies around it."""

    kind: str
    key: str
    objects: tuple[tuple[str, str], ...]

    def get(self, name: str) -> str | None:
        for kind, key in self.objects:
            if kind == name:
                return key
        return None


def course_of(subject: Subject | None) -> str | None:
    """The course that a run is about; None when it is about none."""
    return subject.get("course") if subject else None


def happening(definitions: Definitions, type: str, at: Instant, names: Mapping[str, Any]) -> Happening:
    """Put the objects around an event's own into its names."""
    found = dict(names)
    inner = found.get("lesson") or found.get("quiz")
    if inner and "module" not in found:
        found["module"] = definitions.module_of.get(inner)
    inside = inner or found.get("module")
    if inside and "course" not in found:
        found["course"] = inside.partition("/")[0]
    if "offer" in found and "course" not in found:
        course = definitions.course_of_offer(found["offer"])
        if course:
            found["course"] = course
    return Happening(type, at, found)


def of_event(definitions: Definitions, event: Event) -> Happening:
    """A reported event as a happening."""
    return happening(definitions, event.type, event.at, event.names())


def subject_of(what: Happening) -> Subject | None:
    """The subject of a run that this event starts, or None when it names no object."""
    objects = tuple((kind, what.names[kind]) for kind in SUBJECT_KINDS if what.names.get(kind))
    return Subject(objects[0][0], objects[0][1], objects) if objects else None
