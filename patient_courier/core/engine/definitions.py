"""What a school has decided, indexed for the engine: courses, letters, and sequences laid out flat.

Built once from the models and never changed afterwards.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property

from patient_courier.core.calendar.duration import Duration
from patient_courier.core.engine.plan import ClockInterest, Plan, _interest
from patient_courier.core.letters.merge import Template
from patient_courier.core.school.blocks import AnyBlock
from patient_courier.core.school.courses import Course, Lesson, Module, Offer, Quiz, School
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PLAIN_LAYOUT, Layout
from patient_courier.core.school.sequences import (
    Sequence,
    TagStep,
    WaitFor,
)
from patient_courier.core.school.trials import Trial


@dataclass(frozen=True)
class ReadyLetter:
    """A letter with its merge fields found; ``templates`` in reading order, subject first.

    What is asked of it for every student is found once.
    """

    letter: Letter
    templates: tuple[tuple[str, Template], ...]
    version: int = 1

    @property
    def subject(self) -> Template:
        return self.templates[0][1]

    @cached_property
    def has_note(self) -> bool:
        """Whether a note to self stands in it, which is never posted."""
        return any(block.kind == "note" for _, block in self.blocks)

    @cached_property
    def blocks(self) -> tuple[tuple[str, AnyBlock], ...]:
        """Every block with its place below the letter, in reading order."""
        return tuple(self.letter.every_block())

    @cached_property
    def field_names(self) -> tuple[str, ...]:
        """The merge fields that it uses, by name."""
        return tuple(sorted({field.name for _, template in self.templates for field in template.fields}))

    @cached_property
    def needing(self) -> tuple[tuple[str, Template], ...]:
        """The texts with a merge field that needs a value, in reading order."""
        return tuple(one for one in self.templates if one[1].without_default)


def ready(letter: Letter, version: int = 1) -> ReadyLetter:
    """Find the merge fields of a letter. Raises merge.TemplateError for text that can't be read."""
    return ReadyLetter(
        letter, tuple((place, Template.parse(text)) for place, text in letter.texts()), version
    )


class Definitions:
    """The school, its courses, offers, letters and sequences, ready to look things up in."""

    def __init__(
        self,
        school: School,
        courses: Iterable[Course],
        offers: Iterable[Offer],
        letters: Iterable[ReadyLetter],
        current: Iterable[Plan],
        older: Iterable[Plan] = (),
        site: str = "https://post.example",
        student_tags: Iterable[str] = (),
        layouts: Iterable[Layout] = (),
        seal: str = "",
    ) -> None:
        """``current`` are the plans in force in the order of the sequences; ``older`` those only open runs are on.

        ``student_tags`` are tags that students have already, for the checks.
        """
        self.school = school
        self.site = site
        # What the numbers of certificates are made with: a secret of a living school, the name of one that is rehearsed.
        self.seal = seal or school.name
        # Whether what happens under them is the past, of which nobody outside is told.
        self.quiet = False
        self._student_tags = tuple(student_tags)
        self.courses = {course.key: course for course in courses}
        self.course_order = {key: index for index, key in enumerate(self.courses)}
        self.layouts = {layout.key: layout for layout in layouts}
        self.offers = {offer.key: offer for offer in offers}
        self.letters = {letter.letter.key: letter for letter in letters}
        self.sequences = {plan.key: plan for plan in current}
        self.plans = {(plan.key, plan.version): plan for plan in [*older, *self.sequences.values()]}
        self.modules: dict[str, Module] = {}
        self.lessons: dict[str, Lesson] = {}
        self.quizzes: dict[str, Quiz] = {}
        # The lessons and the quizzes of each module, as full references.
        self.lessons_in: dict[str, frozenset[str]] = {}
        self.quizzes_in: dict[str, frozenset[str]] = {}
        self.module_of: dict[str, str] = {}
        for course in self.courses.values():
            for module in course.modules:
                self._index(course.key, module)
        self._spans: dict[tuple[str, str, str | None], tuple[Duration, ...]] = {}
        self.starting: dict[str, list[tuple[Plan, Matcher]]] = {}
        for plan in self.sequences.values():
            if plan.sequence.status == "running":
                for matcher in plan.sequence.starts:
                    self.starting.setdefault(matcher.on, []).append((plan, matcher))

    def with_sequence(self, sequence: Sequence, *, keep: bool = False) -> Definitions:
        """The same school with one sequence added or in place of the one with its key.

        Older versions are left out, unless they are to be kept for the runs that are on them.
        """
        before = self.sequences.get(sequence.key)
        plans = {plan.key: plan for plan in self.sequences.values()}
        order = before.order if before else len(plans)
        plans[sequence.key] = Plan(sequence, (before.version if before else 0) + 1, order)
        found = self._again(plans.values())
        if keep:
            found.plans = {**self.plans, **found.plans}
        return found

    def with_only(self, sequence: Sequence) -> Definitions:
        """The same school with this sequence alone."""
        return self._again([Plan(sequence)])

    def _again(self, plans: Iterable[Plan]) -> Definitions:
        return Definitions(
            self.school,
            self.courses.values(),
            self.offers.values(),
            self.letters.values(),
            plans,
            (),
            self.site,
            self._student_tags,
            self.layouts.values(),
            self.seal,
        )

    def trial_of(self, plan: Plan) -> Trial | None:
        """The trial by which the runs of a plan are drawn now.

        None also while it contains a service letter, whatever its letters were when it was switched on: that is a fault
        (docs/engine.md, section 15), and until it is mended nobody is held back from what they need.
        """
        posted = (self.letters[key].letter for key in plan.letters if key in self.letters)
        return None if any(letter.purpose == "service" for letter in posted) else plan.sequence.trial

    def layout_of(self, letter: Letter, course: str | None) -> Layout:
        """The frame a letter stands in: its own, that of the course it is about, the school's, or the plain one."""
        about = self.courses.get(course or "")
        for key in (letter.layout, about.layout if about else None, self.school.layout):
            if key in self.layouts:
                return self.layouts[key]
        return PLAIN_LAYOUT

    def _index(self, course: str, module: Module) -> None:
        place = f"{course}/{module.key}"
        self.modules[place] = module
        self.lessons_in[place] = frozenset(f"{course}/{lesson.key}" for lesson in module.lessons)
        self.quizzes_in[place] = frozenset(f"{course}/{quiz.key}" for quiz in module.quizzes)
        for lesson in module.lessons:
            self.lessons[f"{course}/{lesson.key}"] = lesson
            self.module_of[f"{course}/{lesson.key}"] = place
        for quiz in module.quizzes:
            self.quizzes[f"{course}/{quiz.key}"] = quiz
            self.module_of[f"{course}/{quiz.key}"] = place

    @cached_property
    def known_tags(self) -> frozenset[str]:
        """Every tag that students have, or that an offer, a letter's answers or a sequence gives."""
        found = set(self._student_tags)
        for offer in self.offers.values():
            found |= set(offer.tags)
        for letter in self.letters.values():
            found |= {tag for _, choice in letter.letter.answers() for tag in choice.add_tags}
        for plan in self.sequences.values():
            for place in plan.places.values():
                if isinstance(place.step, TagStep):
                    found |= set(place.step.add)
        return frozenset(found)

    def unknown(self, names: Mapping[str, object]) -> tuple[str, str] | None:
        """The first object that an event names and the school has not, as (kind, key); None when all are there."""
        known: dict[str, Mapping[str, object]] = {
            "course": self.courses,
            "lesson": self.lessons,
            "quiz": self.quizzes,
            "offer": self.offers,
            "letter": self.letters,
        }
        for kind, key in names.items():
            if kind in known and key not in known[kind]:
                return kind, str(key)
        return None

    @cached_property
    def leaving(self) -> frozenset[str]:
        """The types of events on which some run may leave early."""
        return frozenset(matcher.on for plan in self.plans.values() for matcher in plan.sequence.leaves)

    @cached_property
    def reaching(self) -> frozenset[str]:
        """The types of events that bring some run to a waypoint."""
        return frozenset(way.reach.on for plan in self.plans.values() for _, way in plan.waypoints)

    @cached_property
    def awaited(self) -> frozenset[str]:
        """The types of events that some run waits for."""
        steps = [place.step for plan in self.plans.values() for place in plan.places.values()]
        return frozenset(step.event.on for step in steps if isinstance(step, WaitFor))

    @cached_property
    def short_titles(self) -> dict[str, str]:
        """Course titles up to their colon, where that still tells the courses apart."""
        short = {key: course.title.partition(":")[0].strip() for key, course in self.courses.items()}
        found = list(short.values())
        return {
            key: name if name and found.count(name) == 1 else self.courses[key].title
            for key, name in short.items()
        }

    def lessons_of(self, course: str) -> Iterator[str]:
        """The lessons of a course as full references, in course order."""
        for module in self.courses[course].modules:
            for lesson in module.lessons:
                yield f"{course}/{lesson.key}"

    def course_of_offer(self, offer: str) -> str | None:
        """The course of an offer that gives exactly one."""
        found = self.offers.get(offer)
        return found.courses[0] if found and len(found.courses) == 1 else None

    @cached_property
    def unlocking_modules(self) -> dict[str, list[tuple[str, Duration]]]:
        """The modules of each course that unlock later, as full references in course order, and how much later."""
        return {
            key: [(f"{key}/{m.key}", m.unlocks.value) for m in course.modules if m.unlocks]
            for key, course in self.courses.items()
        }

    def clock_spans(self, kind: str, course: str, module: str | None = None) -> tuple[Duration, ...]:
        """How long before (or after) a clock moment of this course somebody waits for it, each length once."""
        found = self._spans.get((kind, course, module))
        if found is None:
            wanted = [
                interest.span
                for interest in self.clock_interests
                if interest.kind == kind
                and interest.course in (None, course)
                and interest.module in (None, module)
            ]
            found = self._spans[(kind, course, module)] = tuple(dict.fromkeys(wanted))
        return found

    @cached_property
    def clock_interests(self) -> list[ClockInterest]:
        """Every clock event that some sequence waits for, without repeats."""
        found: dict[ClockInterest, None] = {}
        for plan in self.plans.values():
            for matcher in plan.matchers:
                interest = _interest(matcher)
                if interest:
                    found[interest] = None
        return list(found)
