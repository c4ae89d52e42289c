"""A certificate as it is drawn: what stands on it, in the colours and the design of its course."""

from __future__ import annotations

from patient_courier.certificates.drawing import Certificate
from patient_courier.core.definitions import Definitions
from patient_courier.core.merge import date_text
from patient_courier.core.school.courses import CertificateRule, Course
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PICTURES
from patient_courier.post.look import Look, look_of
from patient_courier.store import pictures
from patient_courier.store.prints import Print
from patient_courier.web.context import Session


def look_of_certificate(definitions: Definitions, course: str) -> Look:
    """The look of the pages and pictures of a course's certificates."""
    return look_of(definitions, Letter(key="page", purpose="service", subject=""), course)


def printed(session: Session, definitions: Definitions, one: Print) -> Certificate:
    """What is printed on a certificate; of a course that is gone, its key."""
    course = definitions.courses.get(one.course) or Course(key=one.course, title=one.course)
    day = date_text(one.issued, definitions.school.timezone)
    return certificate_of(session, definitions, course, one.name, day, one.code)


def certificate_of(
    session: Session, definitions: Definitions, course: Course, name: str, day: str, code: str
) -> Certificate:
    """A certificate of a course, perhaps unsaved, for a name; without one, for a student of the school."""
    layout, school = look_of_certificate(definitions, course.key).layout, definitions.school
    rule = course.certificate or CertificateRule()
    named = name or "A student of the school"
    signed = (school.signature.name if school.signature else "") or course.sender_name or school.sender.name
    return Certificate(
        title=f"{rule.heading}: {named}, {course.title}",
        school=school.name,
        name=named,
        course=course.title,
        issued=day,
        signed=signed,
        number=code,
        paper_colour=layout.paper,
        ink=layout.ink,
        soft=layout.soft,
        accent=layout.accent,
        heading=rule.heading,
        before=rule.before,
        wording=rule.wording,
        hours=f"{rule.hours} {'hour' if rule.hours == 1 else 'hours'} of study" if rule.hours else "",
        design=rule.design,
        paper=rule.paper,
        upright=rule.upright,
        logo=_picture(session, layout.logo),
        signature=_picture(session, rule.signature),
    )


def _picture(session: Session, address: str | None) -> bytes | None:
    """A picture that was uploaded here; others are not fetched."""
    if address is None or not address.startswith(PICTURES):
        return None
    return pictures.body(session, address.removeprefix(PICTURES))
