"""The slip: what is confirmed before a broadcast goes out, said in one breath."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from num2words import num2words

from patient_courier.core.calendar.calendar import town
from patient_courier.core.letters.merge_fields import field_words
from patient_courier.core.rehearsing.outlook import Outlook
from patient_courier.core.rehearsing.wave import Crest, Wave
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.telling import words

# Reasons as the end of “seven …”: for one, and for several.
_WHY = {
    "news_off": ("does not want news", "do not want news"),
    "address_bounced": ("has an address that does not work", "have addresses that do not work"),
    "complained": ("reported a letter as unwanted", "reported a letter as unwanted"),
    "course_help_off": ("has stopped help with the course", "have stopped help with the course"),
    "not_enrolled": ("is no longer in the course", "are no longer in the course"),
    "min_gap": ("had this letter a short while ago", "had this letter a short while ago"),
    "inside_sequence": (
        "is inside a sequence that holds broadcasts",
        "are inside a sequence that holds broadcasts",
    ),
    "too_late": ("has that hour behind them already", "have that hour behind them already"),
    "outside_hours": ("gets it later, in posting hours", "get it later, in posting hours"),
    "daily_limit": (
        "gets it a day later, having had enough for one day",
        "get it a day later, having had enough for one day",
    ),
}
_BLANK = ("has no value for “{0}”", "have no value for “{0}”")


@dataclass(frozen=True, slots=True)
class Slip:
    """The sentences to confirm, the first the weightiest."""

    post: str
    when: str
    without: list[str]
    later: list[str]


def in_words(number: int) -> str:
    """``one hundred and thirty-nine``."""
    return str(num2words(number))


def students(number: int) -> str:
    """``one hundred and thirty-nine students (139)``; small numbers need no figure."""
    if number == 0:
        return "nobody"
    said = words.counted(number, "student").replace(str(number), in_words(number), 1)
    return said if number < 13 else f"{said} ({number:,})"


def why(reason: str, number: int) -> str:
    """What keeps some students from getting it: ``do not want news``."""
    one = number == 1
    if reason.startswith("blank_field: "):
        return _BLANK[0 if one else 1].format(field_words(reason.removeprefix("blank_field: ")))
    if reason in _WHY:
        return _WHY[reason][0 if one else 1]
    return words.reason(reason)


def slip(
    broadcast: Broadcast, outlook: Outlook, wave: Wave, zone: str, *, at_once: bool, pace: int | None
) -> Slip:
    """What is confirmed; times are in the school's ``zone``."""
    fates = outlook.fates.values()
    posted = [fate for fate in fates if fate.status == "sent"]
    late = [fate for fate in posted if fate.holds]
    name = broadcast.called
    without = [
        f"{in_words(number).capitalize()} {why(reason, number)}."
        for (status, reason), number in outlook.by_reason().most_common()
        if status in ("skipped", "stuck")
    ]
    if broadcast.without:
        number = len(broadcast.without)
        without.append(f"{in_words(number).capitalize()} you have taken out by hand.")
    held = [fate for fate in fates if fate.status == "held"]
    later = []
    if late:
        last = max(fate.at for fate in late)
        which = "gets" if len(late) == 1 else "get"
        later.append(
            f"{in_words(len(late)).capitalize()} of them {which} it later, the last {words.moment(last, zone)}."
        )
    if held:
        wait = "waits" if len(held) == 1 else "wait"
        later.append(f"{in_words(len(held)).capitalize()} more {wait} until they come out of a sequence.")
    return Slip(
        post=f"“{name}” goes to {students(len(posted))}.",
        when=_when(broadcast, wave, zone, at_once=at_once, pace=pace),
        without=without,
        later=later,
    )


def _when(broadcast: Broadcast, wave: Wave, zone: str, *, at_once: bool, pace: int | None) -> str:
    if at_once:
        said = "Now; for a minute you can take it back"
    elif broadcast.zone == "school":
        said = f"On {words.moment(wave.start, zone)} school time"
    else:
        clock = f"{broadcast.at.hour:02d}:{broadcast.at.minute:02d}"
        said = f"On {words.day(broadcast.at.date())} at {clock} where each of them lives"
        if len(wave.crests) > 1:
            said += f": {ends(wave.crests, zone)}"
    if pace is not None and wave.last is not None:
        said += f"; at {pace} a minute the last leaves {words.moment(wave.last, zone)}"
    return said + "."


def ends(crests: Sequence[Crest], zone: str) -> str:
    """``first in Auckland (Wed 4 Mar, 20:00 school time), last in Honolulu (…)``."""
    first, last = crests[0], crests[-1]
    return (
        f"first in {town(first.zones[0])} ({words.moment(first.at, zone)} school time), "
        f"last in {town(last.zones[0])} ({words.moment(last.at, zone)})"
    )
