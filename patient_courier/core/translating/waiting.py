"""What waits, put in words for the owner."""

from __future__ import annotations

from patient_courier.core.school.text import shortened
from patient_courier.core.telling.words import counted
from patient_courier.core.translating.item import Waits

# What one item of an event's type is called.
_NOUNS = {
    "purchased": "order",
    "refunded": "refund",
    "enrolled": "enrolment",
    "lesson_started": "report of a lesson",
    "lesson_watched": "report of a lesson",
    "lesson_completed": "report of a lesson",
    "quiz_taken": "report of a quiz",
    "signed_up": "sign-up",
    "signed_in": "sign-in",
}


def title_of(waits: Waits, number: int) -> str:
    """``7 orders of something called FH-2``, ``1 order that can't be read yet``."""
    noun = _NOUNS.get(waits.type, "message")
    first, _, rest = noun.partition(" ")
    several = counted(number, first) + (f" {rest}" if rest else "")
    if waits.why == "unmapped" and waits.found:
        return f"{several} of something called {shortened(waits.found)}"
    if waits.why == "ahead":
        return f"{several} from the future"
    return f"{several} that can't be used yet"
