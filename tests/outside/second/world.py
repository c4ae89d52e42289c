"""What the second engine knows: the school as plain dicts, and the facts of one student."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from tests.outside.second.moments import local, plus

Plain = dict[str, Any]


class School:
    def __init__(self, file: Plain) -> None:
        self.file = file
        self.zone = file["school"]["timezone"]
        self.courses = {one["key"]: one for one in file["courses"]}
        self.offers = {one["key"]: one for one in file["offers"]}
        self.letters = {one["key"]: one for one in file["letters"]}
        self.sequences = {one["key"]: one for one in file["sequences"]}
        self.modules: dict[str, Plain] = {}
        self.lessons: dict[str, Plain] = {}
        self.quizzes: dict[str, Plain] = {}
        self.above: dict[str, tuple[str, str]] = {}  # a lesson or quiz: its module and course
        for course in file["courses"]:
            for module in course["modules"]:
                name = f"{course['key']}/{module['key']}"
                self.modules[name] = module
                for kind, found in (("lessons", self.lessons), ("quizzes", self.quizzes)):
                    for one in module.get(kind, []):
                        found[f"{course['key']}/{one['key']}"] = one
                        self.above[f"{course['key']}/{one['key']}"] = (name, course["key"])

    def inner(self, kind: str, course: str, module: str | None = None) -> list[str]:
        found = self.lessons if kind == "lesson" else self.quizzes
        return [key for key in found if self.above[key][1] == course and module in (None, self.above[key][0])]

    def only_course(self, offer: str) -> str | None:
        given = self.offers[offer]["courses"]
        return given[0] if len(given) == 1 else None

    def names(self, what: Plain) -> Plain:
        """An event's objects, completed by what lies above them."""
        found = {
            k: what[k] for k in ("course", "module", "lesson", "quiz", "offer", "tag", "letter") if k in what
        }
        inner = found.get("lesson") or found.get("quiz")
        if inner:
            found["module"], found["course"] = self.above[inner]
        elif "module" in found:
            found["course"] = found["module"].split("/")[0]
        elif "offer" in found and self.only_course(found["offer"]):
            found["course"] = self.only_course(found["offer"])
        return found


@dataclass
class Enrolment:
    began: datetime
    via: str
    offer: str | None
    refunded: bool = False
    expired: bool = False
    silences: set[tuple[str, datetime]] = field(default_factory=set)
    ahead: set[tuple[str, str, str]] = field(default_factory=set)


class Facts:
    def __init__(self, school: School, student: Plain) -> None:
        self.school = school
        self.student = student
        self.zone = student.get("timezone") or school.zone
        self.enrolments: dict[str, Enrolment] = {}
        self.active_at: dict[str, datetime] = {}
        self.bought: dict[str, datetime] = {}
        self.done: set[tuple[str, str]] = set()  # ("lesson", key), ("module", key), ("course", key)
        self.watched: dict[str, float] = {}
        self.scores: dict[str, list[float]] = {}
        self.passed: set[str] = set()
        self.requested: set[str] = set()
        self.issued: set[str] = set()
        self.tags = list(student.get("tags", []))
        self.news = student.get("news", False)
        self.no_help: set[str] = set()
        self.bounced = self.complained = False
        self.touched: dict[tuple[str, str], datetime] = {}  # ("opened" | "clicked", letter)
        self.sent: list[tuple[datetime, str]] = []
        self.sent_by: dict[str, Any] = {}  # a letter: the run that sent it last
        self.first: datetime | None = None

    def status(self, course: str) -> str | None:
        found = self.enrolments.get(course)
        if found is None:
            return None
        if found.refunded:
            return "refunded"
        if found.expired:
            return "expired"
        if ("course", course) in self.done:
            return "completed"
        return "preview" if found.via == "preview" else "active"

    def is_open(self, course: str) -> bool:
        """Clock events, certificates: active or completed, and more than a preview."""
        return self.status(course) in ("active", "completed") and self.enrolments[course].via != "preview"

    def may_enrol(self, course: str, via: str) -> bool:
        if self.status(course) in (None, "refunded", "expired"):
            return True
        return self.enrolments[course].via == "preview" and via != "preview"

    def enrol(self, course: str, via: str, offer: str | None, at: datetime) -> None:
        self.enrolments[course] = Enrolment(at, via, offer)
        self.active_at[course] = at

    def refund(self, offer: str) -> None:
        self.bought.pop(offer, None)
        for course, found in self.enrolments.items():
            if found.offer == offer and not found.refunded:
                others = [o for o in self.bought if course in self.school.offers[o]["courses"]]
                if others:
                    found.offer = others[0]
                else:
                    found.refunded = True

    def progress(self, course: str) -> int:
        lessons, quizzes = (self.school.inner(kind, course) for kind in ("lesson", "quiz"))
        all_of = len(lessons) + len(quizzes)
        done = sum(("lesson", key) in self.done for key in lessons) + sum(k in self.passed for k in quizzes)
        return 100 * done // all_of if all_of else 0

    def complete(self, course: str, module: str) -> bool:
        lessons, quizzes = (self.school.inner(kind, course, module) for kind in ("lesson", "quiz"))
        return all(("lesson", key) in self.done for key in lessons) and all(k in self.passed for k in quizzes)

    def silent_since(self, course: str) -> datetime | None:
        if self.status(course) != "active":
            return None
        return self.active_at[course]

    def recently(self, when: datetime | None, within: str | None, now: datetime) -> bool:
        return when is not None and (within is None or plus(when, within, self.zone) >= now)

    def local_date(self, moment: datetime) -> str:
        return local(moment, self.zone).date().isoformat()
