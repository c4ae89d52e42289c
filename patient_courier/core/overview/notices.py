"""Notices: what the owner and helpers want to hear of the school themselves, how soon, and what such a letter says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Final, Literal, get_args

from whenever import Instant, Time, Weekday

from patient_courier.core.calendar import calendar
from patient_courier.core.overview.happenings import BY_KIND
from patient_courier.core.school.values import Model

NoticeKind = Literal[
    "signed_up", "purchased", "enrolled", "quiz_failed", "module_completed", "course_completed", "certificate_requested",
    "certificate_issued", "refunded", "answered", "news_stopped", "course_help_stopped", "bounced", "complained",
]  # fmt: skip
NOTICE_KINDS: Final[tuple[NoticeKind, ...]] = get_args(NoticeKind)
HowSoon = Literal["off", "at_once", "daily", "weekly"]
LETTER: Final = "letter"
# When a daily or weekly notice goes out, by the school's clock.
MORNING: Final = Time(8)
# Those that come at once are gathered: after one, the next goes no sooner.
GATHERED_MINUTES: Final = 15
# So many are named in one notice; the rest are counted.
MOST_NAMED: Final = 40


class Wish(Model):
    """How soon somebody hears of a kind of thing; ``course`` None: of every course that has no wish of its own."""

    kind: NoticeKind
    course: str | None = None
    how: HowSoon


class Wishes(Model):
    """All that one person wants to hear. ``letter``: the weekly letter of the school."""

    wishes: list[Wish] = []
    letter: bool = False

    def how(self, kind: str, courses: Iterable[str]) -> HowSoon:
        """How soon they hear of something of these courses (none: of no course): the soonest of what is wished."""
        own: dict[str | None, HowSoon] = {one.course: one.how for one in self.wishes if one.kind == kind}
        general: HowSoon = own.get(None, "off")
        found = [own.get(course, general) for course in courses] or [general]
        return min(found, key=_SOONEST.index)

    def hows(self) -> list[str]:
        """What they have to be thought of for: how soon they want to hear of anything, and the weekly ``letter``."""
        wished = {one.how for one in self.wishes} - {"off"}
        return [*(how for how in _SOONEST if how in wished), *([LETTER] if self.letter else [])]


_SOONEST: Final[tuple[HowSoon, ...]] = ("at_once", "daily", "weekly", "off")


@dataclass(frozen=True, slots=True)
class Noticed:
    """Something that happened, for a notice: ``text`` says what (``bought First Hive``), ``who`` by name, ``when`` in words."""

    kind: str
    courses: frozenset[str]
    who: str
    text: str
    when: str


def last_morning(now: Instant, zone: str, *, weekly: bool) -> Instant:
    """The last time a daily (or, on a Monday, a weekly) notice was due, by the school's clock."""
    date = calendar.local_date(now, zone)
    if weekly:
        date = date.subtract(days=date.day_of_week().value - Weekday.MONDAY.value)
    due = calendar.resolve(date.at(MORNING), zone)
    if due > now:
        due = calendar.resolve(date.subtract(days=7 if weekly else 1).at(MORNING), zone)
    return due


def next_morning(now: Instant, zone: str, *, weekly: bool) -> Instant:
    """The next time such a notice is due, after now."""
    last = calendar.local_date(last_morning(now, zone, weekly=weekly), zone)
    return calendar.resolve(last.add(days=7 if weekly else 1).at(MORNING), zone)


def picked(wishes: Wishes, found: Sequence[Noticed], how: HowSoon) -> list[Noticed]:
    """Those that are to be heard of so soon."""
    return [one for one in found if wishes.how(one.kind, one.courses) == how]


def subject(found: Sequence[Noticed]) -> str:
    """What a notice is headed by: what happened if it is one thing, else how much of what."""
    if len(found) == 1:
        return f"{found[0].who} {found[0].text}"
    counts = Counter(one.kind for one in found)
    said = [f"{BY_KIND[kind].title} ({number})" for kind, number in counts.most_common(3)]
    return ", ".join(said) + (" and more" if len(counts) > 3 else "")
