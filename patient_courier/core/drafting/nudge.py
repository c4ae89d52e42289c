"""A nudge for those who come to a stop and do nothing, and a check-in behind a module: a sequence and its letter."""

from __future__ import annotations

from typing import Any

from patient_courier.core.courses.course_line import Stop, items
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import Course
from patient_courier.core.school.keys import free_key, short_title
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence

_HELLO = "<p>Hello {{ student.first_name | default('there') }},</p>"
_NUDGE = _HELLO + (
    "<p>the next lesson waiting for you is {{ next_lesson.title | default('a short one') }}. Most people who stop here "
    "stop because of one small thing. Which one is it for you? Reply with a line, or sit down for ten minutes and begin.</p>"
)
_ASK = _HELLO + (
    "<p>you have finished {{ module.title }}, and you are {{ course.progress }}% through {{ course.title }}. "
    "How is it going? One line is enough, I read every letter.</p>"
)


def draft_nudge(definitions: Definitions, course: Course, stop: Stop) -> tuple[Letter, Sequence]:
    """A letter and a sequence in draft that posts it: whoever moves on never sees it."""
    key = free_key(f"nudge-{stop.id.rpartition('/')[2]}", definitions.sequences)
    letter = free_key(key, definitions.letters)
    if stop.kind == "module_completed":
        return _check_in(course, stop.id.removeprefix("done:"), letter, key)
    title = stop.title.removeprefix("Quiz: ")
    body = _nudge(definitions, course, stop.id, letter)
    about = {"key": key, "name": f"{short_title(course.title)} · nudge at “{title}”", "status": "draft"}
    return (
        _letter(letter, f"Nudge: {title}", f"{title}: shall we go on?", _NUDGE),
        Sequence.model_validate({**about, **body}),
    )


def _letter(key: str, name: str, subject: str, html: str) -> Letter:
    blocks = [{"kind": "text", "html": html}]
    body = {"key": key, "name": name, "purpose": "course_help", "subject": subject, "blocks": blocks}
    return Letter.model_validate(body)


def _refunds(definitions: Definitions, course: str) -> list[dict[str, str]]:
    return [
        {"on": "refunded", "offer": offer.key}
        for offer in definitions.offers.values()
        if offer.courses == [course]
    ]


def _nudge(definitions: Definitions, course: Course, stop: str, letter: str) -> dict[str, Any]:
    order = items(course)
    at = order.index(stop) if stop in order else -1
    start = _finished(order[at - 1]) if at > 0 else {"on": "enrolled", "course": course.key}
    reached = _begun(stop) if at >= 0 else {"on": "lesson_started", "course": course.key}
    return {
        "starts": [start],
        "again": "once_per_subject",
        "leaves": _refunds(definitions, course.key),
        "steps": [
            {"id": "wait", "do": "wait", "for": "P3D", "at": "10:00"},
            {"id": "nudge", "do": "send", "letter": letter},
            {"id": "moving", "do": "waypoint", "reach": reached},
        ],
    }


def _finished(stop: str) -> dict[str, Any]:
    if stop.startswith("quiz:"):
        return {"on": "quiz_passed", "quiz": stop.removeprefix("quiz:")}
    return {"on": "lesson_completed", "lesson": stop}


def _begun(stop: str) -> dict[str, Any]:
    if stop.startswith("quiz:"):
        return {"on": "quiz_taken", "quiz": stop.removeprefix("quiz:")}
    return {"on": "lesson_started", "lesson": stop}


def _check_in(course: Course, module: str, letter: str, key: str) -> tuple[Letter, Sequence]:
    title = next(m.title for m in course.modules if f"{course.key}/{m.key}" == module)
    sequence = {
        "key": key,
        "name": f"{short_title(course.title)} · after “{title}”",
        "status": "draft",
        "starts": [{"on": "module_completed", "module": module}],
        "again": "once_per_subject",
        "steps": [
            {"id": "wait", "do": "wait", "for": "PT30M"},
            {"id": "ask", "do": "send", "letter": letter},
        ],
    }
    asked = _letter(letter, f"After “{title}”", "{{ module.title }}: done. How is it going?", _ASK)
    return asked, Sequence.model_validate(sequence)
