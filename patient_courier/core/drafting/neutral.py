"""A worked example in neutral words, so that it belongs to whoever takes it: letters, names, tags and dates of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from whenever import Date, PlainDateTime

from patient_courier.core.calendar import calendar
from patient_courier.core.drafting.fitting import Pattern
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.courses import Course, School
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import Sequence

_LOGIN, _COURSE = "{{ school.login_url }}", "{{ course.url }}"
TAKEN = "taken"
NO_ADDRESS = (
    "Here belongs a button to the course. Give the course its address under “Outline and set-up” first."
)


def neutral(
    file: SchoolFile,
    letters: Mapping[str, Mapping[str, Any]],
    sequences: Mapping[str, Mapping[str, Any]],
    words: Mapping[str, str],
    first: Date | None,
) -> Pattern:
    """The pattern of an example. ``letters`` by key are put in the place of its own or added; of ``sequences`` the parts
    that are given. ``words`` are put in place of words in names, tags and forms; dated steps begin with the ``first`` day.
    """
    own = {letter.key: as_data(letter) for letter in file.letters}
    found = [
        Letter.model_validate(
            {"key": key, "purpose": "course_help", **own.get(key, {}), **letters.get(key, {})}
        )
        for key in [*own, *(key for key in letters if key not in own)]
    ]
    bodies = [
        _worded(as_data(one) | dict(sequences.get(one.key, {})), words) | {"key": _replaced(one.key, words)}
        for one in file.sequences
    ]
    if first is not None:
        bodies = _from_day(bodies, first)
    courses, offers = {x.key: x for x in file.courses}, {x.key: x for x in file.offers}
    return Pattern([Sequence.model_validate(body) for body in bodies], found, courses, offers)


def _worded(body: Any, words: Mapping[str, str]) -> Any:
    """Data with words replaced in its texts; the keys of courses and letters are no words."""
    if isinstance(body, list):
        return [_worded(one, words) for one in body]
    if not isinstance(body, dict):
        return body
    return {
        name: _replaced(value, words)
        if name in ("name", "tag", "form", "add", "remove")
        else _worded(value, words)
        for name, value in body.items()
    }


def _replaced(value: Any, words: Mapping[str, str]) -> Any:
    if isinstance(value, list):
        return [_replaced(one, words) for one in value]
    if not isinstance(value, str):
        return value
    for old, new in words.items():
        value = value.replace(old, new)
    return value


def _from_day(bodies: list[dict[str, Any]], first: Date) -> list[dict[str, Any]]:
    """Dated steps moved so that the first of them falls on a day."""
    dated = [step for body in bodies for step in body["steps"] if step.get("do") == "dated"]
    begins = min((PlainDateTime.parse_iso(step["at"]).date() for step in dated), default=None)
    if begins is None:
        return bodies
    for step in dated:
        at = PlainDateTime.parse_iso(step["at"])
        moved = first.add(days=calendar.days_between(begins, at.date()))
        step["at"] = moved.at(at.time()).format_iso()
    return bodies


def filled(letter: Letter, school: School, course: Course) -> Letter:
    """The letter with what the school and the course have: addresses they lack are no links, and a note says so.

    A card of the course ``taken`` shows the one that the starter is taken for.
    """
    body = as_data(letter)
    for block in body["blocks"]:
        if block.get("course") == TAKEN:
            block["course"] = course.key
    if not school.login_url:
        body = _said(body, _LOGIN, _COURSE)
    if not course.url:
        body["blocks"] = [_without_address(block) for block in body["blocks"]]
    return Letter.model_validate(body)


def _said(body: Any, old: str, new: str) -> Any:
    if isinstance(body, list):
        return [_said(one, old, new) for one in body]
    if isinstance(body, dict):
        return {name: _said(value, old, new) for name, value in body.items()}
    return body.replace(old, new) if isinstance(body, str) else body


def _without_address(block: dict[str, Any]) -> dict[str, Any]:
    if block.get("kind") == "button" and block.get("url") == _COURSE:
        return {"kind": "note", "text": NO_ADDRESS}
    if block.get("kind") == "text":
        before, _, rest = block["html"].partition(f'<a href="{_COURSE}">')
        return {**block, "html": before + rest.replace("</a>", "", 1)} if rest else block
    return block
