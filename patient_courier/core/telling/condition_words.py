"""Conditions as the end of a sentence: “a student who …”."""

from __future__ import annotations

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school import conditions as c
from patient_courier.core.school.values import THIS, Span
from patient_courier.core.telling import words

_STATUS = {
    "preview": "looking at a preview of",
    "active": "active in",
    "completed": "finished with",
    "expired": "no longer allowed into",
    "refunded": "refunded for",
}


def condition_words(definitions: Definitions, condition: c.Condition) -> str:
    """What the condition says of a student, such as ``has completed First Hive``."""

    def named(kind: str, key: str) -> str:
        if key == THIS:
            return f"this {kind}"
        return f"any {kind}" if key == "any" else words.title(definitions, kind, key)

    def joined(parts: list[c.Condition], word: str) -> str:
        said = [
            f"({text})" if isinstance(part, c.All | c.Any_) and len(parts) > 1 else text
            for part in parts
            for text in [condition_words(definitions, part)]
        ]
        return f" {word} ".join(said) or ("is anyone" if word == "and" else "is no one")

    match condition:
        case c.All():
            return joined(condition.all, "and")
        case c.Any_():
            return joined(condition.any, "or")
        case c.Not():
            return f"not: {condition_words(definitions, condition.not_)}"
        case c.IsEnrolled():
            status = condition.status or ["active", "completed"]
            if set(status) == {"active", "completed"}:
                return f"is enrolled in {named('course', condition.course)}"
            return f"is {' or '.join(_STATUS[one] for one in status)} {named('course', condition.course)}"
        case c.IsCompleted():
            kind, key = next(
                (kind, key)
                for kind, key in (
                    ("lesson", condition.lesson),
                    ("module", condition.module),
                    ("course", condition.course),
                )
                if key is not None
            )
            return f"has completed {'' if kind == 'course' or key == THIS else kind + ' '}{_quoted(kind, named(kind, key))}"
        case c.IsProgress():
            low, high = condition.at_least, condition.at_most
            part = (
                f"between {low}% and {high}%"
                if low is not None and high is not None
                else f"at least {low}%"
                if low is not None
                else f"at most {high if high is not None else 100}%"
            )
            return f"has done {part} of {named('course', condition.course)}"
        case c.IsQuiz():
            done = {
                "passed": "has passed",
                "failed": "has failed and not yet passed",
                "not_taken": "has not taken",
            }
            often = condition.taken > 1 and condition.result != "not_taken"
            times = f", taken at least {condition.taken} times" if often else ""
            return (
                f"{done[condition.result]} the quiz {_quoted('quiz', named('quiz', condition.quiz))}{times}"
            )
        case c.IsBought():
            return f"has bought {named('offer', condition.offer)}{_within(condition.within)}"
        case c.IsTagged():
            return f"has the tag “{condition.tag}”"
        case c.IsSequence():
            found = definitions.sequences.get(condition.sequence)
            name = (found.sequence.name if found else "") or condition.sequence
            done = {"inside": "is inside", "finished": "has finished", "been_inside": "is or was inside"}
            return f"{done[condition.is_]} “{name}”"
        case c.IsLetter():
            ready = definitions.letters.get(condition.letter)
            name = (ready.letter.name if ready else "") or condition.letter
            done = {"sent": "was sent", "opened": "has opened", "clicked": "has clicked in"}
            return f"{done[condition.is_]} the letter “{name}”{_within(condition.within)}"
        case c.IsInactive():
            return f"has been silent in {named('course', condition.course)} for {words.span(condition.for_.value)}"
        case c.IsJoined():
            parts = (
                [f"before {words.day(condition.before)} {condition.before.year}"] if condition.before else []
            )
            parts += [f"after {words.day(condition.after)} {condition.after.year}"] if condition.after else []
            return f"joined {' and '.join(parts)}"
        case c.IsCertified():
            return f"has the certificate for {named('course', condition.course)}"
        case c.IsNewsOn():
            return "wants news"
        case c.IsField():
            if condition.filled is not None:
                return f"has {'a value' if condition.filled else 'no value'} in “{condition.name}”"
            if condition.contains is not None:
                return f"has “{condition.contains}” in “{condition.name}”"
            return f"has “{condition.equals}” as “{condition.name}”"
        case c.IsStudent():
            return f"is one of {len(condition.keys)} chosen students"
    raise TypeError(f"not a condition: {condition!r}")


def _quoted(kind: str, name: str) -> str:
    return name if kind == "course" or name.startswith(("this ", "any ")) else f"“{name}”"


def _within(span: Span | None) -> str:
    return f" in the last {words.span(span.value)}" if span else ""
