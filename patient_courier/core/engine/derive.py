"""What follows from an event at the same instant.

Each generator looks at the facts only when it is asked for the next event, so
that every derived event is handled completely before the one after it is made.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.facts import Facts
from patient_courier.core.engine.happening import Happening, course_of, happening
from patient_courier.core.engine.state import StudentState
from patient_courier.core.school.blocks import Choice


def derived(
    definitions: Definitions, facts: Facts, what: Happening, answered: Answered | None = None
) -> Iterator[Happening]:
    """The events that follow from one event, in order. Facts must already hold the event itself.

    ``answered`` is what an answer belongs to, as it was when the answer came.
    """
    match what.type:
        case "purchased":
            yield from _of_purchase(definitions, facts, what)
        case "quiz_taken":
            yield from _of_quiz(definitions, facts, what)
        case "lesson_completed" | "quiz_passed":
            yield from _module(definitions, facts, what)
        case "module_completed":
            yield from _course(definitions, facts, what)
        case "answered":
            yield from _of_answer(facts, what, answered)
        case "course_completed":
            yield from _certificate(definitions, facts, what)
        case "certificate_approved":
            if facts.is_open(what.names["course"]):
                yield happening(definitions, "certificate_issued", what.at, {"course": what.names["course"]})
        case _:
            pass  # nothing follows from the others


def _of_purchase(definitions: Definitions, facts: Facts, what: Happening) -> Iterator[Happening]:
    offer = definitions.offers[what.names["offer"]]
    for course in offer.courses:
        if facts.may_enrol(course, "purchase"):
            names = {"course": course, "via": "purchase", "by_offer": offer.key}
            yield Happening("enrolled", what.at, names)
    for tag in offer.tags:
        if tag not in facts.tags:
            yield Happening("tag_added", what.at, {"tag": tag})


@dataclass(frozen=True, slots=True)
class Answered:
    """What an answer is, in the letter's current version, and the newest delivery it belongs to: its run and course."""

    choice: Choice | None = None
    run: int | None = None
    course: str | None = None


def answered(definitions: Definitions, state: StudentState, what: Happening) -> Answered | None:
    """What an ``answered`` event belongs to now; None for other events. Without a sent delivery it has no run or course."""
    if what.type != "answered":
        return None
    letter = what.names["letter"]
    ready = definitions.letters.get(letter)
    choices = (
        [choice for _, choice in ready.letter.answers() if choice.key == what.names["answer"]]
        if ready
        else []
    )
    if not choices:
        return Answered()
    sent = next((one for one in reversed(state.facts.sent) if one.letter == letter), None)
    run = next((run for run in state.runs if sent and run.number == sent.run), None)
    course = course_of(run.subject) if run and run.subject else sent.course if sent else None
    return Answered(choices[0], run.number if run else None, course)


def _of_answer(facts: Facts, what: Happening, found: Answered | None) -> Iterator[Happening]:
    """Tags to add, then tags to remove, each asked in its turn; then help that stops."""
    if found is None or found.choice is None:
        return
    for tag in found.choice.add_tags:
        if tag not in facts.tags:
            yield Happening("tag_added", what.at, {"tag": tag})
    for tag in found.choice.remove_tags:
        if tag in facts.tags:
            yield Happening("tag_removed", what.at, {"tag": tag})
    if found.choice.stops_help and found.course and found.course not in facts.help_stopped:
        yield Happening("course_help_stopped", what.at, {"course": found.course})


def _of_quiz(definitions: Definitions, facts: Facts, what: Happening) -> Iterator[Happening]:
    passed = what.names["score"] >= definitions.quizzes[what.names["quiz"]].pass_mark
    yield Happening("quiz_passed" if passed else "quiz_failed", what.at, what.names)


def module_done(definitions: Definitions, facts: Facts, module: str) -> bool:
    """Whether every lesson of the module is completed and every quiz passed."""
    return facts.lessons.keys() >= definitions.lessons_in[module] and all(
        quiz_passed(facts, quiz) for quiz in definitions.quizzes_in[module]
    )


def quiz_passed(facts: Facts, quiz: str) -> bool:
    record = facts.quizzes.get(quiz)
    return record is not None and record.passed is not None


def _module(definitions: Definitions, facts: Facts, what: Happening) -> Iterator[Happening]:
    module = what.names["module"]
    if module not in facts.modules and module_done(definitions, facts, module):
        yield Happening("module_completed", what.at, {"module": module, "course": what.names["course"]})


def _course(definitions: Definitions, facts: Facts, what: Happening) -> Iterator[Happening]:
    course = what.names["course"]
    modules = definitions.courses[course].modules
    if course not in facts.courses and all(
        module_done(definitions, facts, f"{course}/{m.key}") for m in modules
    ):
        yield Happening("course_completed", what.at, {"course": course})


def _certificate(definitions: Definitions, facts: Facts, what: Happening) -> Iterator[Happening]:
    course = what.names["course"]
    rule = definitions.courses[course].certificate
    if rule is None or not facts.is_open(course):
        return
    found = facts.certificates.get(course)
    if found and (found.issued or found.requested):
        return
    yield Happening(
        "certificate_requested" if rule.approval else "certificate_issued", what.at, {"course": course}
    )
