"""Somebody has signed up: the student becomes known, what the form gives is given, and the consent is put down."""

from __future__ import annotations

import secrets
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.people.signing_up import SignUp
from patient_courier.core.school.events import Event
from patient_courier.core.school.sign_up import SignUpForm
from patient_courier.dispatch.taking import take_events
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import consents, described, people
from patient_courier.store.students.consents import Source
from patient_courier.store.students.people import Person

_EVENT: TypeAdapter[Event] = TypeAdapter(Event)


def has_all(
    session: Session, definitions: Definitions, form: SignUpForm, person: Person, agrees: bool
) -> bool:
    """Whether a known student has already what this form would give them."""
    state = load_states(session, [person.id], definitions)[person.id]
    return (
        (form.tag is None or form.tag in state.facts.tags)
        and (form.course is None or not state.facts.may_enrol(form.course, "manual"))
        and (not agrees or person.news)
    )


def take_sign_up(
    session: Session,
    definitions: Definitions,
    form: SignUpForm,
    sign_up: SignUp,
    source: Source,
    now: Instant,
    *,
    confirmed: bool,
) -> str:
    """Let it come about; returns the student's key. Events are those of a form: signed up, its tag, its course.

    Only who has ``confirmed`` it from their own inbox can take back that they had stopped news.
    """
    who = sign_up.student() | {"news": sign_up.agrees}
    key = described.known_or_new(session, who, now, source)
    session.flush()
    person = people.find(session, key)
    if confirmed and person is not None and sign_up.agrees and not person.news:
        people.resume_news(session, person.id)
        consents.note(session, [person.id], "news_on", now, source)
    body: dict[str, Any] = {"at": now, "student": key}
    events = [{**body, "type": "signed_up", "form": form.key, "id": f"sign-up-{secrets.token_hex(12)}"}]
    if form.tag is not None:
        events.append({**body, "type": "tag_added", "tag": form.tag})
    if form.course is not None and form.course in definitions.courses:
        events.append({**body, "type": "enrolled", "course": form.course, "via": "manual"})
    take_events(session, definitions, [_EVENT.validate_python(one) for one in events], now, source)
    return key


def source_of(form: SignUpForm, version: int, origin: str, consent: str) -> Source:
    """Where a consent comes from: form and version, from which internet address, and the sentence word for word."""
    return Source(f"by the sign-up form “{form.name}”, version {version}, from {origin}", note=consent)
