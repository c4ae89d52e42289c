"""What a pretend student does, as a course site would report it."""

from __future__ import annotations

import json
import secrets
from datetime import UTC
from typing import Any

from whenever import Instant

from patient_courier.core.completion.request import Open
from patient_courier.dispatch.clock import real_now
from patient_courier.intake.signature import sign


class ActionRefused(ValueError):
    """This can't be done; the message says why."""


def event_for(do: str, student: str, object: str, score: int | None, at: Instant) -> dict[str, Any]:
    """The event that follows from an action at a moment. Raises ActionRefused."""
    event: dict[str, Any] = {
        "at": at.format_iso(),
        "student": student,
        "id": f"practice-{secrets.token_hex(8)}",
    }
    match do:
        case "buy":
            return event | {"type": "purchased", "offer": object}
        case "refund":
            return event | {"type": "refunded", "offer": object}
        case "enrol":
            return event | {"type": "enrolled", "course": object, "via": "manual"}
        case "start":
            return event | {"type": "lesson_started", "lesson": object}
        case "complete":
            return event | {"type": "lesson_completed", "lesson": object}
        case "sign_in":
            return event | {"type": "signed_in"}
        case "take_quiz":
            if score is None or not 0 <= score <= 100:
                raise ActionRefused("Give the quiz a score from 0 to 100.")
            return event | {"type": "quiz_taken", "quiz": object, "score": score}
        case _:
            raise ActionRefused(f"A student can't “{do}” here.")


def events_to_finish(open_: list[Open], student: str, at: Instant) -> list[dict[str, Any]]:
    """Everything that is still open of a course, done at this moment, quizzes with full marks."""
    return [
        event_for("complete", student, one.key, None, at)
        if one.kind == "lesson"
        else event_for("take_quiz", student, one.key, 100, at)
        for one in open_
    ]


def signed_report(secret: str, events: list[dict[str, Any]]) -> tuple[str, dict[str, str]]:
    """Body and headers of a report of events to the intake, signed like a real site's."""
    body = json.dumps(events)
    at = real_now().to_stdlib().astimezone(UTC)
    return body, sign(secret, f"msg_{secrets.token_hex(12)}", at, body)
