"""What happens to students, in the order in which it does, and where most schools say something."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.values import THIS
from patient_courier.core.telling import words

# A day that the owner sets: broadcasts, and steps with a date.
DAY: Final = "day"


@dataclass(frozen=True, slots=True)
class Occasion:
    """Something that happens, by the type of its event. ``rare``: shown only where somebody hears of it. ``student`` and
    ``owner``: why most schools tell them (common practice, no source); ``starter``: what a letter for it begins from."""

    kind: str
    title: str
    rare: bool = False
    student: str = ""
    owner: str = ""
    starter: str = ""


OCCASIONS: Final = (
    Occasion("signed_up", "Signed up with a form", starter="sign-up-course"),
    Occasion("purchased", "Bought", student="how to get in", starter="welcome-week"),
    Occasion("enrolled", "Enrolled", student="how to get in and where to begin", starter="welcome-week"),
    Occasion("unlocking", "Module opens", starter="unlocking"),
    Occasion("lesson_started", "Lesson begun", rare=True),
    Occasion("lesson_watched", "Lesson watched in part", rare=True),
    Occasion("lesson_completed", "Lesson finished"),
    Occasion("quiz_taken", "Quiz taken", rare=True),
    Occasion("quiz_failed", "Quiz failed", student="what to look at again", starter="quiz-help"),
    Occasion("quiz_passed", "Quiz passed"),
    Occasion(
        "module_completed", "Module finished", student="that they come along", starter="module-check-ins"
    ),
    Occasion("inactive", "Silent", student="where to go on", starter="nudges"),
    Occasion("course_completed", "Course finished", student="well done"),
    Occasion("certificate_requested", "Certificate asked for", owner="that it waits for you"),
    Occasion("certificate_approved", "Certificate approved", rare=True),
    Occasion("certificate_issued", "Certificate ready", student="where it is", starter="course-completed"),
    Occasion("certificate_revoked", "Certificate taken back", rare=True),
    Occasion("access_ending", "Access is about to end", student="until when", starter="access-ending"),
    Occasion("refunded", "Paid back", owner="who left, and from what"),
    Occasion("tag_added", "Tag given"),
    Occasion("tag_removed", "Tag taken off", rare=True),
    Occasion("letter_opened", "Letter opened", rare=True),
    Occasion("link_clicked", "Link followed", rare=True),
    Occasion("answered", "Answered a letter", owner="what they said"),
    Occasion("signed_in", "Signed in", rare=True),
    Occasion("news_stopped", "Stopped the news"),
    Occasion("course_help_stopped", "Stopped help with a course"),
    Occasion("bounced", "A letter came back", owner="whose address does not work"),
    Occasion("complained", "Reported a letter as unwanted", owner="who it was"),
    Occasion(DAY, "On a day that you set"),
)
BY_KIND: Final[Mapping[str, Occasion]] = {one.kind: one for one in OCCASIONS}
# What happens in a course; the rest happens to a student as such.
IN_COURSE: Final = frozenset(
    [
        "purchased", "enrolled", "unlocking", "lesson_started", "lesson_watched", "lesson_completed", "quiz_taken",
        "quiz_failed", "quiz_passed", "module_completed", "inactive", "course_completed", "certificate_requested",
        "certificate_approved", "certificate_issued", "certificate_revoked", "access_ending", "refunded",
        "course_help_stopped",
    ]
)  # fmt: skip


def can_happen(definitions: Definitions, kind: str, course: str | None) -> bool:
    """Whether it can in this course (None: in any of the school): no quiz is failed where there is none."""
    courses = [definitions.courses[course]] if course else list(definitions.courses.values())
    match kind:
        case "quiz_failed" | "quiz_passed" | "quiz_taken":
            return any(module.quizzes for one in courses for module in one.modules)
        case "unlocking":
            return any(module.unlocks for one in courses for module in one.modules)
        case "access_ending":
            return any(one.access for one in courses)
        case "certificate_requested":
            return any(one.certificate and one.certificate.approval for one in courses)
        case "certificate_issued" | "certificate_approved" | "certificate_revoked":
            return any(one.certificate for one in courses)
        case "purchased" | "refunded":
            keys = {one.key for one in courses}
            return any(keys & set(offer.courses) for offer in definitions.offers.values())
        case _:
            return bool(courses) if kind in IN_COURSE else course is None


def concerns(definitions: Definitions, matcher: Matcher, course: str | None, *, inside: bool) -> bool:
    """Whether what a matcher waits for may be in this course; without one, all may.

    ``inside``: whether the run has begun there, which is what ``this`` means.
    """
    if course is None:
        return True
    if matcher.on not in IN_COURSE:
        return False
    wanted = dict(matcher.selectors())
    if THIS in wanted.values() and not inside:
        return False
    if wanted.get("course") not in (None, THIS, course):
        return False
    if isinstance(wanted.get("offer"), str) and wanted["offer"] != THIS:
        gives = definitions.offers.get(wanted["offer"])
        return gives is not None and course in gives.courses
    inner = wanted.get("lesson") or wanted.get("quiz") or wanted.get("module")
    return inner is None or inner == THIS or str(inner).partition("/")[0] == course


def narrowed(definitions: Definitions, matcher: Matcher, within: str | None) -> str:
    """What a matcher asks for beyond its kind, in words: ``quiz “Mites”``; nothing where any will do.

    ``within``: the course that is looked at, which needs no naming.
    """
    wanted: dict[str, Any] = dict(matcher.selectors())
    found = []
    for kind in ("lesson", "quiz", "module"):
        if kind in wanted:
            named = (
                f"this {kind}"
                if wanted[kind] == THIS
                else f"“{words.title(definitions, kind, wanted[kind])}”"
            )
            found.append(named)
            break
    else:
        if wanted.get("offer") not in (None, THIS):
            found.append(words.title(definitions, "offer", wanted["offer"]))
        elif wanted.get("course") not in (None, THIS, within):
            found.append(words.title(definitions, "course", wanted["course"]))
    for name in ("for_", "ahead"):
        if wanted.get(name) is not None:
            found.append(f"{'for' if name == 'for_' else 'in'} {words.span(wanted[name].value)}")
    for name in ("tag", "answer", "form", "link"):
        if wanted.get(name):
            found.append(f"“{wanted[name]}”")
    if wanted.get("letter"):
        ready = definitions.letters.get(wanted["letter"])
        found.append(f"“{ready.letter.called if ready else wanted['letter']}”")
    if wanted.get("percent") is not None:
        found.append(f"{wanted['percent']:g}%")
    return ", ".join(found)
