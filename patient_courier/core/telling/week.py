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
