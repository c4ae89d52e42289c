"""The letters that are to come if nobody does anything more."""

from __future__ import annotations

from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.engine.agenda import Agenda, Limits
from patient_courier.core.engine.broadcasting import Coming
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.state import StudentState
from patient_courier.core.rehearsing.rehearsal import Outcome

# In a week: more than once an hour is no post. In all: enough for tens of thousands of students.
FORECAST_OF_A_RUN, FORECAST_IN_ALL = 200, 20_000


@dataclass(frozen=True, slots=True)
class Forecast:
    """Letters to come, in order; ``stuck`` are those that could not go out as they are now and would wait for the owner.

    ``cut_short``: more happens than can be played, so there will be others.
    """

    letters: list[LetterDecided]
    stuck: list[LetterDecided]
    cut_short: bool


def forecast(
    definitions: Definitions,
    states: list[StudentState],
    now: Instant,
    until: Instant,
    coming: Coming | None = None,
) -> Forecast:
    """The letters that will go out by ``until`` if no student does anything more. Uses up the states."""
    outcome = Outcome(definitions, {state.student.key: state for state in states})
    limits = Limits(FORECAST_OF_A_RUN, FORECAST_IN_ALL + 20 * len(states))
    agenda = Agenda(Engine(definitions), outcome.note, now, limits)
    for state in states:
        agenda.add_student(state)
    if coming is not None:
        agenda.add_coming(coming, states)
    agenda.run_until(until)
    letters = [letter for letter in outcome.letters if letter.status == "sent"]
    stuck = [letter for letter in outcome.letters if letter.status == "stuck"]
    return Forecast(letters, stuck, cut_short=bool(outcome.warnings))
