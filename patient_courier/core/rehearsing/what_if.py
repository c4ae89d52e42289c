"""What would follow for one student if something happened now: the engine plays it, and plays them without it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.completion.request import what_is_open
from patient_courier.core.engine.agenda import Agenda, Limits
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided, Noted
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.happening import Happening
from patient_courier.core.engine.state import StudentState
from patient_courier.core.engine.turn import Numbers
from patient_courier.core.rehearsing.rehearsal import SHOWN, Outcome
from patient_courier.core.school.events import Event

_LIMITS = Limits(of_a_run=400, in_all=4_000)


@dataclass(frozen=True, slots=True)
class WhatIf:
    """``follows``: letters (to the student, the owner or others) that only come if it happens; ``instead``: those that then
    do not come; ``anyway``: those that come in both cases. ``happenings``: what happened by it, in order;
    ``not_begun``: why sequences that it would start did not begin, or post nothing, as sentences."""

    follows: list[LetterDecided]
    instead: list[LetterDecided]
    anyway: list[LetterDecided]
    happenings: list[Happening]
    not_begun: list[str]


def what_if(
    definitions: Definitions,
    load: Callable[[], StudentState],
    events: Sequence[Event],
    now: Instant,
    until: Instant,
    last: tuple[int, int],
) -> WhatIf:
    """Play a student, who does nothing more, up to a moment: with the events and without.

    ``load`` gives the state anew; ``last`` are the last numbers of an event and a run in the school.
    """
    without = _play(definitions, load(), [], now, until, last)
    outcome = _play(definitions, load(), events, now, until, last)
    known, came = Counter(map(_same, without.letters)), Counter(map(_same, outcome.letters))
    both = known & came
    follows, anyway = _apart(outcome.letters, both)
    instead, _ = _apart(without.letters, both)
    taken = [one.what for one in outcome.effects if isinstance(one, Noted) and one.number > last[0]]
    happened = [what for what in taken if what.at == now] if events else []
    reasons = [outcome.why_not_begun(one) for one in outcome.not_begun if one.at == now]
    reasons += _without_letters(definitions, outcome, last[1])
    return WhatIf(follows, instead, anyway, happened, list(dict.fromkeys(reasons)))


def _play(
    definitions: Definitions,
    state: StudentState,
    events: Sequence[Event],
    now: Instant,
    until: Instant,
    last: tuple[int, int],
) -> Outcome:
    outcome = Outcome(definitions, {state.student.key: state})
    agenda = Agenda(Engine(definitions, Numbers(*last)), outcome.note, now, _LIMITS)
    agenda.take_message([(state, event) for event in events], [state])
    agenda.run_until(until)
    outcome.ended = until
    return outcome


def _without_letters(definitions: Definitions, outcome: Outcome, last: int) -> list[str]:
    """Runs that begin by it and post nothing in that time, as sentences."""
    speaking = {letter.run for letter in outcome.letters}
    quiet = [
        run
        for state in outcome.states.values()
        for run in state.runs
        if run.number > last and run.number not in speaking
    ]
    return [
        f"“{definitions.sequences[run.sequence].sequence.called}” "
        + ("holds them back by lot." if run.outcome == "held_back" else "begins, and posts nothing to them.")
        for run in quiet
        if run.sequence in definitions.sequences
    ]


def _same(letter: LetterDecided) -> tuple[str, str, str, str, str]:
    """What makes a letter the same one: whose numbers may differ, but not from where it comes and how it ends."""
    return letter.sequence, letter.step, letter.round, letter.letter, letter.status


def _apart(
    letters: list[LetterDecided], both: Counter[tuple[str, str, str, str, str]]
) -> tuple[list[LetterDecided], list[LetterDecided]]:
    """Those beyond what is in both, and those that are; of several alike the first are in both."""
    left = both.copy()
    alone, shared = [], []
    for letter in letters:
        if letter.status not in SHOWN:
            continue
        if left[_same(letter)] > 0:
            left[_same(letter)] -= 1
            shared.append(letter)
        else:
            alone.append(letter)
    return alone, shared


def still_open(definitions: Definitions, state: StudentState, kind: str, key: str) -> list[tuple[str, str]]:
    """The lessons and quizzes, as (kind, key), that would have to be done for a module or course to be finished."""
    course = key.partition("/")[0]
    found: list[tuple[str, str]] = [(one.kind, one.key) for one in what_is_open(definitions, state, course)]
    if kind == "course":
        return found
    return [one for one in found if definitions.module_of.get(one[1]) == key]
