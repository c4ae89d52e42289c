"""Who is told what: everything that happens, by everyone who hears of it, from the definitions alone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from patient_courier.core.courses.ruler import Mark, marks_of
from patient_courier.core.destinations.told import KINDS
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview.happenings import (
    BY_KIND,
    DAY,
    IN_COURSE,
    OCCASIONS,
    Occasion,
    can_happen,
    concerns,
    narrowed,
)
from patient_courier.core.overview.notices import NOTICE_KINDS, Wishes
from patient_courier.core.school import sequences as s
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.events import Matcher
from patient_courier.core.telling import words
from patient_courier.core.telling.condition_words import condition_words

Source = Literal["sequence", "broadcast", "notice", "site", "destination", "needs_you"]
STUDENT: Final = "student"
OWNER: Final = "owner"
# Sequences that start each other are followed so far.
_DEEPEST = 3


@dataclass(frozen=True, slots=True)
class Heard:
    """One thing that somebody hears: ``what`` in words, ``when`` after it happened, ``only`` of which of them.

    ``key`` is of its source (a sequence, a broadcast, a destination; a site's note by number); ``day`` puts it in order.
    """

    what: str
    when: str
    only: str
    source: Source
    key: str
    name: str
    state: str
    day: int = 0
    letter: str | None = None
    step: str | None = None


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
            for kind, who, heard in _of_sequence(definitions, plan.sequence, course):
                yield kind, owner if who == OWNER else who, heard
    for cast in around.casts:
        one = cast.broadcast
        if course is None or one.course == course:
            hour = f"{words.day(one.at.date())}, {one.at.hour:02d}:{one.at.minute:02d}"
            for letter in one.letters:
                heard = Heard(
                    _letter(definitions, letter),
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


def _of_sequence(
    definitions: Definitions, sequence: s.Sequence, course: str | None
) -> Iterator[tuple[str, str, Heard]]:
    only = f"who {condition_words(definitions, sequence.only_if)}" if sequence.only_if else ""
    walk = _Walk(definitions, sequence, course)
    begin = [one for one in sequence.starts if concerns(definitions, one, course, inside=False)]
    yield from walk.steps(sequence.steps, begin, [only] if only else [], 0)


@dataclass(frozen=True, slots=True)
class _Walk:
    """What one sequence says, step by step, under the events that bring a run there."""

    definitions: Definitions
    sequence: s.Sequence
    course: str | None
    after: str = ""

    def steps(
        self, steps: list[s.Step], events: Sequence[Matcher], only: list[str], depth: int
    ) -> Iterator[tuple[str, str, Heard]]:
        marks = {mark.step: mark for mark in marks_of(steps)}
        yield from self._lane(steps, events, only, depth, marks)

    def _lane(
        self,
        steps: list[s.Step],
        events: Sequence[Matcher],
        only: list[str],
        depth: int,
        marks: dict[str, Mark],
    ) -> Iterator[tuple[str, str, Heard]]:
        for number, step in enumerate(steps):
            match step:
                case s.Send():
                    for letter in step.letters:
                        what = _letter(self.definitions, letter)
                        yield from self._say(events, STUDENT, what, step.id, only, marks, letter)
                case s.Tell():
                    for who in [step.to] if isinstance(step.to, str) else step.to:
                        to = OWNER if who == "owner" else f"to:{who}"
                        what = _letter(self.definitions, step.letter)
                        yield from self._say(events, to, what, step.id, only, marks, step.letter)
                case s.Call():
                    yield from self._say(events, "calls", step.url, step.id, only, marks, None)
                case s.WaitFor():
                    there = [step.event] if self._concerns(step.event, events) else []
                    if step.within is None:  # nobody comes further without it
                        yield from self.steps([*step.then, *steps[number + 1 :]], there, only, depth)
                        return
                    yield from self.steps(step.then, there, only, depth)
                    late = f"if not within {words.span(step.within.value)}"
                    yield from self._lane(step.else_, events, [*only, late], depth, marks)
                case s.Waypoint():
                    rest = steps[number + 1 :]
                    if self._concerns(step.reach, events):
                        yield from self.steps(rest, [step.reach], only, depth)
                    if step.hold:
                        return
                case s.Branch():
                    for arm in step.arms:
                        said = f"who {condition_words(self.definitions, arm.if_)}"
                        yield from self._lane(arm.steps, events, [*only, said], depth, marks)
                    others = [*only, "the others"] if step.arms else only
                    yield from self._lane(step.otherwise, events, others, depth, marks)
                case s.Repeat():
                    again = "again and again" if step.times is None else f"{step.times} times"
                    yield from self._lane(step.steps, events, [*only, again], depth, marks)
                case s.Dated():
                    yield from self._lane(step.steps, events, only, depth, marks)
                case s.StartSequence():
                    yield from self._started(step, events, only, depth, marks)
                case s.Wait() | s.TagStep() | s.StopSequence() | s.CertificateStep() | s.End():
                    pass

    def _concerns(self, event: Matcher, before: Sequence[Matcher]) -> bool:
        return concerns(self.definitions, event, self.course, inside=bool(before))

    def _started(
        self,
        step: s.StartSequence,
        events: Sequence[Matcher],
        only: list[str],
        depth: int,
        marks: dict[str, Mark],
    ) -> Iterator[tuple[str, str, Heard]]:
        plan = self.definitions.sequences.get(step.sequence)
        if plan is None or plan.sequence.status == "closed" or depth == _DEEPEST:
            return
        said = marks[step.id].said
        before = "" if said == "at once" else f"{said}, then "
        inner = replace(self, sequence=plan.sequence, after=self.after + before)
        yield from inner.steps(plan.sequence.steps, events, only, depth + 1)

    def _say(
        self,
        events: Iterable[Matcher],
        who: str,
        what: str,
        step: str,
        only: list[str],
        marks: dict[str, Mark],
        letter: str | None,
    ) -> Iterator[tuple[str, str, Heard]]:
        mark = marks.get(step)
        for event in events:
            which = narrowed(self.definitions, event, self.course)
            yield (
                event.on,
                who,
                Heard(
                    what=what,
                    when=self.after + ((mark.said if mark else "") or "at once"),
                    only=": ".join(part for part in (which, ", ".join(only)) if part),
                    source="sequence",
                    key=self.sequence.key,
                    name=self.sequence.called,
                    state=self.sequence.status,
                    day=mark.first_day if mark else 0,
                    letter=letter,
                    step=step,
                ),
            )


def _letter(definitions: Definitions, key: str) -> str:
    ready = definitions.letters.get(key)
    return ready.letter.called if ready is not None else key
