"""A file of people as a table of text: CSV in whatever encoding and with whatever delimiter, or a spreadsheet (.xlsx)."""

from __future__ import annotations

import csv
import io
import re
import unicodedata
from collections import Counter
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from charset_normalizer import from_bytes
from python_calamine import CalamineError, CalamineWorkbook

from patient_courier.core.school.text import clean_line
from patient_courier.intake.spreadsheet import unguarded

DELIMITERS = ",;\t|"
MOST_ROWS = 250_000
MOST_COLUMNS = 200
# What the delimiter is told by (characters).
HEAD = 100_000
# What people's programs write when it is not UTF-8.
ENCODINGS = ["cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "koi8_r", "cp932", "gb18030", "utf_16"]
LATIN = ("cp1252", "cp1250")
_NAMES = {
    "cp1252": "Western (Windows-1252)",
    "cp1250": "Central European (Windows-1250)",
    "utf_8": "UTF-8",
    "utf_16": "UTF-16",
}


class UnreadableFile(ValueError):
    """The file can't be read as a table; the message says what to do."""


@dataclass(frozen=True, slots=True)
class People:
    """The table: names of its columns, then rows of as many cells; ``how`` it was read, in words."""

    columns: list[str]
    rows: list[list[str]]
    how: str


def read_people(content: bytes) -> People:
    """Read a file. The first row that is not empty names the columns. Raises UnreadableFile."""
    if not content.strip():
        raise UnreadableFile("This file is empty.")
    if content[:4] == b"PK\x03\x04":
        rows, how = _spreadsheet(content)
    elif content[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1":
        raise UnreadableFile(
            "This is an old kind of spreadsheet (.xls). Save it as .xlsx or CSV, then try again."
        )
    else:
        rows, how = _separated(content)
    rows = [row for row in rows if any(cell.strip() for cell in row)]
    if len(rows) < 2:
        raise UnreadableFile("There is no row below the names of the columns.")
    if len(rows) > MOST_ROWS + 1:
        raise UnreadableFile(f"This file has more than {MOST_ROWS:,} rows. Cut it in two.")
    columns = [clean_line(name).strip() or f"Column {n}" for n, name in enumerate(rows[0], 1)]
    if len(columns) > MOST_COLUMNS:
        raise UnreadableFile(f"This file has more than {MOST_COLUMNS} columns.")
    return People(columns, rows[1:], how)


def _separated(content: bytes) -> tuple[list[list[str]], str]:
    text, encoding = _text(content)
    if "\x00" in text:
        raise UnreadableFile("This is no text. Save the table as CSV or .xlsx, then try again.")
    delimiter = _delimiter(text)
    try:
        csv.field_size_limit(1_000_000)
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter))
    except csv.Error as error:
        raise UnreadableFile(f"This file can't be read as CSV: {error}.") from error
    name = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}[delimiter]
    return [[unguarded(cell) for cell in row] for row in rows], f"{encoding}, cells divided by {name}"


def _text(content: bytes) -> tuple[str, str]:
    """The text and its encoding: a byte order mark says it; else UTF-8 if it is, else what is likeliest."""
    for mark, encoding in ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16")):
        if content.startswith(mark):
            return content.decode(encoding, "replace"), _NAMES["utf_16" if "16" in encoding else "utf_8"]
    try:
        return content.decode("utf-8"), _NAMES["utf_8"]
    except UnicodeDecodeError:
        best = from_bytes(content, cp_isolation=ENCODINGS).best()
    if best is not None and not _is_latin(str(best)):
        return str(best), best.encoding
    # A few accents tell the Latin ones apart badly; signs in the middle of words do it well.
    found = min(LATIN, key=lambda name: _odd_signs(content.decode(name, "replace")))
    return content.decode(found, "replace"), _NAMES[found]


def _is_latin(text: str) -> bool:
    """Whether most letters beyond ASCII are Latin ones."""
    letters = [c for c in text if not c.isascii() and c.isalpha()]
    return sum(unicodedata.name(c, "").startswith("LATIN") for c in letters) * 2 >= len(letters)


def _odd_signs(text: str) -> int:
    """How many signs that are no letters touch a letter, as in words that were read in the wrong encoding."""
    return len(
        re.findall(
            r"[^\W\d_][\u0080-\u00bf\u02c0-\u02ff\ufffd]|[\u0080-\u00bf\u02c0-\u02ff\ufffd][^\W\d_]", text
        )
    )


def _delimiter(text: str) -> str:
    """The sign that divides the first lines into the most cells, as many in each; a comma where there is only one column."""
    head = "\n".join(text[:HEAD].splitlines()[:50])
    return max(DELIMITERS, key=lambda sign: _columns(head, sign))


def _columns(head: str, delimiter: str) -> tuple[float, int]:
    """How alike the lines are when they are divided like this (0 to 1; 0 for one column), and how many columns they have."""
    try:
        sizes = Counter(
            len(row) for row in csv.reader(io.StringIO(head, newline=""), delimiter=delimiter) if row
        )
    except csv.Error:
        return 0.0, 0
    (width, often) = max(sizes.items(), key=lambda found: (found[1], found[0]), default=(1, 1))
    return (often / sizes.total() if width > 1 else 0.0), width


def _spreadsheet(content: bytes) -> tuple[list[list[str]], str]:
    try:
        book = CalamineWorkbook.from_filelike(io.BytesIO(content))
        name = book.sheet_names[0]
        rows = book.get_sheet_by_index(0).to_python(skip_empty_area=True)
    except (CalamineError, IndexError, ValueError, OSError) as error:
        raise UnreadableFile(
            "This spreadsheet can't be read. Save it anew as .xlsx or CSV, then try again."
        ) from error
    return [[_cell(value) for value in row] for row in rows], f"spreadsheet, sheet “{name}”"


def _cell(value: Any) -> str:
    """A cell as text: whole numbers without a point, dates in ISO 8601."""
    match value:
        case bool():
            return "yes" if value else "no"
        case float() if value.is_integer():
            return str(int(value))
        case datetime() | date():
            return value.isoformat()
        case _:
            return str(value)
