"""Findings over the whole school: what a friend with experience would point at. Thresholds: common practice, no source."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from statistics import median
from typing import Final, Literal

from patient_courier.core.courses.course_line import ENROLLED
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures.rates import SMALL, rate
from patient_courier.core.school.values import Model
from patient_courier.core.telling.words import counted

Code = Literal[
    "stalled_unwritten", "before_switched_on", "never_began", "hears_nothing", "too_many_letters", "unopened_letter",
    "certificate_waits", "address_bounces", "consent_without_source", "past_date", "old_title", "other_price",
    "broken_link", "unused_tag", "unused_letter", "runs_badly",
]  # fmt: skip
# Somebody who gets more letters than this in seven days gets many.
MANY_A_WEEK: Final = 7
# So long nothing was heard, begun, or approved before it is said.
HEARS_NOTHING_DAYS, NEVER_BEGAN_DAYS, WAITS_DAYS = 30, 14, 7
# Addresses of a domain that bounce: so many, and so large a share of it.
BOUNCES_FROM, BOUNCES_SHARE = 3, 0.05


class Nudged(Model):
    """A stop of a course for which a letter can be drafted by one click."""

    course: str
    stop: str


class Finding(Model):
    """One finding. ``about`` tells it from others of its code; ``size`` is how large it is (students, or places where it
    is about none); ``to`` leads to where it is mended; ``nudge`` where one click does."""

    code: Code
    about: str = ""
    title: str
    why: str
    students: int = 0
    size: int = 0
    mend: str
    to: str
    nudge: Nudged | None = None

    @property
    def known_as(self) -> str:
        """What tells it from all others, also of another check-up."""
        return f"{self.code}:{self.about}"


@dataclass(frozen=True, slots=True)
class Opened:
    """How many students got a letter lately, and how many of them opened it."""

    letter: str
    sent: int
    opened: int


def in_order(found: Iterable[Finding]) -> list[Finding]:
    """By students touched, the most first; what runs badly before all, since it touches everybody."""
    return sorted(found, key=lambda one: (one.code != "runs_badly", -one.students, -one.size, one.title))


def shown(found: Iterable[Finding], aside: Mapping[str, int]) -> list[Finding]:
    """Without those put aside, but for those that have got worse since (``aside``: their sizes then)."""
    return [one for one in found if one.known_as not in aside or one.size > aside[one.known_as]]


def stalled_unwritten(course: str, course_title: str, places: Sequence[tuple[str, str, int]]) -> Finding:
    """``places`` are stops (id, title) with how many are silent there whom no letter reaches; the most first."""
    stop, title, most = places[0]
    number = sum(one[2] for one in places)
    where = "after enrolling" if stop == ENROLLED else f"at “{title}”"
    if len(places) == 1:
        said = (
            f"{counted(number, 'student')} went silent {where} in {course_title}, and nobody writes to them"
        )
    else:
        said = f"{counted(number, 'student')} went silent in {course_title} where nobody writes, most ({most}) {where}"
    others = f" There are {len(places)} such places." if len(places) > 1 else ""
    return Finding(
        code="stalled_unwritten",
        about=course,
        title=said,
        why=f"They have done nothing there for a week or more, and no letter has reached them or will.{others}",
        students=number,
        size=number,
        mend=f"Draft a letter for the {most}",
        to=f"/courses/{course}",
        nudge=Nudged(course=course, stop=stop),
    )


def never_began(course: str, title: str, number: int) -> Finding:
    return Finding(
        code="never_began",
        about=course,
        title=f"{counted(number, 'student')} bought {title} and never began",
        why="Two weeks and more have passed. Who has not begun by then seldom does without a word from you.",
        students=number,
        size=number,
        mend="Draft a letter for them",
        to=f"/courses/{course}",
        nudge=Nudged(course=course, stop=ENROLLED),
    )


def hears_nothing(number: int) -> Finding:
    return Finding(
        code="hears_nothing",
        title=f"{counted(number, 'student')} in a course never heard anything from you",
        why="They have been in it for a month or more, and no letter of any sequence or broadcast went to them.",
        students=number,
        size=number,
        mend="See who is told what",
        to="/who-is-told",
    )


def before_switched_on(sequence: str, name: str, what: str, number: int) -> Finding:
    verb = "was" if number == 1 else "were"
    return Finding(
        code="before_switched_on",
        about=sequence,
        title=f"{counted(number, 'student')} {verb} there before “{name}” was switched on, and never got its letters",
        why=f"It begins when a student has {what}; to them that had happened before. They may lack how to get in.",
        students=number,
        size=number,
        mend="Take them in, after a look",
        to=f"/sequences/{sequence}?run",
    )


def too_many_letters(number: int, most: int, sequences: Sequence[str]) -> Finding:
    named = ", ".join(f"“{name}”" for name in sequences[:3])
    return Finding(
        code="too_many_letters",
        title=f"{counted(number, 'student')} got more than {MANY_A_WEEK} letters in a week",
        why=f"Up to {most} in seven days, in the last four weeks; most of them from {named}.",
        students=number,
        size=number,
        mend="Set how many a day",
        to="/school",
    )


def unopened_letters(definitions: Definitions, letters: Sequence[Opened]) -> list[Finding]:
    """Letters opened clearly less than half as often as the middle one of the school (Wilson's range at 95%)."""
    known = [one for one in letters if one.sent >= SMALL]
    if len(known) < 3:
        return []
    middle = median(one.opened / one.sent for one in known)
    found = []
    for one in known:
        share = rate(one.opened, one.sent)
        if share.high < middle / 2 and one.letter in definitions.letters:
            name = definitions.letters[one.letter].letter.called
            missed = one.sent - one.opened
            found.append(
                Finding(
                    code="unopened_letter",
                    about=one.letter,
                    title=f"“{name}” is hardly ever opened: by {one.opened} of {one.sent}",
                    why=f"In the last half year; the middle letter of your school is opened by {100 * middle:.0f}%.",
                    students=missed,
                    size=missed,
                    mend="Try another subject",
                    to=f"/letters/{one.letter}",
                )
            )
    return found


def certificates_wait(number: int, days: int) -> Finding:
    verb = "waits" if number == 1 else "wait"
    return Finding(
        code="certificate_waits",
        title=f"{counted(number, 'certificate')} {verb} for your approval for over a week",
        why=f"The oldest for {counted(days, 'day')}. They have finished, and hear nothing until you have looked.",
        students=number,
        size=number,
        mend="Look at them",
        to="/today",
    )


def address_bounces(domain: str, number: int, of: int) -> Finding:
    what = "addresses" if number > 1 else "address"
    at = f" at {domain}" if domain else ""
    return Finding(
        code="address_bounces",
        about=domain,
        title=f"{number} {what}{at} can't be reached",
        why=(
            f"That is {number} of the {of} there: their mail server may refuse all your letters."
            if domain
            else "An earlier letter came back. Nothing goes there until the address is mended."
        ),
        students=number,
        size=number,
        mend="See who they are",
        to="",
    )


def consent_without_source(number: int) -> Finding:
    gets = "gets" if number == 1 else "get"
    return Finding(
        code="consent_without_source",
        title=f"{counted(number, 'student')} {gets} news, and nothing says where they agreed",
        why="Who is asked must be able to say when and how somebody agreed (GDPR, article 7.1).",
        students=number,
        size=number,
        mend="See who they are",
        to="",
    )


def runs_badly(sentence: str, do: str, about: str) -> Finding:
    return Finding(
        code="runs_badly",
        about=about,
        title=sentence,
        why=do,
        size=1,
        mend="See how it runs",
        to="/school/check-up",
    )
