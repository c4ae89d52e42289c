"""The school's look: the frames round its letters, seen at once on three real letters."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Response
from pydantic import BaseModel, ValidationError

from patient_courier.core.checks.looks import layout_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import as_data, validation_faults
from patient_courier.core.school.letters import Letter
from patient_courier.core.school.looks import PLAIN_LAYOUT, Layout
from patient_courier.post.frame import lacking
from patient_courier.store.base.definitions import remove_layout, replace_courses, save_layout, save_school
from patient_courier.store.sequences.counts import letters_sent
from patient_courier.store.students import people
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.drafts_only import hides_addresses
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.findings import FindingOut, finding_out
from patient_courier.web.preview import seen_in

router = APIRouter(prefix="/api/layouts", tags=["layouts"])
LayoutBody = Annotated[dict[str, Any], Body()]
# How many letters a layout is shown on: one of each purpose, where there are such.
SHOWN = 3


class LayoutOut(BaseModel):
    """A layout and what stands in it: ``school`` says that letters without one of their own do."""

    body: dict[str, Any]
    edition: str
    school: bool
    courses: list[str]
    letters: list[str]


class LayoutsOut(BaseModel):
    """All layouts; ``plain`` is the body of the one that is used while there is none."""

    layouts: list[LayoutOut]
    plain: dict[str, Any]


class UseIn(BaseModel):
    """Whose letters stand in a layout: the school's, and those about these courses (keys)."""

    school: bool
    courses: list[str]


class SeenIn(BaseModel):
    """A layout, perhaps unsaved, and whose eyes to see it with."""

    layout: dict[str, Any]
    student: str


class SeenLetter(BaseModel):
    key: str
    name: str
    subject: str
    html: str


class SeenOut(BaseModel):
    letters: list[SeenLetter]
    findings: list[FindingOut]


@router.get("")
def list_layouts(user: SignedIn, post: ThePost, session: Reading) -> LayoutsOut:
    definitions = definitions_in(post, session)
    return LayoutsOut(
        layouts=[_out(definitions, layout) for layout in definitions.layouts.values()],
        plain=as_data(PLAIN_LAYOUT),
    )


def _out(definitions: Definitions, layout: Layout) -> LayoutOut:
    return LayoutOut(
        body=as_data(layout),
        edition=edition_of(as_data(layout)),
        school=definitions.school.layout == layout.key,
        courses=[key for key, course in definitions.courses.items() if course.layout == layout.key],
        letters=[
            one.letter.called for key, one in definitions.letters.items() if one.letter.layout == layout.key
        ],
    )


@router.put("/{key}")
def put_layout(
    key: str,
    body: LayoutBody,
    user: SignedIn,
    post: ThePost,
    session: Writing,
    begun: BegunFrom,
    response: Response,
) -> LayoutOut:
    """Save a layout, or a new one; all letters that stand in it follow. The first one is the school's."""
    before = definitions_in(post, session)
    there = before.layouts.get(key)
    begun.check(edition_of(as_data(there)) if there else None)
    layout = read_layout({**body, "key": key})
    say(response, edition_of(as_data(layout)))
    save_layout(session, layout)
    if not before.layouts:
        save_school(session, before.school.model_copy(update={"layout": key}))
    return _out(definitions_in(post, session), layout)


@router.put("/{key}/use")
def use_layout(key: str, body: UseIn, user: SignedIn, post: ThePost, session: Writing) -> LayoutOut:
    """Say whose letters stand in a layout; what stood in it before and is not named goes back to the school's."""
    definitions = definitions_in(post, session)
    layout = _known(definitions, key)
    school = definitions.school
    if body.school:
        save_school(session, school.model_copy(update={"layout": key}))
    elif school.layout == key:
        save_school(session, school.model_copy(update={"layout": None}))
    courses = [
        course.model_copy(update={"layout": key if course.key in body.courses else None})
        if course.key in body.courses or course.layout == key
        else course
        for course in definitions.courses.values()
    ]
    replace_courses(session, courses, list(definitions.offers.values()))
    return _out(definitions_in(post, session), layout)


@router.delete("/{key}", status_code=204)
def delete_layout(key: str, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Throw a layout away. 409 while something stands in it."""
    definitions = definitions_in(post, session)
    found = _out(definitions, _known(definitions, key))
    if found.school or found.courses or found.letters:
        used = [
            *(["the school"] if found.school else []),
            *(definitions.courses[course].title for course in found.courses),
            *(f"the letter “{name}”" for name in found.letters),
        ]
        raise HTTPException(409, f"This layout is used by {', '.join(used)}. Give them another one first.")
    remove_layout(session, key)


@router.post("/preview")
def preview(body: SeenIn, user: SignedIn, post: ThePost, session: Reading) -> SeenOut:
    """A layout round three real letters, as a student would see them. Saves nothing."""
    layout = read_layout(body.layout)
    definitions = definitions_in(post, session)
    person = people.find(session, body.student)
    if person is None:
        raise HTTPException(404, "There is no such student.")
    found = []
    for letter in _examples(session, definitions):
        rendered = seen_in(session, definitions, letter, person.id, layout, hidden=hides_addresses(user))
        found.append(
            SeenLetter(key=letter.key, name=letter.called, subject=rendered.subject, html=rendered.html)
        )
    return SeenOut(letters=found, findings=[finding_out(one) for one in layout_findings(layout)])


def _examples(session: Session, definitions: Definitions) -> list[Letter]:
    """The letter of each purpose that was sent most; then others, until there are three."""
    sent = letters_sent(session)
    ordered = sorted(definitions.letters.values(), key=lambda one: -sent.get(one.letter.key, 0))
    first: dict[str, Letter] = {}
    for one in ordered:
        first.setdefault(one.letter.purpose, one.letter)
    chosen = [first[purpose] for purpose in ("service", "course_help", "news") if purpose in first]
    chosen += [one.letter for one in ordered if one.letter not in chosen]
    return chosen[:SHOWN]


def _known(definitions: Definitions, key: str) -> Layout:
    layout = definitions.layouts.get(key)
    if layout is None:
        raise HTTPException(404, "There is no such layout.")
    return layout


def read_layout(body: dict[str, Any]) -> Layout:
    """A layout as it came in. 422 with the first thing that is wrong."""
    try:
        layout = Layout.model_validate(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise HTTPException(422, f"{fault.pointer.strip('/')}: {fault.sentence}") from error
    missing = lacking(layout.html) if layout.html is not None else []
    if missing:
        raise HTTPException(422, f"Your HTML has no place for {'; nor for '.join(missing)}.")
    return layout
