"""A certificate as it is drawn: its design, filled, with the pictures that were uploaded here."""

from __future__ import annotations

from urllib.parse import quote

from whenever import Instant

from patient_courier.certificates.drawing import Certificate
from patient_courier.core.completion.certificates import day, filled, hours_text
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.fields import certificate_address, certificate_code
from patient_courier.core.school.certificates import Design
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PICTURES
from patient_courier.post.look import Look, look_of
from patient_courier.store.completion.certificates import Print
from patient_courier.store.letters import pictures
from patient_courier.store.students.people import Person
from patient_courier.web.context import Session


def look_of_certificate(definitions: Definitions, course: str) -> Look:
    """The look of the pages about a course's certificates."""
    return look_of(definitions, Letter(key="page", purpose="service", subject=""), course)


def printed(
    session: Session, definitions: Definitions, one: Print, read: dict[str, bytes | None] | None = None
) -> Certificate:
    """What is printed on a certificate, in the design it was issued in."""
    return certificate_of(session, definitions, one.design, one, read)


def certificate_of(
    session: Session,
    definitions: Definitions,
    design: Design,
    one: Print,
    read: dict[str, bytes | None] | None = None,
) -> Certificate:
    """A certificate in a design, perhaps one that is still being made.

    ``read`` keeps the pictures that were read, for making many: they share them.
    """
    rule, issued = design.rule, day(design, one.issued)

    def line(text: str) -> str:
        return filled(text, design, one.printed_name, one.issued, one.code)

    return Certificate(
        title=f"{line(rule.heading)}: {one.printed_name}, {design.title}",
        description=f"{design.title}, {issued}, number {one.code}",
        school=design.school,
        name=one.printed_name,
        course=design.title,
        issued=issued,
        issued_at=one.issued,
        signed=design.signed,
        number=one.code,
        check=check_address(definitions, one.code),
        paper_colour=design.paper_colour,
        ink=design.ink,
        soft=design.soft,
        accent=design.accent,
        heading=line(rule.heading),
        before=line(rule.before),
        wording=line(rule.wording),
        hours=hours_text(design),
        design=rule.design,
        paper=rule.paper,
        upright=rule.upright,
        language=rule.language,
        logo=_picture(session, design.logo, {} if read is None else read),
        signature=_picture(session, rule.signature, {} if read is None else read),
    )


def example(design: Design, name: str, now: Instant) -> Print:
    """A certificate that nobody has, for seeing a design with a name."""
    nobody = Person(0, "", "", name, None, None, False, False, {})
    return Print("ABCD-EFGH-JKLM", nobody, "", name, False, now, False, 0, now, design)


def example_address(definitions: Definitions, course: str) -> str:
    """A picture of what a course's certificates are like, with nobody's name and a number that is none."""
    key = example_key(definitions, course)
    return f"{definitions.site.rstrip('/')}/certificate/example/{quote(course, safe='')}.png?key={key}"


def example_key(definitions: Definitions, course: str) -> str:
    """What shows the example of a course before anybody is in it: nobody can work it out."""
    return certificate_code(definitions.seal, "example", course)


def check_address(definitions: Definitions, code: str) -> str:
    """Where anybody can see whether a certificate is real."""
    return certificate_address(definitions.site, code)


def _picture(session: Session, address: str | None, read: dict[str, bytes | None]) -> bytes | None:
    """A picture that was uploaded here; others are not fetched."""
    if address is None or not address.startswith(PICTURES):
        return None
    if address not in read:
        read[address] = pictures.body(session, address.removeprefix(PICTURES))
    return read[address]
