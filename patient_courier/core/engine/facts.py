"""What is known about one student; an event goes in, facts change.

Facts take the event's own time, so that late and disordered reports end up
where they belong. What changed is noted in ``changed``, for whoever stores it.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from whenever import Instant

OPEN = ("active", "completed")
ACTIVITY = frozenset({"enrolled", "lesson_started", "lesson_watched", "lesson_completed", "quiz_taken"})


@dataclass(slots=True)
class Enrolment:
    """The enrolment of a student in a course that counts now."""

    course: str
    via: str
    began: Instant
    offer: str | None = None
    refunded: Instant | None = None
    expired: Instant | None = None


@dataclass(slots=True)
class QuizRecord:
    attempts: int
    score: float
    last: Instant
    passed: Instant | None = None


@dataclass(slots=True)
class Purchase:
    offer: str
    at: Instant
    refunded: Instant | None = None
    order: str | None = None


@dataclass(slots=True)
class Certificate:
    requested: Instant | None = None
    issued: Instant | None = None


@dataclass(frozen=True, slots=True)
class Sent:
    """A letter to the student that was sent, by a run or by a broadcast about ``course``."""

    letter: str
    purpose: str
    at: Instant
    run: int | None = None
    course: str | None = None


@dataclass(slots=True)
class Facts:
    """Everything known about one student. Keys of modules, lessons and quizzes are full references."""

    news: bool = False
    bounced: bool = False
    complained: bool = False
    first_event: Instant | None = None
    enrolments: dict[str, Enrolment] = field(default_factory=dict)
    purchases: list[Purchase] = field(default_factory=list)
    lessons: dict[str, Instant] = field(default_factory=dict)
    modules: dict[str, Instant] = field(default_factory=dict)
    courses: dict[str, Instant] = field(default_factory=dict)
    watched: dict[str, float] = field(default_factory=dict)
    quizzes: dict[str, QuizRecord] = field(default_factory=dict)
    certificates: dict[str, Certificate] = field(default_factory=dict)
    tags: dict[str, None] = field(default_factory=dict)
    help_stopped: set[str] = field(default_factory=set)
    activity: dict[str, Instant] = field(default_factory=dict)
    opened: dict[str, Instant] = field(default_factory=dict)
    clicked: dict[str, Instant] = field(default_factory=dict)
    sent: list[Sent] = field(default_factory=list)
    changed: set[tuple[str, str]] = field(default_factory=set)

    def status(self, course: str) -> str | None:
        """refunded, expired, completed, preview or active; None without an enrolment."""
        found = self.enrolments.get(course)
        if found is None:
            return None
        if found.refunded:
            return "refunded"
        if found.expired:
            return "expired"
        if course in self.courses:
            return "completed"
        return "preview" if found.via == "preview" else "active"

    def is_open(self, course: str) -> bool:
        """Whether the student is in the course as a customer: active or completed, not a preview."""
        found = self.enrolments.get(course)
        return found is not None and found.via != "preview" and self.status(course) in OPEN

    def may_enrol(self, course: str, via: str) -> bool:
        """Whether a new enrolment would begin."""
        found = self.enrolments.get(course)
        if found is None or found.refunded or found.expired:
            return True
        return found.via == "preview" and via != "preview"

    def bought(self, offer: str | None = None) -> list[Purchase]:
        """Purchases that are not refunded, of one offer or of any."""
        return [p for p in self.purchases if p.refunded is None and offer in (None, p.offer)]

    @property
    def seen(self) -> Instant | None:
        """The last activity in any course; None before the first."""
        return max(self.activity.values(), default=None)

    def last_seen(self, course: str) -> Instant:
        """The last activity in a course the student has an enrolment in; enrolling counts."""
        began = self.enrolments[course].began
        return max(began, self.activity.get(course, began))

    def mark(self, kind: str, key: str = "") -> None:
        self.changed.add((kind, key))
