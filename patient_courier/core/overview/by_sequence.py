"""What one sequence says when something happens, to whom and after how long: step by step, from its steps alone."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Final, Literal

from patient_courier.core.courses.ruler import Mark, marks_of
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.overview.happenings import concerns, narrowed
from patient_courier.core.school import sequences as s
from patient_courier.core.school.events import Matcher
from patient_courier.core.telling import words
from patient_courier.core.telling.condition_words import condition_words
from patient_courier.core.telling.trial_words import one_in

Source = Literal["sequence", "broadcast", "notice", "site", "destination", "needs_you"]
STUDENT: Final = "student"
OWNER: Final = "owner"


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


# Sequences that start each other are followed so far.
_DEEPEST = 3


def of_sequence(
    definitions: Definitions, sequence: s.Sequence, course: str | None
) -> Iterator[tuple[str, str, Heard]]:
    """By the event (its type) and who hears: the student, the owner, ``to:`` an address, or ``calls``."""
    only = f"who {condition_words(definitions, sequence.only_if)}" if sequence.only_if else ""
    walk = _Walk(definitions, sequence, course)
    begin = [one for one in sequence.starts if concerns(definitions, one, course, inside=False)]
    held_back = f"all but {one_in(sequence.trial.hold_back)} by lot" if sequence.trial else ""
    yield from walk.steps(sequence.steps, begin, [one for one in (only, held_back) if one], 0)


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
                        what = letter_name(self.definitions, letter)
                        lot = [f"one of {len(step.letters)} letters, by lot"] if step.versions else []
                        yield from self._say(events, STUDENT, what, step.id, [*only, *lot], marks, letter)
                case s.Tell():
                    for who in [step.to] if isinstance(step.to, str) else step.to:
                        to = OWNER if who == "owner" else f"to:{who}"
                        what = letter_name(self.definitions, step.letter)
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


def letter_name(definitions: Definitions, key: str) -> str:
    ready = definitions.letters.get(key)
    return ready.letter.called if ready is not None else key
