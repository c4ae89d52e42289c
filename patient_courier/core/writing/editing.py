"""A sequence while it is edited: its parts in words, what its start is about, and what can't be read yet."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import TypeAdapter, ValidationError

from patient_courier.core.checks.finding import Finding
from patient_courier.core.checks.spots import spots
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.reading.school_file import EMPTY, validation_faults
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.sequences import (
    Branch,
    Call,
    CertificateStep,
    Dated,
    End,
    Repeat,
    Send,
    Sequence,
    StartSequence,
    Step,
    StopSequence,
    TagStep,
    Tell,
    Wait,
    WaitFor,
    Waypoint,
)
from patient_courier.core.telling import words
from patient_courier.core.telling.condition_words import condition_words
from patient_courier.core.telling.story import matcher_words


def subject_course(definitions: Definitions, sequence: Sequence) -> str | None:
    """The short title of the course that the starts name, if they all name the same."""
    named = {origin_course(definitions, matcher) for matcher in sequence.starts}
    key = named.pop() if len(named) == 1 else None
    return definitions.short_titles.get(key or "")


def origin_course(definitions: Definitions, matcher: Matcher) -> str | None:
    wanted = matcher.selectors()
    inner = wanted.get("lesson") or wanted.get("quiz") or wanted.get("module")
    course = wanted.get("course") or (str(inner).partition("/")[0] if inner else None)
    return course or definitions.course_of_offer(str(wanted.get("offer")))


def course_begun_with(definitions: Definitions, body: Mapping[str, Any]) -> str | None:
    """The course that the first start of a sequence names, even while the rest of it can't be read."""
    starts = body.get("starts")
    try:
        first = _STARTS.validate_python(starts[:1] if isinstance(starts, list) else [])
    except ValidationError:
        return None
    found = origin_course(definitions, first[0]) if first else None
    return found if found in definitions.courses else None


_STARTS: TypeAdapter[list[Matcher]] = TypeAdapter(list[Matcher])


def starts_words(definitions: Definitions, sequence: Sequence) -> str:
    """The starts as the end of a sentence: “When a student has …”."""
    return " or ".join(matcher_words(definitions, matcher) for matcher in sequence.starts)


# What sequences mostly begin with (common practice, no source).
_USUAL_STARTS = (
    "enrolled",
    "purchased",
    "lesson_completed",
    "module_completed",
    "inactive",
    "quiz_failed",
    "course_completed",
    "certificate_issued",
    "signed_up",
    "tag_added",
)


def likely_starts(definitions: Definitions) -> list[str]:
    """Events that a new sequence of this school will likely begin with: what its others begin with, then the usual."""
    used = Counter(matcher.on for plan in definitions.sequences.values() for matcher in plan.sequence.starts)
    return list(dict.fromkeys([*(on for on, _ in used.most_common()), *_USUAL_STARTS]))


def letter_behind(definitions: Definitions, plan: Plan, step: str) -> str | None:
    """The letter that a run at this step comes to when its time has come: the step's own, or the next one's."""
    place = plan.places[step]
    then = [place.step, *([plan.places[place.after].step] if place.after else [])]
    posted = next((one.letters for one in then if isinstance(one, Send)), [])
    return letters_words(definitions, posted) or None


def phrases(definitions: Definitions, sequence: Sequence) -> dict[str, list[str]]:
    """For each step what it waits for, or its conditions one after the other, in words."""
    return {
        spot.step.id: said for spot in spots(sequence.steps) if (said := _phrases(definitions, spot.step))
    }


def _phrases(definitions: Definitions, step: Step) -> list[str]:
    match step:
        case WaitFor():
            return [matcher_words(definitions, step.event)]
        case Waypoint():
            return [matcher_words(definitions, step.reach)]
        case Branch():
            return [condition_words(definitions, arm.if_) for arm in step.arms]
        case (
            Send()
            | Wait()
            | TagStep()
            | Repeat()
            | Dated()
            | StartSequence()
            | StopSequence()
            | Tell()
            | CertificateStep()
            | Call()
            | End()
        ):
            return []


def unreadable(error: ValidationError, body: dict[str, Any]) -> list[Finding]:
    """What the models refuse, at the step it concerns: a field that is still empty, for instance."""
    found = []
    key = str(body.get("key", ""))
    for fault in validation_faults(error, body):
        step = _step_at(body, fault.pointer)
        sentence = _unchosen(fault.pointer) if fault.sentence == EMPTY else _opened(fault.sentence)
        found.append(Finding("fault", "unreadable", sentence, key, step=step, pointer=fault.pointer))
    return found


# What a creator leaves open, by the name it has in the school file.
_OPEN = {"tag": "tag", "name": "field", "keys": "student", "url": "address", "form": "form"}


def _unchosen(pointer: str) -> str:
    """What has not been chosen yet at a place, as a sentence."""
    name = pointer.rpartition("/")[2]
    return f"No {_OPEN.get(name, name.replace('_', ' '))} is chosen here yet."


def _opened(sentence: str) -> str:
    return sentence[:1].upper() + sentence[1:] + "."


def _step_at(body: Any, pointer: str) -> str | None:
    """The id of the innermost step on the way of a JSON pointer."""
    step = None
    for part in pointer.strip("/").split("/"):
        try:
            body = body[int(part)] if isinstance(body, list) else body[part]
        except (KeyError, IndexError, ValueError, TypeError):
            break
        if isinstance(body, dict) and "do" in body:
            step = str(body.get("id", ""))
    return step


def letters_words(definitions: Definitions, keys: Iterable[str]) -> str:
    """The letters that somebody may get, one of them each: their names with “or” between."""
    return " or ".join(
        definitions.letters[key].letter.called if key in definitions.letters else key for key in keys
    )


def step_words(definitions: Definitions, plan: Plan, step: str | None) -> str:
    """A step in a few words."""
    if step is None or step not in plan.places:
        return "the beginning"
    match found := plan.places[step].step:
        case s.Send() | s.Tell():
            return letters_words(definitions, s.posted_by(found))
        case s.Wait():
            length = words.span(found.for_.value) if found.for_ else ""
            return " ".join(
                x for x in ("wait", length, f"until {found.at.format_iso()[:5]}" if found.at else "") if x
            )
        case s.WaitFor():
            return f"wait for: {matcher_words(definitions, found.event)}"
        case s.Waypoint():
            return f"waypoint: {matcher_words(definitions, found.reach)}"
        case (
            s.Branch()
            | s.TagStep()
            | s.Repeat()
            | s.Dated()
            | s.StartSequence()
            | s.StopSequence()
            | s.CertificateStep()
            | s.Call()
            | s.End()
        ):
            return str(found.do).replace("_", " ")
