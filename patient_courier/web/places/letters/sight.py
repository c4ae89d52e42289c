"""Looking at a letter while it is written: with whose eyes, and what could be filled in."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel

from patient_courier.core.engine.broadcasting import settled
from patient_courier.core.engine.fields import LINK_PLACES, Source, value
from patient_courier.core.letters.merge import Field
from patient_courier.core.letters.merge_fields import FIELDS, FREE_PREFIX, field_words
from patient_courier.core.writing.example import example_subject
from patient_courier.core.writing.field_notes import why_not
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.students import audience, people
from patient_courier.web.context import Reading, SignedIn, ThePost, definitions_in
from patient_courier.web.drafts_only import hides_addresses
from patient_courier.web.places.students.audiences import read_condition
from patient_courier.web.preview import state_shown

router = APIRouter(prefix="/api/letters", tags=["letters"])

_GROUPS = {
    "student": "The student",
    "course": "The course",
    "module": "The module",
    "lesson": "The lesson",
    "next_lesson": "The next lesson",
    "quiz": "The quiz",
    "offer": "The offer",
    "certificate": "The certificate",
    "school": "The school",
    "links": "Links",
    "event": "What started it",
}


class MergeFieldOut(BaseModel):
    """A merge field with its name for the screen and what it would print for the student shown.

    ``lacking`` students have no value for it; ``why`` says why it can't be filled where the letter is used.
    """

    name: str
    label: str
    group: str
    value: str
    lacking: int
    why: str | None


class ExamplesOut(BaseModel):
    """Students whose letters look unusual: the one with the longest name, one without a first name (keys)."""

    longest: str | None
    nameless: str | None


class SomeoneIn(BaseModel):
    """A condition, and the course that ``this`` means in it."""

    condition: dict[str, Any]
    course: str | None = None


class SomeoneOut(BaseModel):
    """How many students it is true of, and one of them."""

    students: int
    student: str | None


@router.get("/examples")
def examples(user: SignedIn, session: Reading) -> ExamplesOut:
    longest, nameless = people.unusual(session)
    return ExamplesOut(longest=longest, nameless=nameless)


@router.post("/someone")
def someone(body: SomeoneIn, user: SignedIn, post: ThePost, session: Reading) -> SomeoneOut:
    """Somebody of whom a condition is true now, so that a block that only they see can be looked at."""
    definitions = definitions_in(post, session)
    condition = settled(read_condition(definitions, body.condition), body.course)
    now = read_clock(session).now
    return SomeoneOut(
        students=audience.count(session, condition, definitions, now),
        student=people.one_of(session, audience.picked(condition, definitions, now)),
    )


@router.get("/{key}/fields")
def merge_fields(
    key: str, user: SignedIn, post: ThePost, session: Reading, student: str = "", course: str | None = None
) -> list[MergeFieldOut]:
    """Every merge field, grouped by what it is about, as this letter could have it for this student."""
    definitions = definitions_in(post, session)
    ready = definitions.letters.get(key)
    if ready is None:
        raise HTTPException(404, "There is no such letter.")
    names = [*FIELDS, *(FREE_PREFIX + name for name in people.fields_seen(session))]
    lacking = people.lacking(session)
    about = [one.broadcast.course for one in broadcasts.every(session) if key in one.broadcast.letters]
    reasons = why_not(definitions, ready.letter, names, about)
    person = people.find(session, student) if student else None
    source = None
    if person is not None:
        state = state_shown(session, definitions, person.id, hidden=hides_addresses(user))
        subject = example_subject(definitions, key, list(state.facts.enrolments), course)
        source = Source(definitions, state, subject, read_clock(session).now)
    found = []
    for name in sorted(names, key=_order):
        group = name.partition(".")[0]
        printed = ""
        if source is not None and name not in LINK_PLACES:
            printed = Field(name).text(value(name, source), source.state.zone)
        found.append(
            MergeFieldOut(
                name=name,
                label=field_words(name),
                group=_GROUPS[group],
                value=printed,
                lacking=lacking.number(name) if group == "student" else 0,
                why=reasons.get(name),
            )
        )
    return found


def _order(name: str) -> tuple[int, bool, str]:
    return list(_GROUPS).index(name.partition(".")[0]), name.startswith(FREE_PREFIX), name
