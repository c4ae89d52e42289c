"""A letter as one student would see it now. Saves and posts nothing."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from patient_courier.core.engine.block_texts import hidden_places
from patient_courier.core.engine.definitions import Definitions, ready
from patient_courier.core.engine.fields import Source
from patient_courier.core.engine.guards import blank_field, field_values
from patient_courier.core.engine.happening import Subject, course_of
from patient_courier.core.engine.state import StudentState
from patient_courier.core.letters.merge import Value
from patient_courier.core.school.blocks import CertificateBlock
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import Layout
from patient_courier.core.telling.words import reason
from patient_courier.core.writing.example import example_subject
from patient_courier.dispatch.clock import read_clock
from patient_courier.post.calendar_file import calendar_files
from patient_courier.post.links import Links
from patient_courier.post.look import Look, look_of
from patient_courier.post.message import Sender, render, sender_of
from patient_courier.post.prepared import Rendered, prepare
from patient_courier.store.engine.loading import load_states
from patient_courier.web.printed_certificate import example_address

HIDDEN_ADDRESS = "student@example.org"
# Links that lead nowhere: what is only looked at must not act.
PREVIEW_LINKS = Links(
    *(f"https://post.example/{place}" for place in ("stop", "preferences", "view", "answer"))
)


@dataclass(frozen=True, slots=True)
class Seen:
    """A letter as one student sees it, what is blank in it, whom it is from, the places of blocks they don't see, its calendar files."""

    rendered: Rendered
    blank: str | None
    sender: Sender
    hidden: list[str]
    files: list[bytes]


def rendered_for(
    session: Session,
    definitions: Definitions,
    letter: Letter,
    student: int,
    course: str | None,
    *,
    hidden: bool = False,
) -> Seen:
    """A letter filled for a student (by row id) as things stand; ``hidden``: without their address."""
    state = state_shown(session, definitions, student, hidden=hidden)
    subject = example_subject(definitions, letter.key, list(state.facts.enrolments), course)
    return _seen(session, definitions, letter, state, subject, PREVIEW_LINKS)


def seen_in(
    session: Session,
    definitions: Definitions,
    letter: Letter,
    student: int,
    layout: Layout,
    *,
    hidden: bool = False,
) -> Rendered:
    """A letter filled for a student in a layout that need not be saved."""
    state = state_shown(session, definitions, student, hidden=hidden)
    subject = example_subject(definitions, letter.key, list(state.facts.enrolments), None)
    look = replace(_look(definitions, letter, subject), layout=layout)
    now = read_clock(session).now
    values = field_values(ready(letter), Source(definitions, state, subject, now), now)
    return render(letter, look, values, state.zone, PREVIEW_LINKS)


def state_shown(session: Session, definitions: Definitions, student: int, *, hidden: bool) -> StudentState:
    """A student as they stand; ``hidden``: with a made-up address, for those who may see none."""
    state = load_states(session, [student], definitions)[student]
    if hidden:
        state.student = state.student.model_copy(update={"email": HIDDEN_ADDRESS})
    return state


def _look(definitions: Definitions, letter: Letter, subject: Subject | None) -> Look:
    return look_of(definitions, letter, course_of(subject))


def rendered_about(
    session: Session,
    definitions: Definitions,
    letter: Letter,
    student: int,
    subject: Subject | None,
    links: Links,
    *,
    hidden: bool = False,
) -> Seen:
    """The same, about this and nothing else, with these links."""
    state = state_shown(session, definitions, student, hidden=hidden)
    return _seen(session, definitions, letter, state, subject, links)


def _seen(
    session: Session,
    definitions: Definitions,
    letter: Letter,
    state: StudentState,
    subject: Subject | None,
    links: Links,
) -> Seen:
    prepared = ready(letter)
    now = read_clock(session).now
    values = field_values(prepared, Source(definitions, state, subject, now), now)
    blank = blank_field(prepared, values, state.zone)
    values |= _certificates_to_come(definitions, letter, subject, values)
    framed = prepare(letter, _look(definitions, letter, subject))
    sender = sender_of(definitions, letter, course_of(subject), None)
    domain = sender.email.rpartition("@")[2]
    return Seen(
        framed.fill(values, state.zone, links),
        reason(blank.reason) if blank else None,
        sender,
        [place.removesuffix("/") for place in hidden_places(values)],
        calendar_files(framed, values, state.zone, definitions.school.timezone, domain, now),
    )


def _certificates_to_come(
    definitions: Definitions, letter: Letter, subject: Subject | None, values: Mapping[str, Value]
) -> dict[str, Value]:
    """What the picture of a certificate will be like, for a letter that waits for it; the finding about it stays."""
    course = course_of(subject)
    if course is None:
        return {}
    picture = example_address(definitions, course)
    return {
        f"{place}.picture": picture
        for place, block in letter.every_block()
        if isinstance(block, CertificateBlock) and not block.claim and not values.get(f"{place}.picture")
    }
