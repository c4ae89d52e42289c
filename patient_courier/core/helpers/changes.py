"""What was changed, in words: from what a transaction has changed to lines that say before and after."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.school.text import clean_line
from patient_courier.core.telling.words import span

MOST_LINES, LONGEST = 40, 400
# More students than this in one act are told as a number.
MANY: Final = 20
NOUNS: Final[Mapping[str, str]] = {
    "school": "School", "course": "Course", "offer": "Offer", "letter": "Letter", "sequence": "Sequence",
    "sequence_status": "Sequence", "layout": "Layout", "audience": "Audience", "broadcast": "Broadcast",
    "sign_up_form": "Sign-up form", "connection": "Connection", "secret": "Secret of", "destination": "Destination",
    "key": "Key", "list": "List for tools", "signing_key": "Signing key", "picture": "Picture", "setting": "Setting",
    "person": "Helper", "passkey": "Passkey of", "invitation": "Invitation of", "student": "Student",
    "site_note": "What the course site sends at", "wishes": "Notices of", "put_aside": "Finding put aside:",
}  # fmt: skip
# Told of the student whom they are about.
OF_STUDENTS: Final = frozenset({"student", "tag", "enrolment", "certificate", "print", "help"})
# What can be put back as it was, from what is kept here.
PUT_BACK: Final = frozenset({"school", "letter", "layout", "audience"})
SECRET: Final = frozenset({"password", "secret", "private", "token", "phrase", "value"})
_SPAN: Final = re.compile(r"P[\dT][\dTHMSDWY.]*$")
SETTINGS: Final[Mapping[str, str]] = {
    "posting": "Mail servers", "copying": "Copies", "incoming": "The mailbox that is read", "changes": "What was changed",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Seen:
    """A row as it was ``before`` and is ``after`` (None: not there); ``student`` is the row id of whom it is about."""

    kind: str
    key: str
    name: str
    student: int | None
    before: dict[str, Any] | None
    after: dict[str, Any] | None


@dataclass(frozen=True, slots=True)
class Line:
    """One thing of it, before and after, in words; empty: nothing was or is there."""

    what: str
    before: str
    after: str


@dataclass(frozen=True, slots=True)
class Change:
    """One thing that was changed. ``before`` and ``after`` are kept only of what can be put back."""

    kind: str
    key: str
    title: str
    lines: tuple[Line, ...] = ()
    student: int | None = None
    before: dict[str, Any] | None = None
    after: dict[str, Any] | None = None


def told(seen: Sequence[Seen]) -> list[Change]:
    """What was changed in one act, each thing once, by its first before and its last after; in the order of the act.

    Of a student who was erased nothing is told but that one was.
    """
    erased = {one.student for one in seen if one.kind == "student" and one.after is None}
    found = _net([one for one in seen if one.student is None or one.student not in erased])
    changes = [_change(one) for one in found if one.kind not in OF_STUDENTS]
    changes += _of_students([one for one in found if one.kind in OF_STUDENTS])
    if erased:
        changes.append(
            Change("erased", "", "A student erased" if len(erased) == 1 else f"{len(erased)} students erased")
        )
    return changes


def _net(seen: Sequence[Seen]) -> list[Seen]:
    """Without what is as it was in the end: courses, for one, are saved by taking all away and putting all back."""
    found: dict[tuple[str, str], Seen] = {}
    for one in seen:
        first = found.get((one.kind, one.key))
        found[one.kind, one.key] = one if first is None else replace(one, before=first.before)
    return [one for one in found.values() if one.before != one.after]


def _change(one: Seen) -> Change:
    name = SETTINGS.get(one.name, one.name) if one.kind == "setting" else clean_line(one.name)
    noun = NOUNS[one.kind]
    done = (
        (" made" if one.before is None else " removed" if one.after is None else "")
        if one.kind != "setting"
        else ""
    )
    keeps = one.kind in PUT_BACK
    # What a thing is made of can be looked at there; of what is small, it is told.
    whole = one.before is None or one.after is None
    lines = () if whole and one.kind in _LARGE else tuple(_bounded(lines_of(one.before, one.after)))
    return Change(
        kind="sequence" if one.kind == "sequence_status" else one.kind,
        key=one.key,
        title="The school" if one.kind == "school" else f"{noun} “{name}”{done}",
        lines=lines,
        before=one.before if keeps else None,
        after=one.after if keeps else None,
    )


_LARGE: Final = frozenset(
    {"school", "course", "offer", "letter", "sequence", "layout", "broadcast", "sign_up_form", "connection"}
)


def _of_students(seen: Sequence[Seen]) -> list[Change]:
    """One change for each student; the same of many at once as a number."""
    each: dict[int, list[Seen]] = defaultdict(list)
    for one in seen:
        if one.student is not None:
            each[one.student].append(one)
    changes = []
    for student, ones in each.items():
        made = any(one.kind == "student" and one.before is None for one in ones)
        name = clean_line(ones[-1].name)
        lines = [line for one in ones for line in lines_of(one.before, one.after)]
        title = f"Student {name}{' added' if made else ''}"
        changes.append(Change("student", str(student), title, tuple(_bounded(iter(lines))), student))
    if len(changes) <= MANY:
        return changes
    alike: dict[tuple[Line, ...], int] = defaultdict(int)
    for change in changes:
        alike[change.lines] += 1
    if len(alike) > MANY:
        return [Change("students", "", f"{len(changes)} students")]
    return [Change("students", "", f"{number} students", lines) for lines, number in alike.items()]


def lines_of(before: Mapping[str, Any] | None, after: Mapping[str, Any] | None) -> Iterator[Line]:
    """What differs between two states of a thing, place by place."""
    yield from _differ((), before or {}, after or {})


def _bounded(lines: Iterator[Line]) -> Iterator[Line]:
    for number, line in enumerate(lines):
        if number == MOST_LINES:
            yield Line("and more", "", "")
            return
        yield line


def _differ(path: tuple[str, ...], before: Any, after: Any) -> Iterator[Line]:
    if before == after:
        return
    if path and path[-1] in SECRET:
        yield Line(
            _label(path), "", "another one" if before and after else "given" if after else "taken away"
        )
    elif isinstance(before, Mapping) and isinstance(after, Mapping):
        for name in [*before, *(name for name in after if name not in before)]:
            yield from _differ((*path, str(name)), before.get(name), after.get(name))
    elif _things(before) and _things(after) and (before or after):
        yield from _differ(path, _by_name(before), _by_name(after))
    else:
        yield Line(_label(path), said(before), said(after))


def _things(value: Any) -> bool:
    return isinstance(value, list) and all(isinstance(one, Mapping) for one in value)


def _by_name(things: list[Any]) -> dict[str, Any]:
    """Things of a list by what they are called, or else by their place (from 1)."""
    found: dict[str, Any] = {}
    for number, one in enumerate(things, 1):
        name = str(one.get("id") or one.get("key") or number)
        found[name if name not in found else f"{name} {number}"] = one
    return found


def _label(path: tuple[str, ...]) -> str:
    return " · ".join(clean_line(part).replace("_", " ") for part in path) or "it"


def said(value: Any) -> str:
    """A value in words, cut where it is long."""
    if value is None or value == "" or value == [] or value == {}:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Mapping):
        inside = (f"{_label((str(name),))} {_inside(name, one)}" for name, one in value.items() if said(one))
        found = ", ".join(inside)
    elif isinstance(value, list):
        found = ", ".join(said(one) for one in value)
    elif isinstance(value, str) and _SPAN.match(value):
        found = _span(value)
    else:
        found = clean_line(re.sub(r"\s+", " ", re.sub(r"</?[a-zA-Z][^>]*>", " ", str(value)))).strip()
    return found if len(found) <= LONGEST else found[: LONGEST - 1] + "…"


def _span(text: str) -> str:
    """A length of time (ISO 8601) in words; what only looks like one, as it is."""
    try:
        return span(Duration.parse(text))
    except ValueError:
        return text


def _inside(name: object, value: Any) -> str:
    return "(secret)" if name in SECRET else said(value)
