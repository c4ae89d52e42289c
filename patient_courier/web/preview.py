"""A letter as one student would see it now. Saves and posts nothing."""

from __future__ import annotations

from sqlalchemy.orm import Session

from patient_courier.core.definitions import Definitions, ready
from patient_courier.core.example import example_subject
from patient_courier.core.fields import Source
from patient_courier.core.guards import blank_field, field_values
from patient_courier.core.happening import Subject
from patient_courier.core.school.letters import Letter
from patient_courier.core.state import StudentState
from patient_courier.core.words import reason
from patient_courier.dispatch.clock import read_clock
from patient_courier.post.links import Links
from patient_courier.post.message import render
from patient_courier.post.prepared import Rendered
from patient_courier.store.states import load_states

# Links that lead nowhere: what is only looked at must not act.
PREVIEW_LINKS = Links(
    *(f"https://post.example/{place}" for place in ("stop", "preferences", "view", "answer"))
)


def rendered_for(
    session: Session, definitions: Definitions, letter: Letter, student: int, course: str | None
) -> tuple[Rendered, str | None]:
    """A letter filled for a student (by row id) as things stand, and what is blank in it."""
    state = load_states(session, [student], definitions)[student]
    subject = example_subject(definitions, letter.key, list(state.facts.enrolments), course)
    return _rendered(session, definitions, letter, state, subject, PREVIEW_LINKS)


def rendered_about(
    session: Session,
    definitions: Definitions,
    letter: Letter,
    student: int,
    subject: Subject | None,
    links: Links,
) -> tuple[Rendered, str | None]:
    """The same, about this and nothing else, with these links."""
    state = load_states(session, [student], definitions)[student]
    return _rendered(session, definitions, letter, state, subject, links)


def _rendered(
    session: Session,
    definitions: Definitions,
    letter: Letter,
    state: StudentState,
    subject: Subject | None,
    links: Links,
) -> tuple[Rendered, str | None]:
    prepared = ready(letter)
    values = field_values(prepared, Source(definitions, state, subject, read_clock(session).now))
    blank = blank_field(prepared, values, state.zone)
    rendered = render(letter, definitions.school, values, state.zone, links)
    return rendered, reason(blank.reason) if blank else None
