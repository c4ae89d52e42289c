"""Why one student is in an audience, or out: each line with what is true of the student."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.conditions import Asked, holds, progress
from patient_courier.core.school import conditions as c
from patient_courier.core.telling import words
from patient_courier.core.telling.condition_words import condition_words


@dataclass(frozen=True, slots=True)
class WhyLine:
    """One line of an audience: what it asks, whether it holds, and the student's own value."""

    words: str
    holds: bool
    own: str


def why_in(condition: c.Condition, asked: Asked) -> list[WhyLine]:
    """The lines of a condition, all of which must hold, for one student."""
    parts = condition.all if isinstance(condition, c.All) else [condition]
    return [
        WhyLine(condition_words(asked.definitions, part), holds(part, asked), own_value(part, asked))
        for part in parts
    ]


def own_value(condition: c.Condition, asked: Asked) -> str:
    """What is true of the student where the condition asks; each part of a group in its turn."""
    match condition:
        case c.All():
            return "; ".join(own_value(part, asked) for part in condition.all)
        case c.Any_():
            return "; ".join(own_value(part, asked) for part in condition.any)
        case c.Not():
            return own_value(condition.not_, asked)
        case c.IsEnrolled():
            return _courses(condition.course, asked)
        case c.IsCompleted():
            return _completed(condition, asked)
        case c.IsProgress():
            if condition.course not in asked.definitions.courses:
                return ""
            done = progress(asked.definitions, asked.state, condition.course)
            return f"{done}% of {words.title(asked.definitions, 'course', condition.course)}"
        case c.IsQuiz():
            record = asked.state.facts.quizzes.get(condition.quiz)
            if record is None:
                return "has not taken it"
            times = "once" if record.attempts == 1 else f"{record.attempts} times"
            return f"{'passed' if record.passed else 'failed'}, last {record.score:g} points, taken {times}"
        case c.IsBought():
            bought = [
                words.title(asked.definitions, "offer", p.offer) for p in asked.state.facts.bought(None)
            ]
            return f"bought {_list(bought)}" if bought else "has bought nothing"
        case c.IsTagged():
            return f"tags: {_list(asked.state.facts.tags)}" if asked.state.facts.tags else "has no tags"
        case c.IsSequence():
            return _sequence(condition, asked)
        case c.IsLetter():
            return _letter(condition, asked)
        case c.IsInactive():
            return _seen(asked)
        case c.IsJoined():
            first = asked.state.facts.first_event
            return f"joined {_day(first, asked)}" if first else "nothing has happened yet"
        case c.IsCertified():
            found = asked.state.facts.certificates.get(condition.course)
            return "has it" if found and found.issued else "has none"
        case c.IsNewsOn():
            return "wants news" if asked.state.facts.news else "does not want news"
        case c.IsField():
            value = asked.state.student.fields.get(condition.name)
            return f"“{value}”" if value not in (None, "") else "has no value there"
        case c.IsStudent():
            return asked.state.student.email
    raise TypeError(f"not a condition: {condition!r}")


def _day(at: Instant, asked: Asked) -> str:
    date = calendar.local_date(at, asked.state.zone)
    return f"{words.day(date)} {date.year}"


def _list(found: Iterable[str]) -> str:
    return ", ".join(dict.fromkeys(found))


def _courses(course: str, asked: Asked) -> str:
    facts = asked.state.facts
    keys = list(facts.enrolments) if course == "any" else [course]
    said = [
        f"{facts.status(key)} in {words.title(asked.definitions, 'course', key)}"
        for key in keys
        if key in facts.enrolments
    ]
    return _list(said) or "is not in it"


def _completed(condition: c.IsCompleted, asked: Asked) -> str:
    facts = asked.state.facts
    for key, known in (
        (condition.course, facts.courses),
        (condition.module, facts.modules),
        (condition.lesson, facts.lessons),
    ):
        if key is not None:
            return f"finished {_day(known[key], asked)}" if key in known else "has not finished it"
    return ""


def _sequence(condition: c.IsSequence, asked: Asked) -> str:
    runs = asked.state.runs_of(condition.sequence)
    if not runs:
        return "was never inside"
    last = runs[-1]
    if last.is_open:
        return f"inside since {_day(last.started, asked)}"
    return f"{last.outcome} {_day(last.ended or last.started, asked)}"


def _letter(condition: c.IsLetter, asked: Asked) -> str:
    facts = asked.state.facts
    if condition.is_ == "sent":
        sent = [one.at for one in facts.sent if one.letter == condition.letter]
        return f"sent {_day(max(sent), asked)}" if sent else "was never sent it"
    at = (facts.opened if condition.is_ == "opened" else facts.clicked).get(condition.letter)
    return f"{condition.is_} {_day(at, asked)}" if at else f"has not {condition.is_} it"


def _seen(asked: Asked) -> str:
    seen = [asked.state.facts.last_seen(key) for key in asked.state.facts.enrolments]
    return f"last seen {_day(max(seen), asked)}" if seen else "is in no course"
