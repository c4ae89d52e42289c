"""The weekly letter: what a week brought, what needs the owner, and what the next one brings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from patient_courier.core.overview.sections import Section
from patient_courier.core.telling.words import counted

# So many of a kind are named, the others counted: the letter is read in a minute.
MOST_NAMED = 5


@dataclass(frozen=True, slots=True)
class Named:
    """Some by name, and how many there are in all."""

    names: Sequence[str]
    number: int


@dataclass(frozen=True, slots=True)
class Quote:
    """What a student said: ``value`` of 5 where they gave one."""

    who: str
    value: int | None
    words: str


@dataclass(frozen=True, slots=True)
class Worth:
    """One thing worth doing, and where it is done."""

    sentence: str
    to: str
    link: str


@dataclass(frozen=True, slots=True)
class Week:
    """What is known of a week that ended at ``until`` (in words). ``letters``: letters posted, the most of each first;
    ``coming``: letters of the coming week, by day, as (day, number)."""

    since: str
    until: str
    letters: Sequence[tuple[str, int]]
    bought: Named
    finished: Named
    silent: Named
    left: Named
    said: Sequence[Quote]
    needs_you: int
    coming: Sequence[tuple[str, int]]
    worth: Worth | None


def is_quiet(week: Week) -> bool:
    """Whether there is nothing to say of it."""
    counted_ = (week.bought, week.finished, week.silent, week.left)
    ahead = sum(number for _, number in week.coming)
    said = week.letters or week.said or week.needs_you or week.worth
    return not (any(one.number for one in counted_) or said or ahead)


def subject_of(week: Week) -> str:
    """Its subject: what matters most of it."""
    if week.needs_you:
        return (
            f"Your week: {counted(week.needs_you, 'thing')} {'needs' if week.needs_you == 1 else 'need'} you"
        )
    if week.bought.number:
        return f"Your week: {counted(week.bought.number, 'purchase')}"
    return "Your week: all quiet" if is_quiet(week) else "Your week"


def sections_of(week: Week) -> list[Section]:
    """It as sections; of a week in which nothing was, two lines."""
    if is_quiet(week):
        return [
            Section(
                title="",
                lines=[
                    "Nothing happened in your school this week, and nothing needs you.",
                    "Have a good week.",
                ],
            )
        ]
    found = []
    if week.needs_you:
        needs = "One thing waits" if week.needs_you == 1 else f"{week.needs_you} things wait"
        found.append(
            Section(title="Needs you", lines=[f"{needs} for you."], to="/today", link="See what it is")
        )
    if week.worth:
        found.append(
            Section(
                title="One thing worth doing",
                lines=[week.worth.sentence],
                to=week.worth.to,
                link=week.worth.link,
            )
        )
    for title, named in (
        ("Bought", week.bought),
        ("Finished a course", week.finished),
        ("Left with their money back", week.left),
        ("Fell silent", week.silent),
    ):
        if named.number:
            found.append(Section(title=f"{title}: {named.number}", lines=[_names(named)]))
    if week.said:
        found.append(Section(title="What they said", lines=[_quote(one) for one in week.said[:MOST_NAMED]]))
    total = sum(number for _, number in week.letters)
    if total:
        most = [f"“{name}” {number}" for name, number in week.letters[:3]]
        rest = total - sum(number for _, number in week.letters[:3])
        lines = [", ".join(most) + (f", others {rest}" if rest else "") + "."]
        found.append(
            Section(title=f"Letters posted: {total}", lines=lines, to="/dispatch", link="The dispatch log")
        )
    ahead = sum(number for _, number in week.coming)
    if ahead:
        days = [f"{day} {number}" for day, number in week.coming if number]
        found.append(
            Section(title=f"The coming week: {counted(ahead, 'letter')}", lines=[", ".join(days) + "."])
        )
    else:
        found.append(Section(title="The coming week", lines=["No letter is due, as things stand."]))
    return found


def _names(named: Named) -> str:
    shown = list(named.names[:MOST_NAMED])
    rest = named.number - len(shown)
    if rest:
        return ", ".join(shown) + f" and {rest} more."
    return (", ".join(shown[:-1]) + " and " if len(shown) > 1 else "") + shown[-1] + "."


def _quote(one: Quote) -> str:
    gave = f" gave {one.value} of 5" if one.value is not None else ""
    said = f"“{one.words}”" if one.words else ""
    return f"{one.who}{gave}{': ' if gave and said else '' if gave else ': '}{said}"
