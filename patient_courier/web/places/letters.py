"""Letters: the library, the editor, and the letter as one student sees it."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException
from pydantic import BaseModel, ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from patient_courier.core.definitions import Definitions, ready
from patient_courier.core.fields import Source
from patient_courier.core.guards import blank_field, field_values
from patient_courier.core.happening import Subject
from patient_courier.core.merge import FIELDS
from patient_courier.core.reading import as_data, validation_faults
from patient_courier.core.references import letter_faults
from patient_courier.core.school.letters import Letter
from patient_courier.core.words import reason
from patient_courier.dispatch.clock import read_clock
from patient_courier.post.links import Links
from patient_courier.post.message import render
from patient_courier.post.prepared import Rendered
from patient_courier.store.definitions import save_letter
from patient_courier.store.states import load_states
from patient_courier.store.tables import DeliveryRow, StudentRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api/letters", tags=["letters"])
LetterBody = Annotated[dict[str, Any], Body()]
PREVIEW_LINKS = Links(
    *(f"https://post.example/{place}" for place in ("stop", "preferences", "view", "answer"))
)


class LetterSummary(BaseModel):
    key: str
    name: str
    purpose: str
    subject: str
    version: int
    sent: int
    used_by: list[str]


class LetterOut(BaseModel):
    """A letter as saved, in the form of the school file."""

    body: dict[str, Any]
    version: int
    used_by: list[str]


class SavedLetter(BaseModel):
    version: int


class PreviewIn(BaseModel):
    """A letter, perhaps unsaved, and whose eyes to see it with; ``course`` is what it is about."""

    letter: dict[str, Any]
    student: str
    course: str | None = None


class PreviewOut(BaseModel):
    """The letter as this student would see it; ``blank`` says what would keep it from going out."""

    subject: str
    preheader: str
    html: str
    text: str
    blank: str | None


class MergeFieldOut(BaseModel):
    name: str
    label: str
    group: str


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


@router.get("/fields")
def merge_fields(user: SignedIn) -> list[MergeFieldOut]:
    """Every merge field, grouped by what it is about, with a name for the screen."""
    found = []
    for name in sorted(FIELDS, key=lambda name: (list(_GROUPS).index(name.partition(".")[0]), name)):
        group, _, rest = name.partition(".")
        label = (
            f"{group.replace('_', ' ')} {rest.replace('_', ' ')}"
            if group != "student"
            else rest.replace("_", " ")
        )
        found.append(MergeFieldOut(name=name, label=label, group=_GROUPS[group]))
    return found


@router.get("")
def list_letters(user: SignedIn, post: ThePost, session: Reading) -> list[LetterSummary]:
    definitions = definitions_in(post, session)
    rows = session.execute(
        select(DeliveryRow.letter, func.count())
        .where(DeliveryRow.status == "sent")
        .group_by(DeliveryRow.letter)
    )
    sent = dict(rows.all())
    return [
        LetterSummary(
            key=key,
            name=found.letter.name or key,
            purpose=found.letter.purpose,
            subject=found.letter.subject,
            version=found.version,
            sent=sent.get(key, 0),
            used_by=_used_by(definitions, key),
        )
        for key, found in definitions.letters.items()
    ]


def _used_by(definitions: Definitions, letter: str) -> list[str]:
    return [
        plan.sequence.name or plan.key
        for plan in definitions.sequences.values()
        if any(getattr(place.step, "letter", None) == letter for place in plan.places.values())
    ]


@router.get("/{key}")
def get_letter(key: str, user: SignedIn, post: ThePost, session: Reading) -> LetterOut:
    definitions = definitions_in(post, session)
    found = definitions.letters.get(key)
    if found is None:
        raise HTTPException(404, "There is no such letter.")
    return LetterOut(body=as_data(found.letter), version=found.version, used_by=_used_by(definitions, key))


@router.put("/{key}")
def put_letter(key: str, body: LetterBody, user: SignedIn, session: Writing) -> SavedLetter:
    """Save as a new version, or as a new letter. Letters that have gone out stay as they were."""
    letter = _read({**body, "key": key})
    if not letter.name.strip():
        raise HTTPException(422, "Give the letter a name; students don't see it.")
    return SavedLetter(version=save_letter(session, letter, read_clock(session).now))


def _read(body: dict[str, Any]) -> Letter:
    try:
        letter = Letter.model_validate(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise HTTPException(422, f"{fault.pointer}: {fault.sentence}") from error
    faults = list(letter_faults("", letter))
    if faults:
        place = (
            "Subject"
            if faults[0].pointer == "/subject"
            else "Preheader"
            if faults[0].pointer == "/preheader"
            else "Text"
        )
        raise HTTPException(422, f"{place}, {faults[0].sentence}.")
    return letter


@router.post("/preview")
def preview(body: PreviewIn, user: SignedIn, post: ThePost, session: Reading) -> PreviewOut:
    """The letter as the student would see it now. Saves and posts nothing."""
    letter = _read(body.letter)
    definitions = definitions_in(post, session)
    row = session.scalar(select(StudentRow).where(StudentRow.key == body.student))
    if row is None:
        raise HTTPException(404, "There is no such student.")
    rendered, blank = rendered_for(session, definitions, letter, row, body.course)
    return PreviewOut(
        subject=rendered.subject,
        preheader=rendered.preheader,
        html=rendered.html,
        text=rendered.text,
        blank=blank,
    )


def rendered_for(
    session: Session, definitions: Definitions, letter: Letter, student: StudentRow, course: str | None
) -> tuple[Rendered, str | None]:
    """A letter filled for a student as things stand, and what is blank in it.

    Without a run the letter is about ``course``, or a course whose sequences use
    it (one the student is in, if there is one), or any course the student is in.
    """
    state = load_states(session, [student.id], definitions)[student.id]
    enrolled = list(state.facts.enrolments)
    candidates = [course, *_courses_of(definitions, letter.key)]
    fitting = [key for key in candidates if key in enrolled] or [key for key in candidates if key] or enrolled
    about = next((key for key in fitting if key in definitions.courses), None)
    objects = _example_objects(definitions, about)
    subject = Subject(objects[0][0], objects[0][1], objects) if objects else None
    source = Source(definitions, state, subject, read_clock(session).now)
    prepared = ready(letter)
    values = field_values(prepared, source)
    blank = blank_field(prepared, values, state.zone)
    rendered = render(letter, definitions.school, values, state.zone, PREVIEW_LINKS)
    return rendered, reason(blank.reason) if blank else None


def _courses_of(definitions: Definitions, letter: str) -> list[str]:
    """The courses whose events start the sequences that post this letter."""
    found: dict[str, None] = {}
    for plan in definitions.sequences.values():
        if any(getattr(place.step, "letter", None) == letter for place in plan.places.values()):
            for matcher in plan.sequence.starts:
                wanted = matcher.selectors()
                inner = wanted.get("lesson") or wanted.get("quiz") or wanted.get("module")
                course = wanted.get("course") or (inner or "").partition("/")[0]
                found[course or definitions.course_of_offer(wanted.get("offer", "")) or ""] = None
    return [course for course in found if course]


def _example_objects(definitions: Definitions, course: str | None) -> tuple[tuple[str, str], ...]:
    """A course with its first module, lesson and quiz and an offer, so that a preview can show any field."""
    if course is None:
        return ()
    found = [("course", course)]
    modules = definitions.courses[course].modules
    if modules:
        found.append(("module", f"{course}/{modules[0].key}"))
        if modules[0].lessons:
            found.append(("lesson", f"{course}/{modules[0].lessons[0].key}"))
    quiz = next((f"{course}/{quiz.key}" for module in modules for quiz in module.quizzes), None)
    if quiz:
        found.append(("quiz", quiz))
    offer = next((key for key, offer in definitions.offers.items() if course in offer.courses), None)
    if offer:
        found.append(("offer", offer))
    return tuple(found)
