"""What destinations are posted, in the description of the API (OpenAPI 3.1, “webhooks”)."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import FastAPI, Header

from patient_courier.core.destinations.told import KINDS, Told
from patient_courier.web.programs.problems import Problem

WORDS = {
    "enrolled": "A student was enrolled in a course",
    "purchased": "A student bought an offer",
    "refunded": "A purchase was refunded",
    "lesson_completed": "A student finished a lesson",
    "module_completed": "A student finished a module",
    "course_completed": "A student finished a course",
    "quiz_failed": "A student did not pass a quiz",
    "quiz_passed": "A student passed a quiz",
    "tag_added": "A student was given a tag",
    "tag_removed": "A tag was taken off a student",
    "certificate_issued": "A certificate was issued",
    "certificate_revoked": "A certificate was taken back",
    "news_on": "A student gets news from now on",
    "news_off": "A student has stopped news",
    "letter_posted": "A letter was handed over to the mail server",
    "bounced": "Letters to a student can't be delivered",
    "complained": "A student reported a letter as unwanted",
    "feedback_given": "A student answered a question for feedback, or left words beside the answer",
}
Id = Annotated[str, Header(alias="webhook-id", description="The same in every try")]
When = Annotated[int, Header(alias="webhook-timestamp", description="Seconds since 1970, of this try")]
Signature = Annotated[
    str,
    Header(
        alias="webhook-signature",
        description="Standard Webhooks 1.0, v1 (HMAC with SHA-256); two of them, with a space between, for a day after a new secret",
    ),
]


def describe_webhooks(app: FastAPI) -> None:
    """Put every kind of message into the description; nothing is served by it."""
    for kind in KINDS:
        app.webhooks.add_api_route(
            kind,
            _told,
            methods=["POST"],
            summary=WORDS[kind],
            operation_id=f"told_{kind}",
            tags=["webhooks"],
            status_code=204,
            responses=_ANSWERS,
        )


_ANSWERS: dict[int | str, dict[str, Any]] = {
    410: {"description": "The address is gone: nothing is posted there any more"},
    "default": {"description": "Not taken: tried again for three days with growing pauses", "model": Problem},
}


def _told(body: Told, webhook_id: Id, webhook_timestamp: When, webhook_signature: Signature) -> None:
    """Any status of 200 to 299 takes the message. ``type`` is the name of this webhook."""
