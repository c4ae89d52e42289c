"""Rows of a file as students: which column is what, and what each row would do, or why it can't be used."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from whenever import Date, Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.courses import check_email
from patient_courier.core.school.text import clean_line
from patient_courier.core.school.values import FIRST_YEAR, find_zone
from patient_courier.core.telling import words

# What a column can be; a field of the school's own is “field:” and its name.
TARGETS = (
    "ignore",
    "email",
    "first_name",
    "last_name",
    "full_name",
    "timezone",
    "tags",
    "course",
    "enrolled",
    "consent",
)
FIELD = "field:"
LONGEST = {"email": 320, "first_name": 200, "last_name": 200, "full_name": 400, "tags": 2_000}
LONGEST_FIELD, LONGEST_TAG = 2_000, 100
Verdict = Literal["new", "changed", "same", "refused"]

_GUESSES = {
    "email": ("email", "e-mail", "mail", "address", "e-mail address", "email address"),
    "first_name": ("first name", "firstname", "given name", "forename", "vorname", "nome", "prénom"),
    "last_name": ("last name", "lastname", "surname", "family name", "nachname", "apelido", "nom"),
    "full_name": ("name", "full name", "student", "student name"),
    "timezone": ("timezone", "time zone", "zone"),
    "tags": ("tags", "tag", "labels"),
    "course": ("course", "courses", "kurs", "curso"),
    "enrolled": ("enrolled", "enrolled at", "enrolled on", "joined", "date", "since", "start date"),
    "consent": ("consent", "news", "newsletter", "wants news", "subscribed", "opt-in", "opt in"),
}
_YES = {"yes", "y", "true", "1", "x", "on", "sim", "ja", "oui", "sí", "si", "subscribed"}
_NO = {"no", "n", "false", "0", "", "off", "não", "nao", "nein", "non", "unsubscribed"}
_EMAIL = re.compile(r"[^@\s]+@[^@\s]+\.[^@\s]+")
_ISO = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})(?:[T ].*)?")
_POINTS = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})")
_SLASHES = re.compile(r"(\d{1,2})/(\d{1,2})/(\d{4})")


def guess(columns: Sequence[str], rows: Sequence[Sequence[str]]) -> list[str]:
    """What each column likely is: by its name, else by what stands in it."""
    found: list[str] = []
    for place, name in enumerate(columns):
        plain = re.sub(r"[\s_]+", " ", name).strip().lower()
        target = next((t for t, names in _GUESSES.items() if plain in names and t not in found), None)
        if target is None and "email" not in found and not any("mail" in x.lower() for x in columns):
            cells = [row[place] for row in rows[:20] if place < len(row)]
            if cells and sum(bool(_EMAIL.fullmatch(cell.strip())) for cell in cells) > len(cells) / 2:
                target = "email"
        found.append(target or (f"{FIELD}{clean_line(name)[:60]}" if plain else "ignore"))
    return found


@dataclass(frozen=True, slots=True)
class Known:
    """A student who is there already, as far as an import may change them."""

    key: str
    first_name: str | None
    last_name: str | None
    timezone: str | None
    news: bool
    ever_stopped: bool
    fields: Mapping[str, object]
    tags: frozenset[str]
    courses: frozenset[str]


@dataclass(slots=True)
class Row:
    """One row of the file, read: what it says of a student, and what it would do."""

    number: int
    verdict: Verdict
    reason: str = ""
    email: str = ""
    values: dict[str, str] = field(default_factory=dict)  # first_name, last_name, timezone
    fields: dict[str, str] = field(default_factory=dict)
    tags: list[str] = field(default_factory=list)
    course: str | None = None
    enrolled: Instant | None = None
    news: bool | None = None
    said: str = ""


@dataclass(frozen=True, slots=True)
class Plan:
    """How a file is to be read: what each column is; ``consent`` where the whole file's consent comes from, or nothing.

    ``course`` is what those come into of whom no column says another.
    """

    targets: list[str]
    consent: str = ""
    course: str | None = None

    @property
    def asks_consent(self) -> bool:
        return "consent" in self.targets


def plan_fault(plan: Plan, columns: Sequence[str], definitions: Definitions) -> str | None:
    """What is wrong with a plan as a sentence, or None."""
    if len(plan.targets) != len(columns):
        return "Say of each column what it is."
    for target in plan.targets:
        if target not in TARGETS and not (target.startswith(FIELD) and target.removeprefix(FIELD).strip()):
            return f"“{target}” is nothing a column can be."
    named = [target for target in plan.targets if target != "ignore"]
    twice = next((target for target in named if named.count(target) > 1), None)
    if twice:
        return f"Two columns are both “{twice.removeprefix(FIELD).replace('_', ' ')}”. Leave one out."
    if "email" not in named:
        return "Say which column holds the address."
    if plan.course is not None and plan.course not in definitions.courses:
        return "There is no such course to put them into."
    if "enrolled" in named and "course" not in named and plan.course is None:
        return "There is a date of enrolment, but no column says in which course."
    return None


class Reader:
    """Reads the rows of one file, one after the other; remembers addresses that came before."""

    def __init__(
        self, definitions: Definitions, plan: Plan, known: Mapping[str, Known], now: Instant
    ) -> None:
        """``known`` are the students who are there already, by address in small letters."""
        self._definitions = definitions
        self._plan = plan
        self._known = known
        self._now = now
        self._seen: dict[str, int] = {}
        self._courses = {key.lower(): key for key in definitions.courses}
        for key, course in definitions.courses.items():
            self._courses.setdefault(course.title.strip().lower(), key)
            self._courses.setdefault(definitions.short_titles[key].lower(), key)

    def read(self, number: int, cells: Sequence[str]) -> Row:
        """What one row, as numbered in the file, would do."""
        row = Row(number, "refused")
        try:
            self._read(row, cells)
        except ValueError as error:
            row.verdict, row.reason = "refused", str(error)
        return row

    def _read(self, row: Row, cells: Sequence[str]) -> None:
        if len([cell for cell in cells[len(self._plan.targets) :] if cell.strip()]) > 0:
            raise ValueError(
                "more cells than there are columns; a delimiter may stand in a text without quotation marks"
            )
        for target, cell in zip(self._plan.targets, cells, strict=False):
            if target != "ignore":
                self._cell(row, target, clean_line(cell).strip())
        if not row.email:
            raise ValueError("no address")
        before = self._seen.setdefault(row.email.lower(), row.number)
        if before != row.number:
            raise ValueError(f"the same address as in row {before}")
        self._judge(row)

    def _cell(self, row: Row, target: str, text: str) -> None:
        if len(text) > LONGEST.get(target, LONGEST_FIELD):
            raise ValueError(f"“{text[:30]}…” is too long for {target.removeprefix(FIELD).replace('_', ' ')}")
        if target == "email":
            row.email = check_email(text) if text else ""
        elif target in ("first_name", "last_name"):
            row.values[target] = text
        elif target == "full_name":
            first, _, last = text.partition(" ")
            row.values.setdefault("first_name", first)
            row.values.setdefault("last_name", last.strip())
        elif target == "timezone" and text:
            row.values["timezone"] = find_zone(text)
        elif target == "tags":
            row.tags = [self._tag(one) for one in re.split(r"[,;|]", text) if one.strip()]
        elif target == "course" and text:
            if text.lower() not in self._courses:
                raise ValueError(f"there is no course “{text}” in this school")
            row.course = self._courses[text.lower()]
        elif target == "enrolled" and text:
            row.enrolled = self._date(text)
        elif target == "consent":
            if text.lower() not in _YES | _NO:
                raise ValueError(f"“{text}” is neither yes nor no")
            row.news = text.lower() in _YES
        elif target.startswith(FIELD) and text:
            row.fields[target.removeprefix(FIELD).strip()] = text

    @staticmethod
    def _tag(text: str) -> str:
        tag = text.strip()
        if len(tag) > LONGEST_TAG:
            raise ValueError(f"the tag “{tag[:30]}…” is too long")
        return tag

    def _date(self, text: str) -> Instant:
        zone = self._definitions.school.timezone
        unread = f"“{text}” is no date that can be read; write it like 2026-03-02"
        try:
            date = _read_date(text)
        except InDoubt:
            raise
        except ValueError as error:
            raise ValueError(unread) from error
        if date.year < FIRST_YEAR:
            raise ValueError(unread)
        if calendar.local_date(self._now, zone) < date:
            raise ValueError(f"{words.day(date)} {date.year} lies in the future")
        return min(calendar.resolve(date.at(calendar.clock(12, 0)), zone), self._now)

    def _judge(self, row: Row) -> None:
        """Whether the row makes somebody new, changes them, or says what is known."""
        known = self._known.get(row.email.lower())
        row.course = row.course or self._plan.course
        if self._plan.consent and row.news is None:
            row.news = True
        if known is None:
            row.verdict = "new"
            return
        row.values = {
            name: value for name, value in row.values.items() if value and getattr(known, name) != value
        }
        row.fields = {name: text for name, text in row.fields.items() if known.fields.get(name) != text}
        row.tags = [tag for tag in row.tags if tag not in known.tags]
        if row.course in known.courses:
            row.course = None
        if row.news and (known.news or known.ever_stopped):
            # An import never brings news back to somebody who has stopped it.
            row.said = "" if known.news else "has stopped news, so it stays off"
            row.news = None
        elif row.news is False and not known.news:
            row.news = None
        changed = row.values or row.fields or row.tags or row.course or row.news is not None
        row.verdict = "changed" if changed else "same"


class InDoubt(ValueError):
    """A date can be read in two ways; the message says so."""


def _read_date(text: str) -> Date:
    """A date as it is commonly written. Raises InDoubt, or ValueError for what is no date."""
    if found := _ISO.fullmatch(text):
        return Date(int(found[1]), int(found[2]), int(found[3]))
    if found := _POINTS.fullmatch(text):
        return Date(int(found[3]), int(found[2]), int(found[1]))
    if found := _SLASHES.fullmatch(text):
        first, second, year = int(found[1]), int(found[2]), int(found[3])
        if first <= 12 and second <= 12 and first != second:
            raise InDoubt(f"“{text}” can be two dates; write it like 2026-03-02")
        return Date(year, second, first) if first > 12 else Date(year, first, second)
    raise ValueError
