"""The course line: a course as a line of stops, and the letters that sequences hang at them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from patient_courier.core.courses.ruler import Mark, ruler
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.school import sequences as s
from patient_courier.core.school.courses import Course
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.values import THIS
from patient_courier.core.telling.words import span

ENROLLED, COMPLETED, CERTIFICATE, ACCESS, ANYWHERE = (
    "enrolled",
    "completed",
    "certificate",
    "access",
    "anywhere",
)


@dataclass(frozen=True, slots=True)
class Stop:
    """One stop: ``id`` names it in the course, ``kind`` says what it is, ``module`` which module it folds into."""

    id: str
    kind: str
    title: str
    detail: str = ""
    module: str | None = None


@dataclass(frozen=True, slots=True)
class Hung:
    """A letter that a sequence posts at a stop, and when."""

    stop: str
    sequence: str
    step: str
    letter: str
    when: str


def stops(course: Course) -> list[Stop]:
    """The stops of a course in order, from enrolment to the end of access."""
    found = [Stop(ENROLLED, "enrolment", "Enrolment")]
    for number, module in enumerate(course.modules, 1):
        place = f"{course.key}/{module.key}"
        opens = f"opens {span(module.unlocks.value)} after enrolling" if module.unlocks else ""
        found.append(Stop(f"module:{place}", "module", f"{number} · {module.title}", opens, place))
        for lesson in module.lessons:
            minutes = f"{lesson.minutes} min" if lesson.minutes else ""
            found.append(Stop(f"{course.key}/{lesson.key}", "lesson", lesson.title, minutes, place))
        for quiz in module.quizzes:
            found.append(
                Stop(
                    f"quiz:{course.key}/{quiz.key}",
                    "quiz",
                    f"Quiz: {quiz.title}",
                    f"pass {quiz.pass_mark}%",
                    place,
                )
            )
        found.append(Stop(f"done:{place}", "module_completed", f"Module {number} completed", "", place))
    found.append(Stop(COMPLETED, "completed", "Course completed"))
    if course.certificate is not None:
        approval = "after your approval" if course.certificate.approval else "at once"
        found.append(Stop(CERTIFICATE, "certificate", "Certificate", approval))
    if course.access is not None:
        found.append(Stop(ACCESS, "access", "Access ends", f"{span(course.access.value)} after enrolling"))
    return found


def items(course: Course) -> list[str]:
    """The ids of what a student does one after the other: lessons and quizzes."""
    return [stop.id for stop in stops(course) if stop.kind in ("lesson", "quiz")]


def hung(definitions: Definitions, course: str) -> Iterator[Hung]:
    """Every letter that a sequence which is not closed posts along a course, by stop."""
    for plan in definitions.sequences.values():
        if plan.sequence.status == "closed":
            continue
        marks = {mark.step: mark for mark in ruler(plan.sequence)}
        towards = _nudged_to(definitions, course, plan.sequence)
        begin = [
            stop for matcher in plan.sequence.starts for stop in places(definitions, course, matcher, None)
        ]
        for stop in dict.fromkeys(begin):
            here = towards if towards and stop != ANYWHERE else stop
            yield from _hang(definitions, course, plan, plan.sequence.steps, here, marks, "")


def _nudged_to(definitions: Definitions, course: str, sequence: s.Sequence) -> str | None:
    """The lesson or quiz that a nudge is about: one letter, and behind it a waypoint for those who have begun there."""
    sends = 0
    for step in sequence.steps:
        if isinstance(step, s.Send):
            sends += 1
        elif isinstance(step, s.Waypoint) and not step.hold and sends == 1:
            known = items(definitions.courses[course])
            found = [stop for stop in places(definitions, course, step.reach, None) if stop in known]
            return found[0] if len(found) == 1 else None
        elif not isinstance(step, s.Wait):
            return None
    return None


def _hang(
    definitions: Definitions,
    course: str,
    plan: Plan,
    steps: list[s.Step],
    stop: str,
    marks: dict[str, Mark],
    about: str,
) -> Iterator[Hung]:
    here = stop
    for step in steps:
        match step:
            case s.Send():
                when = about or marks[step.id].said
                for letter in step.letters:
                    if letter in definitions.letters:
                        yield Hung(here, plan.key, step.id, letter, when or "at once")
            case s.WaitFor():
                there = _there(definitions, course, step.event, stop, here)
                yield from _hang(definitions, course, plan, step.then, there, marks, "")
                if step.within:  # else nobody comes to the other lane
                    late = f"if not within {span(step.within.value)}"
                    yield from _hang(definitions, course, plan, step.else_, there, marks, late)
            case s.Waypoint():
                here = _there(definitions, course, step.reach, stop, here)
            case (
                s.Send()
                | s.Wait()
                | s.Branch()
                | s.TagStep()
                | s.Repeat()
                | s.Dated()
                | s.StartSequence()
                | s.StopSequence()
                | s.Tell()
                | s.CertificateStep()
                | s.Call()
                | s.End()
            ):
                for _, inner in s.lanes(step):
                    yield from _hang(definitions, course, plan, inner, here, marks, about)


def _there(definitions: Definitions, course: str, matcher: Matcher, stop: str, here: str) -> str:
    """The stop a run has come to when it has waited for an event; where it was when that can be anywhere."""
    found = places(definitions, course, matcher, stop)
    return found[0] if len(found) == 1 and found[0] != ANYWHERE else here


def places(definitions: Definitions, course: str, matcher: Matcher, here: str | None) -> list[str]:
    """The stops of a course at which a matcher's event happens; empty when it is about something else.

    ``here`` is the stop of the run's own event, for ``this``.
    """
    wanted = dict(matcher.selectors())
    found = definitions.courses[course]
    if wanted.get("course") not in (None, THIS, course):
        return []
    inner = wanted.get("lesson") or wanted.get("quiz") or wanted.get("module")
    if inner == THIS:
        return [here] if here else []
    if isinstance(inner, str) and inner.partition("/")[0] != course:
        return []
    about_course = "course" in wanted or inner is not None
    modules = [f"{course}/{module.key}" for module in found.modules]
    match matcher.on:
        case "lesson_started" | "lesson_completed" | "lesson_watched":
            return [str(wanted["lesson"])] if "lesson" in wanted else [ANYWHERE] if about_course else []
        case "quiz_taken" | "quiz_passed" | "quiz_failed":
            quizzes = [f"quiz:{course}/{quiz.key}" for module in found.modules for quiz in module.quizzes]
            return [f"quiz:{wanted['quiz']}"] if "quiz" in wanted else quizzes if about_course else []
        case "enrolled":
            return [ENROLLED] if about_course else []
        case "purchased":
            gives = definitions.offers.get(str(wanted.get("offer")))
            return [ENROLLED] if gives and course in gives.courses else []
        case "module_completed":
            return (
                [f"done:{wanted['module']}"]
                if "module" in wanted
                else [f"done:{m}" for m in modules]
                if about_course
                else []
            )
        case "unlocking":
            return (
                [f"module:{wanted['module']}"]
                if "module" in wanted
                else [f"module:{m}" for m in modules]
                if about_course
                else []
            )
        case "course_completed":
            return [COMPLETED] if about_course else []
        case "certificate_issued" | "certificate_requested" | "certificate_approved":
            return [CERTIFICATE] if about_course else []
        case "access_ending":
            return [ACCESS] if about_course else []
        case "inactive":
            return [ANYWHERE] if about_course else []
        case (
            "refunded"
            | "certificate_revoked"
            | "course_help_stopped"
            | "signed_in"
            | "signed_up"
            | "news_stopped"
            | "complained"
            | "bounced"
            | "letter_opened"
            | "link_clicked"
            | "answered"
            | "tag_added"
            | "tag_removed"
        ):
            return []
