"""A course's outline as CSV (RFC 4180): one line a lesson or quiz, in order."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator, Sequence
from typing import Any

from pydantic import ValidationError

from patient_courier.core.reading.school_file import validation_faults
from patient_courier.core.school.courses import Course
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.text import clean_text
from patient_courier.intake.spreadsheet import guarded, unguarded

COLUMNS = ["module", "kind", "key", "title", "minutes", "pass_mark", "unlocks", "url"]


class BadOutline(ValueError):
    """An outline that can't be read; each entry of ``faults`` names its line."""

    def __init__(self, faults: list[str]) -> None:
        super().__init__("; ".join(faults))
        self.faults = faults


def write_outline(course: Course) -> str:
    """The modules, lessons and quizzes of a course as CSV with a head line."""
    out = io.StringIO()
    lines = _Guarded(csv.writer(out, lineterminator="\r\n"))
    lines.writerow(COLUMNS)
    for module in course.modules:
        opens = module.unlocks.text if module.unlocks else ""
        if not module.lessons and not module.quizzes:
            lines.writerow([module.title, "module", module.key, "", "", "", opens, ""])
        for lesson in module.lessons:
            lines.writerow(
                [
                    module.title,
                    "lesson",
                    lesson.key,
                    lesson.title,
                    lesson.minutes or "",
                    "",
                    opens,
                    lesson.url or "",
                ]
            )
        for quiz in module.quizzes:
            lines.writerow(
                [module.title, "quiz", quiz.key, quiz.title, "", quiz.pass_mark, opens, quiz.url or ""]
            )
    return out.getvalue()


def read_outline(text: str, course: Course) -> Course:
    """The course with the outline of a CSV text. Keys that are left out are kept by title, or made from the title.

    Raises BadOutline with every fault and its line.
    """
    text = clean_text(text.lstrip("\ufeff"))
    first = text.partition("\n")[0]
    lines = csv.DictReader(io.StringIO(text), delimiter=";" if first.count(";") > first.count(",") else ",")
    names = [name.strip().lower() for name in lines.fieldnames or []]
    if "title" not in names or "module" not in names:
        raise BadOutline(
            [f"The first line must name the columns: {', '.join(COLUMNS)}. “module” and “title” are needed."]
        )
    lines.fieldnames = names
    faults: list[str] = []
    modules: list[dict[str, Any]] = []
    known = _known_keys(course)
    taken: set[str] = set()
    for number, row in enumerate(_rows(lines), 2):
        cells = {
            name: unguarded((value or "").strip())
            for name, value in row.items()
            if isinstance(name, str) and not isinstance(value, list)
        }
        if not any(cells.values()):
            continue
        _read_line(number, cells, modules, known, taken, faults)
    if faults:
        raise BadOutline(faults)
    body = course.model_dump(mode="json", by_alias=True) | {"modules": modules}
    try:
        return Course.model_validate(body)
    except ValidationError as error:
        raise BadOutline([fault.sentence for fault in validation_faults(error, body)]) from error


class _Guarded:
    """Writes rows in which no cell is a formula."""

    def __init__(self, lines: Any) -> None:
        self._lines = lines

    def writerow(self, row: Sequence[object]) -> None:
        self._lines.writerow([guarded(cell) if isinstance(cell, str) else cell for cell in row])


def _rows(lines: csv.DictReader[str]) -> Iterator[dict[str | Any, str | Any]]:
    try:
        yield from lines
    except csv.Error as error:
        raise BadOutline([f"Line {lines.line_num}: this can't be read as CSV ({error})."]) from error


def _known_keys(course: Course) -> dict[tuple[str, str], str]:
    found = {("module", module.title): module.key for module in course.modules}
    for module in course.modules:
        found |= {("lesson", lesson.title): lesson.key for lesson in module.lessons}
        found |= {("quiz", quiz.title): quiz.key for quiz in module.quizzes}
    return found


def _read_line(
    number: int,
    cells: dict[str, str],
    modules: list[dict[str, Any]],
    known: dict[tuple[str, str], str],
    taken: set[str],
    faults: list[str],
) -> None:
    kind = cells.get("kind", "").lower() or "lesson"
    title, module_title = cells.get("title", ""), cells.get("module", "")
    if kind not in ("lesson", "quiz", "module"):
        faults.append(f"Line {number}: “{kind}” is neither lesson nor quiz.")
        return
    if not module_title and not modules:
        faults.append(f"Line {number}: the module is missing.")
        return
    if kind != "module" and not title:
        faults.append(f"Line {number}: the title is missing.")
        return
    if module_title and (not modules or modules[-1]["title"] != module_title):
        key = known.get(("module", module_title)) or free_key(module_title, taken)
        modules.append(
            {
                "key": key,
                "title": module_title,
                "unlocks": cells.get("unlocks") or None,
                "lessons": [],
                "quizzes": [],
            }
        )
    if kind == "module":
        return
    key = cells.get("key") or known.get((kind, title)) or free_key(title, taken)
    if (kind, key) in [
        (k, v["key"])
        for m in modules
        for k, name in (("lesson", "lessons"), ("quiz", "quizzes"))
        for v in m[name]
    ]:
        faults.append(f"Line {number}: the key “{key}” is used twice.")
        return
    taken.add(key)
    item: dict[str, object] = {"key": key, "title": title, "url": cells.get("url") or None}
    for name, belongs in (("minutes", "lesson"), ("pass_mark", "quiz")):
        value = cells.get(name, "")
        if kind == belongs and value:
            if not re.fullmatch(r"\d{1,4}", value):
                faults.append(f"Line {number}: “{value}” in {name} is not a whole number.")
                return
            item[name] = int(value)
    modules[-1]["lessons" if kind == "lesson" else "quizzes"].append(item)
