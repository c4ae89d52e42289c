"""Faults in a school file that no single model can see: doubled keys, references to nothing, unreadable merge fields."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from patient_courier.core.completion.certificates import wrong_lines
from patient_courier.core.letters.merge import Template, TemplateError
from patient_courier.core.reading.known import Fault, Known
from patient_courier.core.school import conditions as c
from patient_courier.core.school import sequences as s
from patient_courier.core.school.blocks import CourseCardBlock
from patient_courier.core.school.broadcasts import Broadcast
from patient_courier.core.school.courses import Course, check_email, check_web_address
from patient_courier.core.school.events import Event, Matcher
from patient_courier.core.school.file import SchoolFile
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.trials import Posts
from patient_courier.core.school.values import THIS


def faults(file: SchoolFile) -> list[Fault]:
    """Every such fault in the file, in order of its places."""
    known = Known.of_file(file)
    return [
        *_doubled_keys(file),
        *known.missing("/school/layout", "layout", file.school.layout),
        *(
            fault
            for index, course in enumerate(file.courses)
            for fault in course_faults(f"/courses/{index}", course, known)
        ),
        *_offers(file, known),
        *(
            fault
            for index, letter in enumerate(file.letters)
            for fault in letter_faults(f"/letters/{index}", letter, known)
        ),
        *(
            fault
            for index, found in enumerate(file.sequences)
            for fault in sequence_faults(f"/sequences/{index}", found, known)
        ),
        *(
            fault
            for index, found in enumerate(file.broadcasts)
            for fault in broadcast_faults(f"/broadcasts/{index}", found, known)
        ),
        *(
            fault
            for index, event in enumerate(file.events)
            for fault in event_faults(f"/events/{index}", event, known)
        ),
        *(
            fault
            for name, students in (
                ("certificates", [one.student for one in file.certificates]),
                ("words", [one.student for one in file.words]),
            )
            for index, student in enumerate(students)
            for fault in known.missing(f"/{name}/{index}/student", "student", student)
        ),
    ]


def _doubled(pointer: str, keys: Iterable[str], word: str, name: str = "key") -> Iterator[Fault]:
    seen: Counter[str] = Counter()
    for index, key in enumerate(keys):
        seen[key] += 1
        if seen[key] > 1:
            yield Fault(
                f"{pointer}/{index}/{name}",
                f"the {name} “{key}” is used by another {word} too; each needs its own",
            )


def _doubled_keys(file: SchoolFile) -> Iterator[Fault]:
    for index, course in enumerate(file.courses):
        place = f"/courses/{index}/modules"
        yield from _doubled(place, (m.key for m in course.modules), "module of this course")
        for name in ("lessons", "quizzes"):
            seen: set[str] = set()
            for m, module in enumerate(course.modules):
                for i, item in enumerate(getattr(module, name)):
                    if item.key in seen:
                        word = "lesson" if name == "lessons" else "quiz"
                        yield Fault(
                            f"{place}/{m}/{name}/{i}/key",
                            f"the key “{item.key}” is used by another {word} of this course too; each needs its own",
                        )
                    seen.add(item.key)
    yield from _doubled("/courses", (x.key for x in file.courses), "course")
    yield from _doubled("/offers", (x.key for x in file.offers), "offer")
    yield from _doubled("/letters", (x.key for x in file.letters), "letter")
    yield from _doubled("/sequences", (x.key for x in file.sequences), "sequence")
    yield from _doubled("/broadcasts", (x.key for x in file.broadcasts), "broadcast")
    yield from _doubled("/layouts", (x.key for x in file.layouts), "layout")
    yield from _doubled("/pictures", (x.key for x in file.pictures), "picture")
    yield from _doubled("/students", (x.key for x in file.students), "student")
    yield from _doubled("/certificates", (x.code for x in file.certificates), "certificate", "code")
    yield from _doubled("/certificates", (str(x.place) for x in file.certificates), "certificate", "place")
    yield from _doubled("/signing_keys", (str(x.number) for x in file.signing_keys), "signing key", "number")


def course_faults(pointer: str, course: Course, known: Known) -> Iterator[Fault]:
    """A layout that does not exist, lines of the certificate that can't be filled."""
    yield from known.missing(f"{pointer}/layout", "layout", course.layout)
    yield from certificate_faults(f"{pointer}/certificate", course)


def certificate_faults(pointer: str, course: Course) -> Iterator[Fault]:
    """Lines of a course's certificate that can't be filled."""
    for line, sentence in wrong_lines(course.certificate).items() if course.certificate else ():
        yield Fault(f"{pointer}/{line}", sentence)


def doubled_outline_key(course: Course) -> str | None:
    """A sentence about a key that two parts of one outline share; None when each has its own."""
    for name in ("lessons", "quizzes"):
        keys = Counter(item.key for module in course.modules for item in getattr(module, name))
        doubled = next((key for key, number in keys.items() if number > 1), None)
        if doubled:
            return f"The key “{doubled}” is used twice; each lesson and quiz needs its own."
    keys = Counter(module.key for module in course.modules)
    doubled = next((key for key, number in keys.items() if number > 1), None)
    return f"The key “{doubled}” is used by two modules; each needs its own." if doubled else None


def _offers(file: SchoolFile, known: Known) -> Iterator[Fault]:
    for index, offer in enumerate(file.offers):
        for number, course in enumerate(offer.courses):
            yield from known.missing(f"/offers/{index}/courses/{number}", "course", course)


def broadcast_faults(pointer: str, broadcast: Broadcast, known: Known) -> Iterator[Fault]:
    """What a broadcast names that the school does not have."""
    yield from _posted(pointer, broadcast, known)
    yield from known.missing(f"{pointer}/course", "course", broadcast.course)
    for index, student in enumerate(broadcast.without):
        yield from known.missing(f"{pointer}/without/{index}", "student", student)
    if broadcast.to is not None:
        yield from condition_faults(f"{pointer}/to", broadcast.to, known)


def _posted(pointer: str, posts: Posts, known: Known) -> Iterator[Fault]:
    yield from known.missing(f"{pointer}/letter", "letter", posts.letter)
    for index, version in enumerate(posts.versions or ()):
        yield from known.missing(f"{pointer}/versions/{index}/letter", "letter", version.letter)


def letter_faults(pointer: str, letter: Letter, known: Known) -> Iterator[Fault]:
    """What a letter names that the school does not have, merge fields that can't be read, answers that can't be told apart."""
    yield from known.missing(f"{pointer}/layout", "layout", letter.layout)
    for place, block in letter.every_block():
        if block.only_if is not None:
            yield from condition_faults(f"{pointer}/{place}/only_if", block.only_if, known)
        if isinstance(block, CourseCardBlock):
            yield from known.missing(f"{pointer}/{place}/course", "course", block.course, THIS)
            yield from known.missing(f"{pointer}/{place}/offer", "offer", block.offer)
            if block.course is None and block.offer is None:
                yield Fault(
                    f"{pointer}/{place}", "a course card shows a course or an offer; name one of them"
                )
    pages = [
        (f"{place}/{name}", getattr(choice, name) or "")
        for place, choice in letter.answers()
        for name in ("page", "ask")
    ]
    for place, text in [*letter.texts(), *pages]:
        try:
            Template.parse(text)
        except TemplateError as error:
            yield Fault(f"{pointer}/{place}", str(error))
    seen: set[str] = set()
    for place, choice in letter.answers():
        if choice.key in seen:
            yield Fault(
                f"{pointer}/{place}/key",
                f"the key “{choice.key}” is used by another answer of this letter too; each needs its own",
            )
        seen.add(choice.key)
        if choice.url:
            try:
                check_answer_address(choice.url)
            except ValueError as error:
                yield Fault(f"{pointer}/{place}/url", str(error))


def event_faults(pointer: str, event: Event, known: Known) -> Iterator[Fault]:
    """Objects an event names that the school does not have."""
    yield from known.missing(f"{pointer}/student", "student", event.student)
    for name, value in event.names().items():
        if name in known.keys and isinstance(value, str):
            yield from known.missing(f"{pointer}/{name}", name, value)


def matcher_faults(pointer: str, matcher: Matcher, known: Known) -> Iterator[Fault]:
    for name, value in matcher.selectors().items():
        if name in known.keys and isinstance(value, str):
            yield from known.missing(f"{pointer}/{name}", name, value, THIS)


def condition_faults(pointer: str, condition: c.Condition, known: Known) -> Iterator[Fault]:
    """Objects a condition asks about that the school does not have."""
    match condition:
        case c.All() | c.Any_():
            name = "all" if isinstance(condition, c.All) else "any"
            for index, part in enumerate(getattr(condition, name)):
                yield from condition_faults(f"{pointer}/{name}/{index}", part, known)
        case c.Not():
            yield from condition_faults(f"{pointer}/not", condition.not_, known)
        case c.IsStudent():
            for index, key in enumerate(condition.keys):
                yield from known.missing(f"{pointer}/keys/{index}", "student", key)
        case c.Leaf():
            also = (
                (THIS, "any") if isinstance(condition, c.IsEnrolled | c.IsBought | c.IsInactive) else (THIS,)
            )
            for name in type(condition).model_fields:
                value = getattr(condition, name)
                if name in known.keys and isinstance(value, str):
                    yield from known.missing(f"{pointer}/{name}", name, value, *also)


def check_answer_address(url: str) -> None:
    """A web address, or a merge field that may hold one. Raises ValueError with a sentence."""
    if Template.parse(url).fields:
        return
    check_web_address(url)


def sequence_faults(pointer: str, sequence: s.Sequence, known: Known) -> Iterator[Fault]:
    """Everything in a sequence that points at nothing or stands where it can't."""
    for name in ("starts", "leaves"):
        for index, matcher in enumerate(getattr(sequence, name)):
            yield from matcher_faults(f"{pointer}/{name}/{index}", matcher, known)
    if sequence.only_if is not None:
        yield from condition_faults(f"{pointer}/only_if", sequence.only_if, known)
    if sequence.trial is not None:
        yield from matcher_faults(f"{pointer}/trial/goal", sequence.trial.goal, known)
    yield from _steps(f"{pointer}/steps", sequence.steps, known, set(), top=True)


def _steps(pointer: str, steps: list[s.Step], known: Known, seen: set[str], *, top: bool) -> Iterator[Fault]:
    for index, step in enumerate(steps):
        place = f"{pointer}/{index}"
        if step.id in seen:
            yield Fault(
                f"{place}/id",
                f"the id “{step.id}” is used by another step of this sequence too; each needs its own",
            )
        seen.add(step.id)
        yield from _step(place, step, known)
        if isinstance(step, s.Waypoint) and not top:
            yield Fault(
                place,
                "a waypoint stands only between the steps of the sequence itself, not inside another step",
            )
        for lane, inner in s.lanes(step):
            yield from _steps(f"{place}/{lane}", inner, known, seen, top=False)


def _step(place: str, step: s.Step, known: Known) -> Iterator[Fault]:
    match step:
        case s.Send():
            yield from _posted(place, step, known)
        case s.Tell():
            yield from known.missing(f"{place}/letter", "letter", step.letter)
            for address in [step.to] if isinstance(step.to, str) else step.to:
                if address != "owner":
                    try:
                        check_email(address)
                    except ValueError as error:
                        yield Fault(f"{place}/to", str(error))
        case s.WaitFor():
            yield from matcher_faults(f"{place}/event", step.event, known)
        case s.Waypoint():
            yield from matcher_faults(f"{place}/reach", step.reach, known)
        case s.Branch():
            for index, arm in enumerate(step.arms):
                yield from condition_faults(f"{place}/arms/{index}/if", arm.if_, known)
        case s.Call():
            try:
                check_web_address(step.url)
            except ValueError as error:
                yield Fault(f"{place}/url", str(error))
        case s.StartSequence() | s.StopSequence():
            yield from known.missing(f"{place}/sequence", "sequence", step.sequence)
        case s.CertificateStep():
            yield from known.missing(f"{place}/course", "course", step.course, THIS)
        case s.Wait() | s.TagStep() | s.Repeat() | s.Dated() | s.End():
            pass
