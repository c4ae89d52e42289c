"""What stands on a certificate: the design of its course, filled."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable

from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.merge import Template, TemplateError, Value, date_text
from patient_courier.core.school.certificates import Design
from patient_courier.core.school.courses import CertificateRule, Course
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import Layout
from patient_courier.core.telling.words import counted

# What can be filled into the lines of a certificate. Nothing else about the student: its page is shown to whoever asks.
FIELDS = frozenset(
    {
        "student.full_name",
        "course.title",
        "school.name",
        "school.sender_name",
        "certificate.code",
        "certificate.issued_on",
    }
)


def design_of(definitions: Definitions, course: Course) -> Design:
    """The design of a course's certificates as it is now, in the colours of the course's layout."""
    school = definitions.school
    layout = course_layout(definitions, course)
    return Design(
        school=school.name,
        title=course.title,
        summary=course.summary,
        modules=[module.title for module in course.modules],
        lessons=sum(len(module.lessons) for module in course.modules),
        quizzes=sum(len(module.quizzes) for module in course.modules),
        signed=(school.signature.name if school.signature else "")
        or course.sender_name
        or school.sender.name,
        zone=school.timezone,
        paper_colour=layout.paper,
        ink=layout.ink,
        soft=layout.soft,
        accent=layout.accent,
        logo=layout.logo,
        rule=course.certificate or CertificateRule(),
    )


def course_layout(definitions: Definitions, course: Course) -> Layout:
    """The layout of a course, saved or not, or the school's."""
    plain = Letter(key="page", purpose="service", subject="", layout=course.layout)
    return definitions.layout_of(plain, course.key)


def filled(line: str, design: Design, name: str, issued: Instant, code: str) -> str:
    """A line of the design with its merge fields; one that can't be read stands as it is."""
    try:
        template = Template.parse(line)
    except TemplateError:
        return line
    values: dict[str, Value] = {
        "student.full_name": name,
        "course.title": design.title,
        "school.name": design.school,
        "school.sender_name": design.signed,
        "certificate.code": code,
        "certificate.issued_on": issued,
    }
    return template.render(values, design.zone, html=False)


def day(design: Design, issued: Instant) -> str:
    """The day it was issued, in the school's zone, as it is printed: 2 March 2026."""
    return date_text(issued, design.zone)


def wrong_lines(rule: CertificateRule) -> dict[str, str]:
    """The lines that can't be filled, by name, each with a sentence."""
    found = {}
    for name in ("heading", "before", "wording"):
        try:
            fields = Template.parse(getattr(rule, name)).fields
        except TemplateError as error:
            found[name] = str(error)
            continue
        for field in fields:
            if field.name not in FIELDS:
                known = ", ".join(f"{{{{ {one} }}}}" for one in sorted(FIELDS))
                found[name] = f"“{field.name}” can't stand on a certificate. These can: {known}."
    return found


def difficult(names: Iterable[str]) -> list[str]:
    """Of these names, the first and then one of each script but plain Latin, at most eight: they show what a design can bear."""
    found: dict[str, str] = {}
    for number, name in enumerate(names):
        scripts = {unicodedata.name(x, "").partition(" ")[0] for x in name if x.isalpha()}
        marked = "LATIN" if not name.isascii() and scripts == {"LATIN"} else ""
        for script in (scripts - {"LATIN"}) or {"first" if number == 0 else marked}:
            if script:
                found.setdefault(script, name)
    return list(dict.fromkeys(found.values()))[:8]


def learnt(design: Design) -> str:
    """What it took, in a sentence's part: “31 lessons in 6 modules, 4 quizzes, 40 hours of study”."""
    parts = []
    if design.lessons:
        modules = f" in {len(design.modules)} modules" if len(design.modules) > 1 else ""
        parts.append(f"{counted(design.lessons, 'lesson')}{modules}")
    if design.quizzes:
        parts.append("1 quiz" if design.quizzes == 1 else f"{design.quizzes} quizzes")
    if design.rule.hours:
        parts.append(f"{counted(design.rule.hours, 'hour')} of study")
    return ", ".join(parts)


def hours_text(design: Design) -> str:
    """The line about hours of study; empty without them."""
    return f"{counted(design.rule.hours, 'hour')} of study" if design.rule.hours else ""
