"""A letter to a student whose certificate was put aside: it says what is missing, and the owner the rest."""

from __future__ import annotations

from html import escape

from patient_courier.core.completion.evidence import Evidence
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.letters import Letter

_HELLO = "<p>Hello {{ student.first_name | default('there') }},</p>"
# Left over, it keeps the letter from going out: what the owner wants to see is theirs to say.
_YOURS = "<p>[Say here what you would like to see first.]</p>"


def declined_letter(definitions: Definitions, name: str, course: str, seen: Evidence) -> Letter:
    """Begun for one student and course; ``name`` is the letter's."""
    if seen.open_:
        items = "".join(f"<li>{_text(title)}</li>" for title in seen.open_)
        said = f"<p>Before I can issue it, this is still open:</p><ul>{items}</ul>"
    elif seen.hurried:
        said = f"<p>{_text(seen.hurried)} That is faster than the lessons last.</p>{_YOURS}"
    else:
        said = _YOURS
    html = f"{_HELLO}<p>thank you for asking for your certificate of {{{{ course.title }}}}. I have looked at it.</p>{said}"
    block = {"kind": "certificate", "claim": True}
    end = "<p>Then ask for it again, and I look at it the same day.</p>"
    blocks = [{"kind": "text", "html": html}, {"kind": "text", "html": end}, block]
    return Letter.model_validate(
        {
            "key": free_key(name, definitions.letters),
            "name": name,
            "purpose": "course_help",
            "subject": "Your certificate of {{ course.title }}: what is still open",
            "blocks": blocks,
        }
    )


def _text(words: str) -> str:
    """Words for a letter's markup in which no merge field can hide."""
    return escape(words).replace("{", "&#123;")
