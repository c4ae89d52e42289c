"""A certificate as it is drawn: what stands on it, in the colours of its course."""

from __future__ import annotations

from patient_courier.certificates.drawing import Certificate
from patient_courier.core.definitions import Definitions
from patient_courier.core.merge import date_text
from patient_courier.core.school.letters import Letter
from patient_courier.post.look import Look, look_of
from patient_courier.store.prints import Print


def look_of_certificate(definitions: Definitions, course: str) -> Look:
    """The look of the pages and pictures of a course's certificates."""
    return look_of(definitions, Letter(key="page", purpose="service", subject=""), course)


def printed(definitions: Definitions, one: Print) -> Certificate:
    """What is printed on a certificate; of a course that is gone, its key."""
    layout, school = look_of_certificate(definitions, one.course).layout, definitions.school
    course = definitions.courses.get(one.course)
    title = course.title if course else one.course
    name = one.name or "A student of the school"
    own = course.sender_name if course else None
    return Certificate(
        title=f"Certificate: {name}, {title}",
        school=school.name,
        name=name,
        course=title,
        issued=date_text(one.issued, school.timezone),
        signed=(school.signature.name if school.signature else "") or own or school.sender.name,
        number=one.code,
        paper=layout.paper,
        ink=layout.ink,
        soft=layout.soft,
        accent=layout.accent,
    )
