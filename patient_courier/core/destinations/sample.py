"""A message that nothing has caused, for trying a destination out."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from whenever import Instant

from patient_courier.core.destinations.told import Kind, News, message, of_happening
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import happening

ROBIN = {
    "key": "robin.sample",
    "email": "robin.sample@example.org",
    "first_name": "Robin",
    "last_name": "Sample",
}
_NAMES: dict[Kind, str] = {
    "enrolled": "course",
    "purchased": "offer",
    "refunded": "offer",
    "lesson_completed": "lesson",
    "module_completed": "module",
    "course_completed": "course",
    "quiz_failed": "quiz",
    "quiz_passed": "quiz",
    "certificate_issued": "course",
    "certificate_revoked": "course",
    "letter_posted": "course",
    "feedback_given": "course",
}
_MORE: dict[Kind, dict[str, Any]] = {
    "tag_added": {"tag": "sample"},
    "tag_removed": {"tag": "sample"},
    "quiz_failed": {"score": 40.0},
    "quiz_passed": {"score": 90.0},
    "letter_posted": {"letter": {"key": "a-letter", "title": "A letter", "subject": "How a subject looks"}},
    "feedback_given": {
        "letter": {"key": "a-letter", "title": "A letter"},
        "feedback": {"answer": "well", "value": 5, "words": "This is a sample."},
    },
}
# What an event is called that these are not the names of.
_EVENTS: dict[Kind, str] = {"letter_posted": "course_completed", "feedback_given": "course_completed"}


def sample(definitions: Definitions, kind: Kind, courses: Iterable[str], at: Instant) -> str:
    """A message of this kind about an invented student, and about the first thing of the school that fits.

    ``courses`` are those the destination hears about; none: all.
    """
    name = _NAMES.get(kind)
    first = _first(definitions, name, set(courses)) if name else None
    # Even a school without courses can try how a certificate is told.
    names = {name: first or f"a-{name}"} if name else {}
    event = _EVENTS.get(kind, kind)
    about = of_happening(definitions, happening(definitions, event, at, names), ROBIN["key"])
    found = dict(about.about) if about else {}
    return message(News(kind, at, frozenset(), {**found, **_MORE.get(kind, {})}), ROBIN)


def _first(definitions: Definitions, name: str, courses: set[str]) -> str | None:
    known: dict[str, Iterable[str]] = {
        "course": definitions.courses,
        "module": definitions.modules,
        "lesson": definitions.lessons,
        "quiz": definitions.quizzes,
        "offer": definitions.offers,
    }
    fitting = (
        key for key in known[name] if not courses or name == "offer" or key.partition("/")[0] in courses
    )
    return next(fitting, None)
