"""What will be posted because a certificate is approved: played ahead from the facts of its student."""

from __future__ import annotations

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.engine.state import StudentState
from patient_courier.core.rehearsing.rehearsal import rehearse_moves
from patient_courier.core.school.events import CourseEvent

# What comes later is hardly thought to be about the approval.
AHEAD_DAYS = 30


def follows(definitions: Definitions, state: StudentState, course: str, now: Instant) -> list[LetterDecided]:
    """The letters to the student that the approval sets going, in order. Uses up the state.

    They are those of runs that it begins, and those decided at once in runs that it moves.
    """
    before = {run.number for run in state.runs}
    body = {"type": "certificate_approved", "student": state.student.key, "at": now, "course": course}
    event = CourseEvent.model_validate(body)
    outcome = rehearse_moves(definitions, state, [event], now.add(hours=24 * AHEAD_DAYS))
    return [
        letter
        for letter in outcome.letters
        if letter.to is None and (letter.run not in before or letter.at == now)
    ]
