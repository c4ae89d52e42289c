"""What a letter is about when it is only looked at: without a run, a course is chosen and examples of its parts."""

from __future__ import annotations

from collections.abc import Collection

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Subject


def example_subject(
    definitions: Definitions, letter: str, enrolled: Collection[str], course: str | None
) -> Subject | None:
    """The subject for a letter shown to a student who is ``enrolled`` in some courses.

    It is about ``course``, or a course whose sequences use the letter (one the student is in, if there is one),
    or any course the student is in.
    """
    candidates = [course, *courses_using(definitions, letter)]
    fitting = [key for key in candidates if key in enrolled] or [key for key in candidates if key] or enrolled
    about = next((key for key in fitting if key in definitions.courses), None)
    objects = _objects(definitions, about)
    return Subject(objects[0][0], objects[0][1], objects) if objects else None


def courses_using(definitions: Definitions, letter: str) -> list[str]:
    """The courses whose events start the sequences that post this letter."""
    found: dict[str, None] = {}
    for plan in definitions.sequences.values():
        if letter in plan.letters:
            for matcher in plan.sequence.starts:
                wanted = matcher.selectors()
                inner = wanted.get("lesson") or wanted.get("quiz") or wanted.get("module")
                course = wanted.get("course") or (inner or "").partition("/")[0]
                found[course or definitions.course_of_offer(wanted.get("offer", "")) or ""] = None
    return [course for course in found if course]


def _objects(definitions: Definitions, course: str | None) -> tuple[tuple[str, str], ...]:
    """A course with its first module, lesson and quiz and an offer, so that a preview can show any field."""
    if course is None:
        return ()
    found = [("course", course)]
    modules = definitions.courses[course].modules
    if modules:
        found.append(("module", f"{course}/{modules[0].key}"))
        if modules[0].lessons:
            found.append(("lesson", f"{course}/{modules[0].lessons[0].key}"))
    quiz = next((f"{course}/{quiz.key}" for module in modules for quiz in module.quizzes), None)
    if quiz:
        found.append(("quiz", quiz))
    offer = next((key for key, offer in definitions.offers.items() if course in offer.courses), None)
    if offer:
        found.append(("offer", offer))
    return tuple(found)
