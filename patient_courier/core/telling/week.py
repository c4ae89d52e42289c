"""The coming days as a strip: how many letters of which sequence on each."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from whenever import Date

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import LetterDecided
from patient_courier.core.telling import words


@dataclass(frozen=True, slots=True)
class DayLine:
    """Letters of one sequence, or of one broadcast, on one day."""

    sequence: str
    broadcast: str | None
    name: str
    letters: int


@dataclass(frozen=True, slots=True)
class DayOut:
    """One of the coming days in the school's zone, with the letters that will go out if nothing else happens."""

    date: str
    weekday: str
    label: str
    letters: int
    lines: list[DayLine]


def by_day(
    definitions: Definitions,
    letters: Iterable[LetterDecided],
    first: Date,
    days: int,
    broadcasts: Mapping[str, str],
) -> list[DayOut]:
    """Letters by day of the school's zone and by sequence or broadcast, from the ``first`` day on.

    ``broadcasts`` are the names of the broadcasts.
    """
    zone = definitions.school.timezone
    counts: defaultdict[Date, Counter[tuple[str, str | None]]] = defaultdict(Counter)
    for letter in letters:
        counts[calendar.local_date(letter.at, zone)][letter.sequence, letter.broadcast] += 1

    def name(sequence: str, broadcast: str | None) -> str:
        if broadcast is not None:
            return broadcasts.get(broadcast, broadcast)
        return definitions.sequences[sequence].sequence.called

    found = []
    for date in (first.add(days=offset) for offset in range(days)):
        label = words.day(date)
        lines = [
            DayLine(sequence=key, broadcast=broadcast, name=name(key, broadcast), letters=number)
            for (key, broadcast), number in counts[date].most_common()
        ]
        found.append(
            DayOut(
                date=date.format_iso(),
                weekday=label[:3],
                label=label[4:],
                letters=counts[date].total(),
                lines=lines,
            )
        )
    return found


@dataclass(frozen=True, slots=True)
class StuckAhead:
    """A letter that could not go out as it is now: to how many students, when first (in the school's zone), and why."""

    letter: str
    name: str
    students: int
    first: str
    reason: str


def stuck_ahead(definitions: Definitions, letters: Iterable[LetterDecided]) -> list[StuckAhead]:
    """One line for a letter and a reason, the soonest first; ``letters`` are in the order of time."""
    groups: defaultdict[tuple[str, str | None], list[LetterDecided]] = defaultdict(list)
    for letter in letters:
        groups[letter.letter, letter.reason].append(letter)
    found = []
    for (key, reason), those in groups.items():
        students = len({one.student for one in those})
        lacking = words.lacking(reason, students) if students > 1 else ""
        found.append(
            StuckAhead(
                letter=key,
                name=definitions.letters[key].letter.called,
                students=students,
                first=words.moment(those[0].at, definitions.school.timezone),
                reason=f"{lacking}." if lacking else words.reason(reason),
            )
        )
    return found
