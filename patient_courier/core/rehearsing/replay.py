"""Looking back: a draft against what really happened at the school, student by student."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.agenda import Agenda, Limits
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect, LetterDecided
from patient_courier.core.engine.engine import Engine
from patient_courier.core.engine.state import StudentState
from patient_courier.core.rehearsing.rehearsal import in_order
from patient_courier.core.school.events import Event
from patient_courier.core.school.sequences import Sequence

LIMITED = ("course_help", "news")
# An hourly repeat over a quarter of a year stays below this.
REPLAYED = Limits(of_a_run=3_000)


@dataclass(slots=True)
class Looked:
    """What the draft would have posted: by student, by day of the school, and beside what really went out."""

    letters: int = 0
    skipped: Counter[str] = field(default_factory=Counter)
    students: dict[str, int] = field(default_factory=dict)
    days: Counter[Date] = field(default_factory=Counter)
    steps: Counter[str] = field(default_factory=Counter)
    crowded: dict[str, tuple[Date, int]] = field(default_factory=dict)
    unwritten: list[str] = field(default_factory=list)


class Replay:
    """Plays one draft over the events of many students, one at a time."""

    def __init__(self, definitions: Definitions, draft: Sequence, since: Instant, until: Instant) -> None:
        """The draft starts for what happened from ``since`` to ``until``; what lies before is only known as facts."""
        self._zone = definitions.school.timezone
        self._limit = definitions.school.daily_limit
        self.since, self.until = since, until
        self._quiet = definitions.with_only(draft.model_copy(update={"status": "draft"}))
        self._running = definitions.with_only(draft.model_copy(update={"status": "running"}))
        self.found = Looked()

    def look(self, state: StudentState, events: Iterable[Event], sent: Mapping[Date, int]) -> None:
        """One student: a fresh state, everything they did, and how many limited letters they really got by local day."""
        ordered = in_order(list(events))
        before = [event for event in ordered if event.at < self.since]
        effects: list[Effect] = []
        quiet = Agenda(Engine(self._quiet), lambda effect: None)
        quiet.add_events((state, event) for event in before)
        quiet.run_until(self.since.subtract(nanoseconds=1))
        agenda = Agenda(Engine(self._running), effects.append, limits=REPLAYED)
        agenda.add_student(state)
        agenda.add_events((state, event) for event in ordered[len(before) :])
        agenda.run_until(self.until)
        self._count(state, [x for x in effects if isinstance(x, LetterDecided)], sent)

    def _count(self, state: StudentState, letters: list[LetterDecided], sent: Mapping[Date, int]) -> None:
        found, days = self.found, Counter(sent)
        key = state.student.key
        for letter in letters:
            if letter.to is not None or letter.status in ("held", "dropped"):
                continue
            if letter.status != "sent":
                found.skipped[(letter.reason or letter.status).partition(":")[0]] += 1
                continue
            found.letters += 1
            found.steps[letter.step] += 1
            found.students[key] = found.students.get(key, 0) + 1
            found.days[calendar.local_date(letter.at, self._zone)] += 1
            if letter.purpose in LIMITED:
                day = calendar.local_date(letter.at, state.zone)
                days[day] += 1
                if self._limit is not None and days[day] > self._limit:
                    found.crowded[key] = (day, days[day])
        if key in found.students and not sent:
            found.unwritten.append(key)
