"""Why a letter went out, or why not: ordered plain sentences, worded on reading from a run's trail."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from whenever import Instant

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import Happening
from patient_courier.core.engine.plan import Plan
from patient_courier.core.school.events import Matcher, OnEnrolled
from patient_courier.core.school.sequences import Branch, WaitFor, Waypoint
from patient_courier.core.school.values import Span
from patient_courier.core.telling import words
from patient_courier.core.telling.condition_words import condition_words

_PURPOSE = {
    "service": "It is a service letter, so it goes out at any hour.",
    "course_help": "Its purpose is course help, which this student has not stopped.",
    "news": "Its purpose is news, and this student wants news.",
}


def _trail_sentence(
    definitions: Definitions, plan: Plan, entry: Sequence[Any], events: Mapping[int, Happening], zone: str
) -> str:
    """One entry of a trail as a sentence."""
    kind, place = entry[0], plan.places.get(str(entry[1]))
    step = place.step if place else None
    match kind:
        case "waited":
            return f"Waited until {words.moment(entry[3], zone)}."
        case "happened" | "already" | "time_passed" if isinstance(step, WaitFor):
            ending = {
                "happened": "it happened",
                "already": "it had happened already",
                "time_passed": "the time passed first",
            }
            what = matcher_words(definitions, step.event)
            return f"Waited for the student to have {what}; {ending[kind]} ({words.moment(entry[2], zone)})."
        case "reached" | "already" if isinstance(step, Waypoint):
            return f"Reached the waypoint: {matcher_words(definitions, step.reach)} ({words.moment(entry[2], zone)})."
        case "chose" if isinstance(step, Branch):
            number = entry[2]
            if number < 0:
                which = "none of the conditions held, so it went on with “otherwise”"
            else:
                which = f"the student {condition_words(definitions, step.arms[number].if_)}"
            return f"At the branch, {which} ({words.moment(entry[3], zone)})."
        case "too_late":
            return f"The date had passed by {words.moment(entry[2], zone)}, so that part was skipped."
        case "moved":
            return f"You moved the student to version {entry[3]} of the sequence ({words.moment(entry[2], zone)})."
        case "left":
            cause = events.get(entry[1])
            because = f": {words.what_happened(definitions, cause)}" if cause else ""
            return f"Left early{because} ({words.moment(entry[2], zone)})."
        case _:
            return str(kind).replace("_", " ").capitalize() + "."


_VIA = {"purchase": "by purchase", "manual": "by hand", "import": "by import", "preview": "for a preview"}
_ANYTHING = {
    "percent": 0,
    "score": 0,
    "tag": "any",
    "form": "any",
    "answer": "any",
    "hard": True,
    **dict.fromkeys(("course", "module", "lesson", "quiz", "offer"), "any"),
}


def matcher_words(definitions: Definitions, matcher: Matcher) -> str:
    """A matcher as the end of a sentence: “When a student has …”."""
    names: dict[str, Any] = dict(_ANYTHING)
    for name, value in matcher.selectors().items():
        names["span" if isinstance(value, Span) else name] = value.value if isinstance(value, Span) else value
    if isinstance(matcher, OnEnrolled):
        course = words.title(definitions, "course", matcher.course) if matcher.course else "any course"
        return f"enrolled in {course} {one_of([_VIA[via] for via in matcher.via])}"
    names.setdefault("span", Duration())
    kind: str = matcher.on
    said = words.what_happened(definitions, Happening(kind, Instant.MIN, names))
    return said.replace("was silent", "been silent", 1)


def one_of(found: Sequence[str]) -> str:
    """``a``, ``a or b``, ``a, b or c``."""
    return " or ".join([", ".join(found[:-1]), found[-1]]) if len(found) > 1 else "".join(found)


def _asked(purpose: str) -> str:
    """The guards that were asked at the moment of sending, in their order (core/engine/guards.py)."""
    asked = ["the address works", "no letter was reported as unwanted"]
    if purpose != "news":
        asked.append("the student was still in the course")
    asked += ["it was not sent too short a while ago", "every merge field had a value or a fallback"]
    if purpose != "service":
        asked += ["posting hours were open", "the day’s limit was not reached"]
    return f"Asked at that moment: {', '.join(asked[:-1])}, and {asked[-1]}."


_ONCE = {
    "once": "a student comes in only once",
    "once_per_subject": "a student comes in only once for the same thing",
    "when_finished": "the student was still inside",
}
_ONLY_RUNNING = {
    "draft": "it is a draft",
    "paused": "it is paused",
    "closed": "it is closed",
}


def not_begun(
    definitions: Definitions, sequence: str, cause: Happening | None, refused_by: str, at: Instant, zone: str
) -> str:
    """Why a sequence did not begin, as one sentence."""
    found = definitions.sequences[sequence].sequence
    why = {
        "status": _ONLY_RUNNING.get(found.status, ""),
        "again": _ONCE.get(found.again, ""),
        "only_if": f"it is only for a student who {condition_words(definitions, found.only_if)}"
        if found.only_if
        else "",
    }[refused_by]
    after = f" after the student {words.what_happened(definitions, cause)}" if cause else ""
    return f"Did not begin{after} ({words.moment(at, zone)}): {why}."


def broadcast_story(
    name: str,
    zone: str,
    *,
    started: Instant | None,
    purpose: str,
    status: str,
    reason: str | None,
    at: Instant,
    holds: Sequence[Sequence[Any]],
    inside: Sequence[str] = (),
    until: Instant | None = None,
) -> list[str]:
    """The story of a broadcast's letter: the list it belongs to, what kept it back, what became of it.

    ``inside`` names the sequences that the student was inside at the decision; ``until`` is when the guards are asked
    again while it is ``held``.
    """
    when = f" when its list was drawn up ({words.moment(started, zone)})" if started else ""
    told = [f"The student was on the list of the broadcast “{name}”{when}."]
    where = f" They are inside {_and([f'“{one}”' for one in inside])}." if inside else ""
    for start, end, why in holds:
        if status == "held" and until is not None and end == until and end > at:
            continue  # it lasts still
        told.append(
            f"Kept back from {words.moment(start, zone)} until {words.moment(end, zone)}. {words.reason(why)}"
        )
    if status == "held":
        lasts = f", until {words.moment(until, zone)} at the latest" if until else ""
        if reason == "inside_sequence":
            return [
                *told,
                f"Kept back while the student is inside a sequence that holds broadcasts{lasts}.{where}",
            ]
        lasts = f" until {words.moment(until, zone)}" if until else ""
        return [*told, f"Kept back{lasts}, then asked again. {words.reason(reason)}"]
    became = _became(purpose, status, reason, at, zone)
    if reason == "inside_sequence":
        became[-1] += where.replace("They are", "They were")
    return told + became


def _and(found: Sequence[str]) -> str:
    return " and ".join([", ".join(found[:-1]), found[-1]]) if len(found) > 1 else "".join(found)


def to_whom(to: str | Sequence[str] | None) -> str | None:
    """To whom a letter about a student goes, in words: “you”, or addresses; None when it goes to the student."""
    if to is None:
        return None
    found = [to] if isinstance(to, str) else to
    return _and(["you" if one == "owner" else one for one in found])


def _became(
    purpose: str, status: str, reason: str | None, at: Instant, zone: str, to: str | None = None
) -> list[str]:
    """What became of a letter, and what was asked before; of one ``to`` others (:func:`to_whom`) no student's guard is."""
    moment = words.moment(at, zone)
    match status:
        case "queued" | "posting" | "sent" if to is not None:
            return [
                f"It goes to {to}, not to the student, so nothing was asked of the student’s wishes.",
                f"Every merge field had a value or a fallback, so it went out ({moment}).",
            ]
        case "queued" | "posting" | "sent":
            return [
                _PURPOSE[purpose],
                _asked(purpose),
                f"Nothing stood against it, so it went out ({moment}).",
            ]
        case "skipped":
            return [f"Not posted ({moment}). {words.reason(reason)}"]
        case "stuck" | "bounced" | "unsure" | "dropped":
            opening = {
                "stuck": "It waits for you",
                "bounced": "The mail server refused it",
                "unsure": "It may or may not have arrived",
                "dropped": "It will not go out",
            }[status]
            return [f"{opening} ({moment}). {words.reason(reason)}"]
        case _:
            return []


def story(
    definitions: Definitions,
    plan: Plan,
    cause: Happening | None,
    trail: Sequence[Sequence[Any]],
    events: Mapping[int, Happening],
    *,
    started: Instant,
    zone: str,
    purpose: str,
    status: str,
    reason: str | None,
    at: Instant,
    holds: Sequence[Sequence[Any]],
    to: str | Sequence[str] | None = None,
) -> list[str]:
    """The story of one letter, in order: what started the run, what it waited for, what was decided.

    ``trail`` is the run's trail up to the letter, ``events`` the events it
    names by number; times are worded in ``zone``. ``to``: it goes to others than the student.
    """
    name = plan.sequence.called
    told = []
    if cause is not None:
        first = words.what_happened(definitions, cause)
        told.append(f"{first[0].upper()}{first[1:]}, so “{name}” started ({words.moment(started, zone)}).")
    else:
        told.append(f"“{name}” started ({words.moment(started, zone)}).")
    told += [_trail_sentence(definitions, plan, entry, events, zone) for entry in trail]
    for start, until, why in holds:
        told.append(
            f"Kept back from {words.moment(start, zone)} until {words.moment(until, zone)}. {words.reason(why)}"
        )
    return told + _became(purpose, status, reason, at, zone, to_whom(to))
