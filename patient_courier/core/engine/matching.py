"""Whether a matcher picks an event, and whether what it asks for already holds."""

from __future__ import annotations

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.derive import quiz_passed
from patient_courier.core.engine.facts import Facts
from patient_courier.core.engine.happening import Happening, Subject
from patient_courier.core.school.events import Matcher, OnEnrolled, OnLessonWatched, OnOffer
from patient_courier.core.school.values import THIS, Span

_NOTHING = Duration()


def matches(matcher: Matcher, what: Happening, subject: Subject | None) -> bool:
    """Whether the matcher picks this event, for a run with this subject."""
    if matcher.on != what.type:
        return False
    names = what.names
    for name, wanted in matcher.selectors().items():
        if name == "via":
            if names["via"] not in wanted:
                return False
        elif name == "percent":
            if not names.get("percent_before", -1) < wanted <= names["percent"]:
                return False
        elif isinstance(wanted, Span):
            if names["span"] != wanted.value:
                return False
        else:
            if wanted == THIS:
                wanted = subject.get(name) if subject else None
            if wanted is None or names.get(name) != wanted:
                return False
    return what.type not in ("unlocking", "access_ending") or _has_ahead(matcher) or names["span"] == _NOTHING


def _has_ahead(matcher: Matcher) -> bool:
    return getattr(matcher, "ahead", None) is not None


def holds_already(
    matcher: Matcher, facts: Facts, subject: Subject | None, definitions: Definitions
) -> bool | None:
    """Whether a matcher already holds as a fact; None when it does not ask for a state.

    A selector left out holds when any object fulfils it.
    """
    wanted = matcher.selectors()
    for name, value in wanted.items():
        if value == THIS:
            found = subject.get(name) if subject else None
            if found is None:
                return False if matcher.on in _STATES else None
            wanted[name] = found
    state = _STATES.get(matcher.on)
    return state(matcher, wanted, facts, definitions) if state else None


def _within(wanted: dict[str, str], definitions: Definitions, key: str) -> bool:
    """Whether a lesson, quiz or module lies in the module and course that are asked for."""
    module = definitions.module_of.get(key, key)
    return wanted.get("module") in (None, module) and wanted.get("course") in (None, key.partition("/")[0])


def _lesson(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    return any(
        wanted.get("lesson") in (None, key) and _within(wanted, definitions, key) for key in facts.lessons
    )


def _watched(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool | None:
    assert isinstance(matcher, OnLessonWatched)
    if matcher.percent is None:  # every report is an event of its own, not a state
        return None
    return any(
        percent >= matcher.percent
        and wanted.get("lesson") in (None, key)
        and _within(wanted, definitions, key)
        for key, percent in facts.watched.items()
    )


def _quiz(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    return any(
        quiz_passed(facts, key) and wanted.get("quiz") in (None, key) and _within(wanted, definitions, key)
        for key in facts.quizzes
    )


def _module(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    return any(
        wanted.get("module") in (None, key) and _within(wanted, definitions, key) for key in facts.modules
    )


def _course(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    return any(wanted.get("course") in (None, key) for key in facts.courses)


def _enrolled(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    assert isinstance(matcher, OnEnrolled)
    return any(
        wanted.get("course") in (None, key)
        and facts.status(key) in ("active", "completed", "preview")
        and enrolment.via in matcher.via
        for key, enrolment in facts.enrolments.items()
    )


def _purchased(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    assert isinstance(matcher, OnOffer)
    return any(
        wanted.get("offer") in (None, purchase.offer)
        and wanted.get("course") in (None, definitions.course_of_offer(purchase.offer))
        for purchase in facts.bought()
    )


def _certified(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    return any(
        wanted.get("course") in (None, key) and found.issued for key, found in facts.certificates.items()
    )


def _tagged(matcher: Matcher, wanted: dict[str, str], facts: Facts, definitions: Definitions) -> bool:
    return wanted["tag"] in facts.tags if "tag" in wanted else bool(facts.tags)


_STATES = {
    "lesson_completed": _lesson,
    "lesson_watched": _watched,
    "quiz_passed": _quiz,
    "module_completed": _module,
    "course_completed": _course,
    "enrolled": _enrolled,
    "purchased": _purchased,
    "certificate_issued": _certified,
    "tag_added": _tagged,
}

# Events that are asked for as facts; nobody needs to look them up in the log. A report of
# watching without a percent is an event of its own.
STATE_TYPES = tuple(name for name in _STATES if name != "lesson_watched")
