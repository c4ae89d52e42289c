"""What was tried in a practice copy, taken over into the school: as a draft beside what is there, never in its place."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Any

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.helpers.changes import Line, lines_of
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import letter_faults, sequence_faults
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence

SUFFIX = " (from practice)"


@dataclass(frozen=True, slots=True)
class Difference:
    """A letter or sequence that is another one in the copy; without ``lines`` it is in the copy alone."""

    title: str
    fresh: bool
    lines: tuple[Line, ...]


@dataclass(slots=True)
class TakeOver:
    """What would be made in the school: letters, and the sequence that posts them; ``faults``: what it has not, in sentences."""

    differences: list[Difference] = field(default_factory=list)
    letters: list[Letter] = field(default_factory=list)
    sequence: Sequence | None = None
    faults: list[str] = field(default_factory=list)


def letter_over(school: Definitions, copy: Definitions, key: str) -> TakeOver:
    """A letter of the copy as a new one of the school's. Raises KeyError when the copy has none of this key."""
    found = TakeOver()
    _letter(found, school, copy, key)
    _look(found, school)
    return found


def sequence_over(school: Definitions, copy: Definitions, key: str) -> TakeOver:
    """A sequence of the copy as a draft of the school's, with those of its letters that differ. Raises KeyError."""
    found = TakeOver()
    mine = copy.sequences[key].sequence
    theirs = school.sequences.get(key)
    # Which are its letters is asked of its form, so that no kind of step is forgotten.
    called = {
        letter: _letter(found, school, copy, letter) for letter in _letters_of(as_data(mine), copy.letters)
    }
    renamed = {letter: now for letter, now in called.items() if now is not None}
    before = as_data(theirs.sequence) if theirs else None
    lines = tuple(lines_of(_without_status(before), _without_status(as_data(mine)))) if before else ()
    if before is None or lines or renamed:
        found.differences.insert(0, Difference(f"Sequence “{mine.name}”", before is None, lines))
        body = {
            **_with_letters(as_data(mine), renamed),
            "key": free_key(mine.key, school.sequences),
            "name": _named(mine.name, [plan.sequence.name for plan in school.sequences.values()]),
            "status": "draft",
        }
        found.sequence = Sequence.model_validate(body)
    _look(found, school)
    return found


def _letter(found: TakeOver, school: Definitions, copy: Definitions, key: str) -> str | None:
    """Take a letter over if it differs; returns its key in the school when that is a new one."""
    mine = copy.letters[key].letter
    theirs = school.letters.get(key)
    lines = tuple(lines_of(as_data(theirs.letter), as_data(mine))) if theirs else ()
    if theirs is not None and not lines:
        return None
    taken = [*school.letters, *(one.key for one in found.letters)]
    fresh = key if theirs is None else free_key(key, taken)
    name = (
        mine.name
        if theirs is None
        else _named(mine.name, [one.letter.name for one in school.letters.values()])
    )
    found.differences.append(Difference(f"Letter “{mine.name}”", theirs is None, lines))
    found.letters.append(Letter.model_validate({**as_data(mine), "key": fresh, "name": name}))
    return fresh if fresh != key else None


def _named(name: str, taken: Collection[str]) -> str:
    found, number = f"{name}{SUFFIX}", 2
    while found in taken:
        found, number = f"{name}{SUFFIX} {number}", number + 1
    return found


def _letters_of(body: Any, known: Collection[str]) -> list[str]:
    """The letters that a sequence's form names, each once, in the order of its steps."""
    found: dict[str, None] = {}
    if isinstance(body, Mapping):
        for name, value in body.items():
            if name == "letter" and isinstance(value, str):
                found.update({value: None} if value in known else {})
            else:
                found.update(dict.fromkeys(_letters_of(value, known)))
    elif isinstance(body, list):
        for one in body:
            found.update(dict.fromkeys(_letters_of(one, known)))
    return list(found)


def _with_letters(body: Any, renamed: Mapping[str, str]) -> Any:
    if isinstance(body, Mapping):
        return {
            name: renamed.get(value, value)
            if name == "letter" and isinstance(value, str)
            else _with_letters(value, renamed)
            for name, value in body.items()
        }
    return [_with_letters(one, renamed) for one in body] if isinstance(body, list) else body


def _without_status(body: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in body.items() if name != "status"}


def _look(found: TakeOver, school: Definitions) -> None:
    """What the school lacks of what they name: courses, lessons, offers, layouts."""
    known = Known.of_definitions(school)
    for letter in found.letters:
        found.faults += [
            f"Letter “{letter.name}”: {fault.sentence}." for fault in letter_faults("", letter, known)
        ]
    if found.sequence is not None:
        known.keys["letter"] |= {one.key for one in found.letters}
        found.faults += [
            f"The sequence: {fault.sentence}." for fault in sequence_faults("", found.sequence, known)
        ]
