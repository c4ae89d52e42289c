"""One sequence laid out flat for the engine: its steps by id, where each goes on, and what it waits for."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.school.events import (
    Matcher,
    OnAccessEnding,
    OnAnswered,
    OnBounced,
    OnCourse,
    OnEnrolled,
    OnInactive,
    OnLesson,
    OnLessonWatched,
    OnLetterOpened,
    OnLinkClicked,
    OnModule,
    OnOffer,
    OnPlain,
    OnQuiz,
    OnSignedUp,
    OnTag,
    OnUnlocking,
)
from patient_courier.core.school.sequences import (
    Repeat,
    Sequence,
    Step,
    WaitFor,
    Waypoint,
    lanes,
    posted_by,
)


@dataclass(frozen=True, slots=True)
class Place:
    """Where a step stands in its sequence."""

    step: Step
    parent: str | None
    after: str | None  # the next step in the same list
    top: int  # index at the top level of the step or of what it is nested in
    first: dict[str, str | None] = field(default_factory=dict)  # lane → its first step


class Plan:
    """One version of one sequence, laid out flat: each step by its id, with what comes after it."""

    def __init__(self, sequence: Sequence, version: int = 1, order: int = 0) -> None:
        self.sequence = sequence
        self.version = version
        self.order = order
        self.places: dict[str, Place] = {}
        self.waypoints: list[tuple[int, Waypoint]] = []
        self.first = sequence.steps[0].id if sequence.steps else None
        for top, step in enumerate(sequence.steps):
            after = sequence.steps[top + 1].id if top + 1 < len(sequence.steps) else None
            self._lay(step, None, after, top)
            if isinstance(step, Waypoint):
                self.waypoints.append((top, step))

    @property
    def key(self) -> str:
        return self.sequence.key

    def _lay(self, step: Step, parent: str | None, after: str | None, top: int) -> None:
        place = Place(step, parent, after, top)
        self.places[step.id] = place
        for lane, steps in lanes(step):
            place.first[lane] = steps[0].id if steps else None
            for index, child in enumerate(steps):
                following = steps[index + 1].id if index + 1 < len(steps) else None
                self._lay(child, step.id, following, top)

    def repeats_around(self, step_id: str) -> list[str]:
        """The ids of the repeats a step is nested in, outermost first."""
        found: list[str] = []
        parent = self.places[step_id].parent
        while parent is not None:
            if isinstance(self.places[parent].step, Repeat):
                found.insert(0, parent)
            parent = self.places[parent].parent
        return found

    def ahead_of(self, step_id: str | None) -> list[str]:
        """The steps that a run standing at a step may still come to, that one included; all before the first."""
        if step_id is None:
            return list(self.places)
        found: list[str] = []
        at: str | None = step_id
        while at is not None:
            found += self._with_inner(at)
            place = self.places[at]
            while place.after is None and place.parent is not None:
                if isinstance(self.places[place.parent].step, Repeat):
                    found += self._with_inner(place.parent)
                place = self.places[place.parent]
            at = place.after
        return list(dict.fromkeys(found))

    def _with_inner(self, step_id: str) -> list[str]:
        found = [step_id]
        for key, place in self.places.items():  # laid out from the outside in
            if place.parent in found:
                found.append(key)
        return found

    @cached_property
    def matchers(self) -> list[Matcher]:
        """Every matcher in the sequence: starts, early leaves, wait-fors, waypoints, the goal of its trial."""
        steps = [place.step for place in self.places.values()]
        inside = [step.event for step in steps if isinstance(step, WaitFor)]
        reach = [step.reach for step in steps if isinstance(step, Waypoint)]
        goal = [self.sequence.trial.goal] if self.sequence.trial else []
        return [*self.sequence.starts, *self.sequence.leaves, *inside, *reach, *goal]

    @cached_property
    def letters(self) -> frozenset[str]:
        """Every letter that the sequence contains: those it posts, all versions, and those to others."""
        return frozenset(
            letter for place in self.places.values() for letter in posted_by(place.step) if letter
        )


@dataclass(frozen=True, slots=True)
class ClockInterest:
    """A clock event somebody waits for: in one course (or module), or in all when None."""

    kind: str
    course: str | None
    module: str | None
    span: Duration


def _named(selector: str | None) -> str | None:
    return None if selector == "this" else selector


def _interest(matcher: Matcher) -> ClockInterest | None:
    match matcher:
        case OnInactive():
            return ClockInterest("inactive", _named(matcher.course), None, matcher.for_.value)
        case OnUnlocking():
            ahead = matcher.ahead.value if matcher.ahead else Duration()
            return ClockInterest("unlocking", _named(matcher.course), _named(matcher.module), ahead)
        case OnAccessEnding():
            ahead = matcher.ahead.value if matcher.ahead else Duration()
            return ClockInterest("access_ending", _named(matcher.course), None, ahead)
        case (
            OnOffer()
            | OnEnrolled()
            | OnLesson()
            | OnLessonWatched()
            | OnQuiz()
            | OnModule()
            | OnCourse()
            | OnPlain()
            | OnSignedUp()
            | OnLetterOpened()
            | OnLinkClicked()
            | OnAnswered()
            | OnBounced()
            | OnTag()
        ):
            return None
