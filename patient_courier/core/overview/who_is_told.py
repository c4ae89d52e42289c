"""Who is told what: everything that happens, by everyone who hears of it, from the definitions alone."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from patient_courier.core.destinations.told import KINDS
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview.by_sequence import OWNER, STUDENT, Heard, letter_name, of_sequence
from patient_courier.core.overview.happenings import (
    BY_KIND,
    DAY,
    IN_COURSE,
    OCCASIONS,
    Occasion,
    can_happen,
)
from patient_courier.core.overview.notices import NOTICE_KINDS, Wishes
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.telling import words


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who signs in, and what they want to hear."""

    id: int
    name: str
    role: str
    wishes: Wishes


@dataclass(frozen=True, slots=True)
class Listener:
    """A destination: what it is told of, and of which courses (none: of all)."""

    key: str
    name: str
    kinds: frozenset[str]
    courses: frozenset[str]
    state: str


@dataclass(frozen=True, slots=True)
class SiteNote:
    """What the owner has noted that the course site or shop sends by itself."""

    id: int
    kind: str
    course: str | None
    words: str


@dataclass(frozen=True, slots=True)
class Cast:
    """A broadcast that is planned."""

    broadcast: Broadcast
    state: str


@dataclass(frozen=True, slots=True)
class Around:
    """What there is beside the definitions."""

    people: Sequence[Person] = ()
    listeners: Sequence[Listener] = ()
    notes: Sequence[SiteNote] = ()
    casts: Sequence[Cast] = ()


@dataclass(frozen=True, slots=True)
class Column:
    """Somebody who hears: ``id`` names them in the cells."""

    id: str
    title: str


@dataclass(frozen=True, slots=True)
class Cell:
    """What they hear, in order. ``missing``: what most schools say here, where nothing that goes out says it;
    ``twice``: the course site says something, and so does a letter."""

    heard: list[Heard]
    missing: str = ""
    twice: bool = False


@dataclass(frozen=True, slots=True)
class Row:
    """Something that happens, with a cell for each column, by the column's id."""

    occasion: Occasion
    cells: dict[str, Cell]


@dataclass(frozen=True, slots=True)
class Told:
    columns: list[Column]
    rows: list[Row]


def who_is_told(definitions: Definitions, around: Around, course: str | None = None) -> Told:
    """The whole page; ``course`` narrows it to what happens in one."""
    found: dict[tuple[str, str], list[Heard]] = {}
    for kind, who, heard in _everything(definitions, around, course):
        cell = found.setdefault((kind, who), [])
        if heard not in cell:
            cell.append(heard)
    heard_by = {who for _, who in found}
    others = sorted(who for who in heard_by if who.startswith("to:"))
    columns = [
        Column(STUDENT, "The student"),
        *(
            Column(f"person:{one.id}", f"{one.name}, {'owner' if one.role == 'owner' else one.role}")
            for one in around.people
        ),
        *(Column(who, who.removeprefix("to:")) for who in others),
        *(
            Column(f"destination:{one.key}", one.name)
            for one in around.listeners
            if f"destination:{one.key}" in heard_by
        ),
        *([Column("calls", "Calls of steps")] if "calls" in heard_by else []),
    ]
    owner = next((f"person:{one.id}" for one in around.people if one.role == "owner"), None)
    # Who buys is enrolled: what is said at one of the two is said at both.
    at_start = [found.get((kind, STUDENT), []) for kind in ("purchased", "enrolled")]
    begun = any(_goes(one) for cell in at_start for one in cell)
    rows = []
    for occasion in OCCASIONS:
        cells = {
            column.id: _cell(occasion, column.id, owner, found.get((occasion.kind, column.id), []), begun)
            for column in columns
        }
        if any(cell.heard for cell in cells.values()) or (
            not occasion.rare
            and (
                can_happen(definitions, occasion.kind, course)
                if occasion.kind in IN_COURSE
                else course is None and occasion.kind != DAY
            )
        ):
            rows.append(Row(occasion, cells))
    return Told(columns, rows)


def _goes(one: Heard) -> bool:
    """Whether it goes out as things stand."""
    return one.state in ("running", "on", "scheduled")


def _cell(occasion: Occasion, column: str, owner: str | None, heard: list[Heard], begun: bool) -> Cell:
    heard = sorted(heard, key=lambda one: (one.source == "site", one.day))
    goes = [one for one in heard if _goes(one)]
    missing = occasion.student if column == STUDENT else occasion.owner if column == owner else ""
    letters = [one for one in goes if one.source == "sequence"]
    return Cell(
        heard,
        missing="" if goes or (begun and occasion.kind in ("purchased", "enrolled")) else missing,
        twice=column == STUDENT and bool(letters) and any(one.source == "site" for one in goes),
    )


def _everything(
    definitions: Definitions, around: Around, course: str | None
) -> Iterator[tuple[str, str, Heard]]:
    owner = next((f"person:{one.id}" for one in around.people if one.role == "owner"), OWNER)
    for plan in definitions.sequences.values():
        if plan.sequence.status != "closed":
            for kind, who, heard in of_sequence(definitions, plan.sequence, course):
                yield kind, owner if who == OWNER else who, heard
    for cast in around.casts:
        one = cast.broadcast
        if course is None or one.course == course:
            hour = f"{words.day(one.at.date())}, {one.at.hour:02d}:{one.at.minute:02d}"
            for letter in one.letters:
                heard = Heard(
                    letter_name(definitions, letter),
                    hour,
                    "",
                    "broadcast",
                    one.key,
                    one.called,
                    cast.state,
                    letter=letter,
                )
                yield DAY, STUDENT, heard
    if can_happen(definitions, "certificate_requested", course):
        yield "certificate_requested", owner, _waits("It waits for you under Needs you")
    yield "answered", owner, _waits("A low answer waits for you under Needs you")
    yield from _of_people(around, course)
    for listener in around.listeners:
        if course is None or not listener.courses or course in listener.courses:
            for kind in KINDS:
                if kind in listener.kinds and _row_of(kind) in BY_KIND:
                    yield (
                        _row_of(kind),
                        f"destination:{listener.key}",
                        Heard(
                            "A message",
                            "at once",
                            "",
                            "destination",
                            listener.key,
                            listener.name,
                            listener.state,
                        ),
                    )
    for note in around.notes:
        if course is None or note.course in (None, course):
            only = words.title(definitions, "course", note.course) if note.course and course is None else ""
            yield (
                note.kind,
                STUDENT,
                Heard(note.words, "", only, "site", str(note.id), "The course site", "on", day=-1),
            )


def _waits(what: str) -> Heard:
    return Heard(what, "at once", "", "needs_you", "", "Needs you", "on")


def _row_of(kind: str) -> str:
    """A destination's kind of news as what happens here."""
    return {"news_off": "news_stopped", "feedback_given": "answered"}.get(kind, kind)


def _of_people(around: Around, course: str | None) -> Iterator[tuple[str, str, Heard]]:
    said = {
        "at_once": "at once, several in one",
        "daily": "at eight the next morning",
        "weekly": "on Monday at eight",
    }
    for person in around.people:
        for kind in NOTICE_KINDS:
            of_kind = [one for one in person.wishes.wishes if one.kind == kind]
            own = {one.course: one.how for one in of_kind if one.course is not None}
            general = next((one.how for one in of_kind if one.course is None), "off")
            shown = [(course, own.get(course, general))] if course else [(None, general), *own.items()]
            for where, how in shown:
                if how != "off" and (where is None or course is not None or how != general):
                    yield (
                        kind,
                        f"person:{person.id}",
                        Heard(
                            "A notice",
                            said[how],
                            "" if where in (None, course) else str(where),
                            "notice",
                            str(person.id),
                            person.name,
                            "on",
                        ),
                    )
