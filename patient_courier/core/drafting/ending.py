"""The end of a course: certificate, feedback a week later and the next course; and a reminder for those nearly there."""

from __future__ import annotations

from typing import Any

from patient_courier.core.drafting.fitting import Fitted
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import Course, Offer
from patient_courier.core.school.keys import free_key, short_title
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence

_HELLO = "<p>Hello {{ student.first_name | default('there') }},</p>"
# How far somebody is who is nearly there, and after how many silent days they are reminded; common practice, no source.
NEARLY_PERCENT = 80
SILENT = "P7D"
_LABELS = ("Not at all", "Not much", "Somewhat", "Well", "Very well")
_ASKS = (
    "What went wrong? I read every word.",
    "What went wrong? I read every word.",
    "What would have made it better?",
    "What helped you most?",
    "What helped you most?",
)
# From here on a student is asked for a review.
_REVIEW_FROM = 4


def nearly_there(course: str) -> dict[str, Any]:
    """Who has done most of a course and has gone silent, as a condition in the form of the school file."""
    return {
        "all": [
            {"is": "enrolled", "course": course, "status": ["active"]},
            {"is": "progress", "course": course, "at_least": NEARLY_PERCENT, "at_most": 99},
            {"is": "inactive", "course": course, "for": SILENT},
        ]
    }


def reminded(definitions: Definitions, course: str) -> bool:
    """Whether a running sequence begins when somebody goes silent in this course."""
    return any(
        plan.sequence.status == "running"
        and any(
            start.on == "inactive" and start.selectors().get("course") in (None, "any", course)
            for start in plan.sequence.starts
        )
        for plan in definitions.sequences.values()
    )


def has_ending(definitions: Definitions, course: str) -> bool:
    """Whether a sequence begins with the certificate of this course, running or not."""
    return any(
        start.on == "certificate_issued" and start.selectors().get("course") in (None, course)
        for plan in definitions.sequences.values()
        if plan.sequence.status != "closed"
        for start in plan.sequence.starts
    )


def draft_ending(definitions: Definitions, course: Course, after: Offer | None) -> Fitted:
    """The sequence that begins with the certificate, in draft, with its letters.

    ``after`` is the offer of the course that comes next; whoever has it by then, or gets it on the way, hears no more.
    """
    title = short_title(course.title)
    letters = [_certificate(definitions, course, title), _feedback(definitions, course, title)]
    steps: list[dict[str, Any]] = [
        {"id": "certificate", "do": "send", "letter": letters[0].key},
        {"id": "week", "do": "wait", "for": "P7D", "at": "10:00"},
        {"id": "feedback", "do": "send", "letter": letters[1].key},
    ]
    leaves = [
        {"on": "refunded", "offer": one.key}
        for one in definitions.offers.values()
        if one.courses == [course.key]
    ]
    if after is not None:
        following = [key for key in after.courses if key != course.key]
        letters.append(_next(definitions, course, title, after))
        has = [{"is": "enrolled", "course": key} for key in following]
        steps += [
            {"id": "two-days", "do": "wait", "for": "P2D", "at": "10:00"},
            {
                "id": "has-it",
                "do": "branch",
                "arms": [{"if": {"any": [{"is": "bought", "offer": after.key}, *has]}, "steps": []}],
                "otherwise": [{"id": "next", "do": "send", "letter": letters[2].key}],
            },
        ]
        # The welcome of the next course takes over.
        leaves += [
            {"on": "purchased", "offer": after.key},
            *({"on": "enrolled", "course": key} for key in following),
        ]
    body = {
        "key": free_key(f"{course.key}-end", definitions.sequences),
        "name": f"{title} · the end of the course",
        "status": "draft",
        "starts": [{"on": "certificate_issued", "course": course.key}],
        "again": "once_per_subject",
        "leaves": leaves,
        "steps": steps,
    }
    return Fitted(letters, [Sequence.model_validate(body)])


def draft_reminder(definitions: Definitions, course: Course) -> Fitted:
    """A letter to whoever is nearly through and goes silent, at most every three weeks; in draft."""
    title = short_title(course.title)
    html = _HELLO + (
        "<p>you are {{ course.progress }}% through {{ course.title }}: very little is left. Most people who stop here "
        "only never found the right evening. This is the next one:</p>"
    )
    end = "<p>Is something else in the way? Answer with a line, and we see what can be done.</p>"
    blocks = [
        {"kind": "text", "html": html},
        {"kind": "next_lesson", "label": "Take the next step"},
        {"kind": "text", "html": end},
    ]
    letter = _letter(definitions, course, "nearly-there", f"{title}: nearly there", "course_help", "You are nearly there", blocks, min_gap="P21D")  # fmt: skip
    body = {
        "key": free_key(f"{course.key}-nearly-there", definitions.sequences),
        "name": f"{title} · nearly there",
        "status": "draft",
        "starts": [{"on": "inactive", "course": course.key, "for": SILENT}],
        "only_if": {
            "is": "progress",
            "course": course.key,
            "at_least": NEARLY_PERCENT,
            "at_most": 99,
        },
        "again": "when_finished",
        "steps": [{"id": "remind", "do": "send", "letter": letter.key}],
    }
    return Fitted([letter], [Sequence.model_validate(body)])


def _letter(
    definitions: Definitions,
    course: Course,
    what: str,
    name: str,
    purpose: str,
    subject: str,
    blocks: list[Any],
    **more: str,
) -> Letter:
    key = free_key(f"{course.key}-{what}", definitions.letters)
    signed = [*blocks, {"kind": "signature"}] if definitions.school.signature else blocks
    return Letter.model_validate(
        {"key": key, "name": name, "purpose": purpose, "subject": subject, "blocks": signed, **more}
    )


def _certificate(definitions: Definitions, course: Course, title: str) -> Letter:
    html = _HELLO + "<p>you did it. Here is your certificate for {{ course.title }}.</p>"
    end = "<p>Print it, hang it up, show it: behind the picture you find it as a PDF, as a picture and as a credential that others can check.</p>"
    blocks = [{"kind": "text", "html": html}, {"kind": "certificate"}, {"kind": "text", "html": end}]
    subject = "{{ student.first_name | default('Well done') }}: your certificate for {{ course.title }}"
    return _letter(definitions, course, "certificate", f"{title}: the certificate", "service", subject, blocks)  # fmt: skip


def _feedback(definitions: Definitions, course: Course, title: str) -> Letter:
    html = (
        _HELLO
        + "<p>it is a week since you finished {{ course.title }}. One click is enough, and it helps those who come after you.</p>"
    )
    answers = [
        {
            "key": str(value),
            "label": f"{value} · {label}",
            "value": value,
            "ask": ask,
            **({"url": "{{ course.review_url }}"} if course.review_url and value >= _REVIEW_FROM else {}),
        }
        for value, (label, ask) in enumerate(zip(_LABELS, _ASKS, strict=True), 1)
    ]
    question = "How well did the course do what you hoped for?"
    blocks = [
        {"kind": "text", "html": html},
        {"kind": "answers", "question": question, "answers": answers},
    ]
    return _letter(definitions, course, "feedback", f"{title}: how was it?", "course_help", "How was {{ course.title }}?", blocks)  # fmt: skip


def _next(definitions: Definitions, course: Course, title: str, after: Offer) -> Letter:
    html = (
        _HELLO + "<p>now that {{ course.title }} is behind you, this is where most people go from there.</p>"
    )
    card = {"kind": "course_card", "course": None, "offer": after.key, "label": "Have a look"}
    blocks = [{"kind": "text", "html": html}, card]
    return _letter(definitions, course, "next", f"{title}: what comes next", "news", "What comes after {{ course.title }}", blocks)  # fmt: skip
