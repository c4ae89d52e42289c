"""What a connection file that is still being made lacks, in words, before it can be read at all."""

from __future__ import annotations

from typing import Any

from patient_courier.core.translating.connection import FIELDS

# What an event's own field is called when one is to point at it.
POINT_AT = {
    "offer": "what was bought",
    "course": "the course",
    "lesson": "the lesson",
    "quiz": "the quiz",
    "score": "the score",
    "percent": "how much was watched",
    "form": "the form",
    "tag": "the tag",
}


def missing(draft: dict[str, Any]) -> list[str]:
    """What is still to be said, one sentence each; nothing for a draft that has all its parts.

    The parts may be of any form: whether they can be read is asked when the whole file is.
    """
    found = []
    student = draft.get("student")
    if not (isinstance(student, dict) and student.get("email")):
        found.append("Click the student's address in a message.")
    rules = draft.get("rules")
    if not rules:
        found.append("Say what has happened when a message comes.")
    for number, rule in enumerate(rules if isinstance(rules, list) else [], 1):
        event = rule.get("event") if isinstance(rule, dict) else None
        kind = event.get("type") if isinstance(event, dict) else None
        which = f" of rule {number}" if len(rules or []) > 1 else ""
        if not isinstance(event, dict) or not isinstance(kind, str) or not kind:
            found.append(f"Choose what has happened{which}.")
            continue
        found += [
            f"Click {POINT_AT[name]}{which} in a message, or choose what it always is."
            for name, needed in FIELDS.get(kind, {}).items()
            if needed and event.get(name) is None
        ]
    return found
