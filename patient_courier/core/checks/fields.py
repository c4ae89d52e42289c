"""Findings on merge fields where a sequence uses a letter: can its starts fill them, and do all students have them?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from patient_courier.core.checks.finding import Finding, Lacking, Mend
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import object_of
from patient_courier.core.engine.plan import Plan
from patient_courier.core.letters.merge import Field, Template, TemplateError
from patient_courier.core.letters.merge_fields import MergeField, field_words, known_field
from patient_courier.core.school.events import Matcher
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.sequences import CertificateStep, StartSequence, WaitFor, Waypoint
from patient_courier.core.school.values import THIS

# What an event of each type is about, beyond what its matcher names.
_ABOUT: dict[str, tuple[str, ...]] = {
    "enrolled": ("course",),
    "lesson_started": ("lesson", "module", "course"),
    "lesson_watched": ("lesson", "module", "course"),
    "lesson_completed": ("lesson", "module", "course"),
    "quiz_taken": ("quiz", "module", "course"),
    "quiz_passed": ("quiz", "module", "course"),
    "quiz_failed": ("quiz", "module", "course"),
    "module_completed": ("module", "course"),
    "unlocking": ("module", "course"),
    "course_completed": ("course",),
    "certificate_issued": ("course",),
    "certificate_requested": ("course",),
    "certificate_approved": ("course",),
    "certificate_revoked": ("course",),
    "course_help_stopped": ("course",),
    "inactive": ("course",),
    "access_ending": ("course",),
    "purchased": ("offer",),
    "refunded": ("offer",),
    "tag_added": ("tag",),
    "tag_removed": ("tag",),
}


@dataclass(frozen=True, slots=True)
class Origin:
    """One way into a sequence: the kinds of object its runs are about, and those that are certain to be one."""

    kinds: frozenset[str]
    objects: tuple[tuple[str, str], ...] = ()


def origins(definitions: Definitions, plan: Plan, seen: frozenset[str] = frozenset()) -> list[Origin]:
    """The ways into a sequence: its own starts, and those of the sequences that start it."""
    found = [_origin(definitions, matcher) for matcher in plan.sequence.starts]
    for other in definitions.sequences.values():
        starts_it = any(
            isinstance(place.step, StartSequence) and place.step.sequence == plan.key
            for place in other.places.values()
        )
        if starts_it and other.key != plan.key and other.key not in seen:
            found += origins(definitions, other, seen | {plan.key})
    return found


def _origin(definitions: Definitions, matcher: Matcher) -> Origin:
    on: str = matcher.on
    objects = {
        name: value
        for name, value in matcher.selectors().items()
        if name in ("course", "module", "lesson", "quiz", "offer", "tag") and value != THIS
    }
    inner = objects.get("lesson") or objects.get("quiz")
    if inner and inner in definitions.module_of:
        objects.setdefault("module", definitions.module_of[inner])
    if "module" in objects:
        objects.setdefault("course", objects["module"].partition("/")[0])
    kinds = set(_ABOUT.get(on, ())) | set(objects)
    if "offer" in kinds and "course" not in kinds:
        wanted = [objects["offer"]] if "offer" in objects else list(definitions.offers)
        courses = {definitions.course_of_offer(key) for key in wanted}
        if wanted and None not in courses:
            kinds.add("course")
            if len(courses) == 1:
                objects["course"] = next(iter(courses)) or ""
    return Origin(frozenset(kinds), tuple(objects.items()))


def field_findings(
    definitions: Definitions, plan: Plan, step: str, pointer: str, letter: Letter, lacking: Lacking
) -> Iterator[Finding]:
    """Findings on the merge fields of a letter at one step of a sequence."""
    ways = origins(definitions, plan)
    said: set[tuple[str, str]] = set()
    for place, text in letter.texts():
        try:
            template = Template.parse(text)
        except TemplateError:
            continue  # said by the letter's own findings
        for field in template.fields:
            for finding in _of_field(definitions, plan, ways, letter, place, text, field, lacking):
                if (finding.code, field.name) not in said:
                    said.add((finding.code, field.name))
                    yield _placed(finding, plan, step, pointer, letter)


def field_trouble(
    definitions: Definitions, plan: Plan, letter: Letter, name: str, lacking: Lacking
) -> Finding | None:
    """What there is to say of one field, without a fallback, if this letter had it in this sequence."""
    text = f"{{{{ {name} }}}}"
    ways = origins(definitions, plan)
    return next(_of_field(definitions, plan, ways, letter, "text", text, Field(name), lacking), None)


def _placed(finding: Finding, plan: Plan, step: str, pointer: str, letter: Letter) -> Finding:
    return Finding(
        finding.level,
        finding.code,
        finding.sentence,
        sequence=plan.key,
        letter=letter.key,
        step=step,
        pointer=pointer,
        mend=finding.mend,
    )


def _of_field(
    definitions: Definitions,
    plan: Plan,
    ways: list[Origin],
    letter: Letter,
    place: str,
    text: str,
    field: Field,
    lacking: Lacking,
) -> Iterator[Finding]:
    name, known = field.name, known_field(field.name)
    if known is None:
        return
    kind = known.about
    if kind is not None and ways:
        unable = [way for way in ways if kind not in way.kinds]
        if unable:
            every = len(unable) == len(ways)
            if every and not field.has_default:
                sentence = f"“{field_words(name)}” can't be filled here: nothing that starts this sequence is about a {kind}. Each letter would wait for you."
                yield Finding("fault", "field_never_filled", sentence)
            elif every:
                yield Finding(
                    "warning",
                    "field_never_filled",
                    f"“{field_words(name)}” will always show its fallback: nothing that starts this sequence is about a {kind}.",
                )
            elif not field.has_default:
                yield Finding(
                    "warning",
                    "field_sometimes_blank",
                    f"“{field_words(name)}” can't be filled for every start of this sequence, and it has no fallback.",
                )
            return
    if field.has_default:
        return
    if _blank_by_definition(definitions, ways, known):
        yield Finding(
            "fault", "field_blank", f"“{field_words(name)}” is empty in your school, and it has no fallback."
        )
    elif known.empty == "certificate" and not _brings_certificate(plan):
        yield Finding(
            "warning",
            "field_sometimes_blank",
            f"“{field_words(name)}” is empty until the certificate is issued; wait for that before this letter.",
        )
    elif known.empty == "student" and lacking.number(name):
        number = lacking.number(name)
        who = f"{number} of your students have" if number > 1 else "1 of your students has"
        yield Finding(
            "warning",
            "field_sometimes_blank",
            f"{who} no {field_words(name)}, and the letter has no fallback for it. Their letters would wait for you.",
            mend=_fallback(letter, place, text, known),
        )


def _fallback(letter: Letter, place: str, text: str, field: MergeField) -> Mend:
    word = field.fallback
    parts = text.split("{{")
    mended = [parts[0]]
    for part in parts[1:]:
        inside, closing, rest = part.partition("}}")
        if inside.split("|")[0].strip() == field.name and "default" not in inside:
            inside = f"{inside.rstrip()} | default('{word}') "
        mended.append(inside + closing + rest)
    patch = {"op": "replace", "path": f"/{place}", "value": "{{".join(mended)}
    return Mend(f"Write “{word}” where it is missing", "letter", letter.key, (patch,))


def _blank_by_definition(definitions: Definitions, ways: list[Origin], field: MergeField) -> bool:
    """Whether the field is empty for everybody because the school never gave it a value."""
    match field.empty:
        case "school":
            school = definitions.school
            return not (
                school.sender.name if field.name == "school.sender_name" else getattr(school, field.attribute)
            )
        case "object":
            assert field.about is not None
            found = [object_of(definitions, field.about, dict(way.objects).get(field.about)) for way in ways]
            return bool(found) and all(
                item is not None and getattr(item, field.attribute) in (None, "") for item in found
            )
        case "never" | "student" | "certificate" | "standing":
            return False


def _brings_certificate(plan: Plan) -> bool:
    if any(matcher.on == "certificate_issued" for matcher in plan.sequence.starts):
        return True
    for place in plan.places.values():
        step = place.step
        if isinstance(step, CertificateStep):
            return True
        matcher = (
            step.event if isinstance(step, WaitFor) else step.reach if isinstance(step, Waypoint) else None
        )
        if matcher is not None and matcher.on == "certificate_issued":
            return True
    return False
