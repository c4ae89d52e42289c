"""What will become of a broadcast: played ahead with all that is due until then, by the real guards."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field

from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.agenda import Agenda, Limits
from patient_courier.core.engine.broadcasting import Coming
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect, LetterDecided
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.state import StudentState
from patient_courier.core.rehearsing.forecasting import FORECAST_IN_ALL, FORECAST_OF_A_RUN
from patient_courier.core.school.broadcasts import Broadcast

# Letters kept back longer than this after their moment are shown as waiting.
LOOKS_AHEAD_DAYS = 8
# The week around the letter: its day, three before and three after.
DAYS_AROUND = 3


@dataclass(frozen=True, slots=True)
class Fate:
    """What will become of a student's letter: ``sent``, ``skipped``, ``stuck``, or ``held`` for longer than is played.

    ``holds`` are the reasons for which it waits before that; ``inside`` names the sequences that keep it back.
    """

    status: str
    reason: str | None
    at: Instant
    holds: tuple[str, ...] = ()
    inside: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Crowd:
    """How many letters a student will have had in the seven days around the broadcast, and on which day most."""

    letters: int
    day: Date | None
    on_that_day: int


@dataclass(slots=True)
class Outlook:
    """What will become of a broadcast, by the students' keys; added up as students are played."""

    fates: dict[str, Fate] = field(default_factory=dict)
    crowds: dict[str, Crowd] = field(default_factory=dict)
    cut_short: bool = False

    def add(self, other: Outlook) -> None:
        """Count in another part of the school."""
        self.fates |= other.fates
        self.crowds |= other.crowds
        self.cut_short = self.cut_short or other.cut_short

    def share(self, student: str, others: Collection[str]) -> None:
        """Let the same become of others as of one student who has been played."""
        if student in self.fates:
            self.fates |= dict.fromkeys(others, self.fates[student])
            self.crowds |= dict.fromkeys(others, self.crowds[student])

    def sort(self, order: Mapping[str, int]) -> None:
        """Put the students in this order."""
        self.fates = dict(sorted(self.fates.items(), key=lambda found: order[found[0]]))

    def by_reason(self) -> Counter[tuple[str, str]]:
        """How many letters become what, as (status, reason)."""
        return Counter((fate.status, fate.reason or "") for fate in self.fates.values())


def look_ahead(
    definitions: Definitions,
    broadcast: Broadcast,
    states: Iterable[StudentState],
    coming: Coming,
    now: Instant,
    until: Instant,
) -> Outlook:
    """Play these students up to ``until`` and note what becomes of their letters of the broadcast. Uses up the states.

    The broadcast is one of those ``coming``.
    """
    people = {state.student.key: state for state in states}
    found = Outlook()

    def note(effect: Effect) -> None:
        if isinstance(effect, LetterDecided) and effect.broadcast == broadcast.key:
            found.fates[effect.student] = _fate(definitions, effect, people[effect.student])

    limits = Limits(FORECAST_OF_A_RUN, FORECAST_IN_ALL + 20 * len(people))
    agenda = Agenda(Engine(definitions), note, now, limits)
    for state in people.values():
        agenda.add_student(state)
    agenda.add_coming(coming, people.values())
    agenda.run_until(until)
    found.cut_short = agenda.cut_short
    for key, fate in found.fates.items():
        found.crowds[key] = _crowd(people[key], fate.at)
    return found


def _fate(definitions: Definitions, letter: LetterDecided, state: StudentState) -> Fate:
    reasons = tuple(dict.fromkeys(hold.reason for hold in letter.holds))
    inside: tuple[str, ...] = ()
    if letter.reason == "inside_sequence":
        plans = [definitions.sequences[run.sequence].sequence for run in state.open_runs()]
        inside = tuple(dict.fromkeys(x.called for x in plans if x.holds_broadcasts))
    return Fate(letter.status, letter.reason, letter.at, reasons, inside)


def _crowd(state: StudentState, at: Instant) -> Crowd:
    middle = calendar.local_date(at, state.zone)
    first, last = middle.subtract(days=DAYS_AROUND), middle.add(days=DAYS_AROUND)
    days = Counter(
        day
        for day in (calendar.local_date(sent.at, state.zone) for sent in state.facts.sent)
        if first <= day <= last
    )
    if not days:
        return Crowd(0, None, 0)
    day, most = max(days.items(), key=lambda found: (found[1], -calendar.days_between(first, found[0])))
    return Crowd(days.total(), day, most)
