"""What is known about one student; an event goes in, facts change.

Facts take the event's own time, so that late and disordered reports end up
where they belong. What changed is noted in ``changed``, for whoever stores it.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening

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


def learn(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    """Let an event change the facts.

    Returns False when the event is a repetition or not possible: then it is
    none, changes nothing and starts nothing.
    """
    rule = _RULES.get(what.type)
    if rule is not None and not rule(facts, what, definitions):
        return False
    if what.type in ACTIVITY:
        course = what.names["course"]
        before = facts.activity.get(course)
        if before is None or before < what.at:
            facts.activity[course] = what.at
            facts.mark("activity", course)
    return True


def note_first_event(facts: Facts, at: Instant) -> None:
    """Remember the student's earliest event."""
    if facts.first_event is None or at < facts.first_event:
        facts.first_event = at
        facts.mark("person")


def _purchased(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.purchases.append(Purchase(what.names["offer"], what.at, order=what.names.get("order")))
    facts.mark("purchases")
    return True


def _refunded(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    offer = what.names["offer"]
    for purchase in facts.bought(offer):
        if purchase.at <= what.at:
            purchase.refunded = what.at
            facts.mark("purchases")
    for enrolment in facts.enrolments.values():
        if enrolment.offer == offer and not enrolment.refunded:
            others = [p.offer for p in facts.bought() if enrolment.course in _courses(definitions, p.offer)]
            if others:
                enrolment.offer = others[0]
            else:
                enrolment.refunded = what.at
            facts.mark("enrolment", enrolment.course)
    return True


def _courses(definitions: Definitions, offer: str) -> list[str]:
    found = definitions.offers.get(offer)
    return found.courses if found else []


def _enrolled(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    course, via = what.names["course"], what.names["via"]
    if not facts.may_enrol(course, via):
        return False
    facts.enrolments[course] = Enrolment(course, via, what.at, offer=what.names.get("by_offer"))
    facts.mark("enrolment", course)
    return True


def _lesson_completed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    lesson = what.names["lesson"]
    if lesson in facts.lessons:
        return False
    facts.lessons[lesson] = what.at
    facts.mark("lesson", lesson)
    return True


def _lesson_watched(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    lesson, percent = what.names["lesson"], what.names["percent"]
    if percent > facts.watched.get(lesson, -1):
        facts.watched[lesson] = percent
        facts.mark("lesson", lesson)
    return True


def _quiz_taken(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    quiz, score = what.names["quiz"], what.names["score"]
    record = facts.quizzes.setdefault(quiz, QuizRecord(0, score, what.at))
    record.attempts += 1
    if what.at >= record.last:
        record.score, record.last = score, what.at
    if score >= definitions.quizzes[quiz].pass_mark and (record.passed is None or what.at < record.passed):
        record.passed = what.at
    facts.mark("quiz", quiz)
    return True


def _module_completed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.modules[what.names["module"]] = what.at
    facts.mark("module", what.names["module"])
    return True


def _course_completed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.courses[what.names["course"]] = what.at
    facts.mark("course", what.names["course"])
    return True


def _tag_added(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return add_tag(facts, what.names["tag"])


def _tag_removed(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return remove_tag(facts, what.names["tag"])


def add_tag(facts: Facts, tag: str) -> bool:
    """Put a tag on; False when it was there."""
    if tag in facts.tags:
        return False
    facts.tags[tag] = None
    facts.mark("tag", tag)
    return True


def remove_tag(facts: Facts, tag: str) -> bool:
    """Take a tag off; False when it was not there."""
    if tag not in facts.tags:
        return False
    del facts.tags[tag]
    facts.mark("tag", tag)
    return True


def may_certify(facts: Facts, course: str) -> bool:
    """Whether a certificate can still be issued: an open enrolment, and none issued before."""
    found = facts.certificates.get(course)
    return facts.is_open(course) and not (found and found.issued)


def request_certificate(facts: Facts, course: str, at: Instant) -> bool:
    """Note a request; False when there was one, or can be none."""
    found = facts.certificates.get(course)
    if not may_certify(facts, course) or (found and found.requested):
        return False
    facts.certificates[course] = Certificate(requested=at)
    facts.mark("certificate", course)
    return True


def issue_certificate(facts: Facts, course: str, at: Instant) -> bool:
    """Note that a certificate is issued; False when there was one, or can be none."""
    if not may_certify(facts, course):
        return False
    facts.certificates.setdefault(course, Certificate()).issued = at
    facts.mark("certificate", course)
    return True


def _certificate_approved(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    found = facts.certificates.get(what.names["course"])
    return found is not None and found.requested is not None and found.issued is None


def _certificate_requested(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return request_certificate(facts, what.names["course"], what.at)


def _certificate_issued(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    return issue_certificate(facts, what.names["course"], what.at)


def _certificate_revoked(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    found = facts.certificates.get(what.names["course"])
    if found is None or found.issued is None:
        return False
    # What was requested before is void with it.
    facts.certificates[what.names["course"]] = Certificate()
    facts.mark("certificate", what.names["course"])
    return True


def _news_stopped(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.news = False
    facts.mark("person")
    return True


def _help_stopped(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.help_stopped.add(what.names["course"])
    facts.mark("help_stop", what.names["course"])
    return True


def _bounced(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    if what.names["hard"]:
        facts.bounced = True
        facts.mark("person")
    return True


def _complained(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    facts.complained = True
    facts.mark("person")
    return True


def _letter_opened(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    letter = what.names["letter"]
    facts.opened[letter] = max(what.at, facts.opened.get(letter, what.at))
    facts.mark("reading", letter)
    return True


def _link_clicked(facts: Facts, what: Happening, definitions: Definitions) -> bool:
    letter = what.names["letter"]
    facts.clicked[letter] = max(what.at, facts.clicked.get(letter, what.at))
    facts.mark("reading", letter)
    return True


_RULES = {
    "purchased": _purchased,
    "refunded": _refunded,
    "enrolled": _enrolled,
    "lesson_completed": _lesson_completed,
    "lesson_watched": _lesson_watched,
    "quiz_taken": _quiz_taken,
    "module_completed": _module_completed,
    "course_completed": _course_completed,
    "tag_added": _tag_added,
    "tag_removed": _tag_removed,
    "certificate_approved": _certificate_approved,
    "certificate_requested": _certificate_requested,
    "certificate_issued": _certificate_issued,
    "certificate_revoked": _certificate_revoked,
    "news_stopped": _news_stopped,
    "course_help_stopped": _help_stopped,
    "bounced": _bounced,
    "complained": _complained,
    "letter_opened": _letter_opened,
    "link_clicked": _link_clicked,
}
