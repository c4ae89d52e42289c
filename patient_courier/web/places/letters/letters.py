"""Letters: the library, the editor, and the letter as one student sees it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Response
from pydantic import BaseModel, ValidationError

from patient_courier.core.checks import writing_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.letters.diff import said
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import letter_faults
from patient_courier.core.reading.school_file import as_data, validation_faults
from patient_courier.core.school.letters import Letter
from patient_courier.core.writing.example import courses_using
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.broadcasts.broadcasts import Kept
from patient_courier.store.sequences.counts import letters_sent
from patient_courier.store.students import people
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.drafts_only import check_letter, hides_addresses
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.findings import FindingOut, finding_out
from patient_courier.web.preview import rendered_for
from patient_courier.web.saved_letters import keep_letter

router = APIRouter(prefix="/api/letters", tags=["letters"])
LetterBody = Annotated[dict[str, Any], Body()]


class LetterSummary(BaseModel):
    """A letter of the library: its layout's name, the courses (keys) it is used for, and what it says, to search in."""

    key: str
    name: str
    purpose: str
    subject: str
    version: int
    sent: int
    used_by: list[str]
    layout: str
    courses: list[str]
    text: str


class LetterOut(BaseModel):
    """A letter as saved, in the form of the school file."""

    body: dict[str, Any]
    version: int
    edition: str
    used_by: list[str]


class SavedLetter(BaseModel):
    version: int
    edition: str


class PreviewIn(BaseModel):
    """A letter, perhaps unsaved, and whose eyes to see it with; ``course`` is what it is about."""

    letter: dict[str, Any]
    student: str
    course: str | None = None


class PreviewOut(BaseModel):
    """The letter as this student would see it.

    ``blank`` says what would keep it from going out, ``findings`` what to mend; ``hidden`` are the places of the blocks
    that this student does not see, such as ``blocks/2``.
    """

    subject: str
    preheader: str
    html: str
    text: str
    blank: str | None
    sender: str
    hidden: list[str]
    findings: list[FindingOut]


@router.get("")
def list_letters(user: SignedIn, post: ThePost, session: Reading) -> list[LetterSummary]:
    definitions = definitions_in(post, session)
    sent, casts = letters_sent(session), broadcasts.every(session)
    return [
        LetterSummary(
            key=key,
            name=found.letter.called,
            purpose=found.letter.purpose,
            subject=found.letter.subject,
            version=found.version,
            sent=sent.get(key, 0),
            used_by=_used_by(definitions, key, casts),
            layout=definitions.layout_of(found.letter, None).name,
            courses=_courses(definitions, key, casts),
            text=" ".join(said(block) for block in found.letter.blocks)[:2000],
        )
        for key, found in definitions.letters.items()
    ]


def letter_users(session: Session, definitions: Definitions, letter: str) -> list[str]:
    """What posts a letter, by name."""
    return _used_by(definitions, letter, broadcasts.every(session))


def _used_by(definitions: Definitions, letter: str, casts: Sequence[Kept]) -> list[str]:
    """The sequences and broadcasts that post a letter, by name."""
    found = [plan.sequence.called for plan in definitions.sequences.values() if letter in plan.letters]
    return found + [one.broadcast.called for one in casts if letter in one.broadcast.letters]


def _courses(definitions: Definitions, letter: str, casts: Sequence[Kept]) -> list[str]:
    """The courses that the sequences and broadcasts which post a letter are about."""
    about = [one.broadcast.course for one in casts if letter in one.broadcast.letters]
    return list(dict.fromkeys([*courses_using(definitions, letter), *(x for x in about if x)]))


@router.get("/{key}")
def get_letter(key: str, user: SignedIn, post: ThePost, session: Reading, response: Response) -> LetterOut:
    definitions = definitions_in(post, session)
    found = definitions.letters.get(key)
    if found is None:
        raise HTTPException(404, "There is no such letter.")
    return LetterOut(
        body=as_data(found.letter),
        version=found.version,
        edition=say(response, edition_of(as_data(found.letter))),
        used_by=_used_by(definitions, key, broadcasts.every(session)),
    )


@router.put("/{key}")
def put_letter(
    key: str,
    body: LetterBody,
    user: SignedIn,
    post: ThePost,
    session: Writing,
    begun: BegunFrom,
    response: Response,
) -> SavedLetter:
    """Save as a new version, or as a new letter. Letters that have gone out stay as they were."""
    definitions = definitions_in(post, session)
    there = definitions.letters.get(key)
    check_letter(user, session, definitions, key)
    begun.check(edition_of(as_data(there.letter)) if there else None)
    letter = read_letter({**body, "key": key}, definitions)
    if not letter.name.strip():
        raise HTTPException(422, "Give the letter a name; students don't see it.")
    version = keep_letter(session, definitions, letter, read_clock(session).now)
    return SavedLetter(version=version, edition=say(response, edition_of(as_data(letter))))


def read_letter(body: dict[str, Any], definitions: Definitions) -> Letter:
    """A letter as it came in. 422 with the first thing that is wrong."""
    try:
        letter = Letter.model_validate(body)
    except ValidationError as error:
        fault = validation_faults(error, body)[0]
        raise HTTPException(422, f"{fault.pointer}: {fault.sentence}") from error
    faults = list(letter_faults("", letter, Known.of_definitions(definitions)))
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
    definitions = definitions_in(post, session)
    letter = read_letter(body.letter, definitions)
    person = people.find(session, body.student)
    if person is None:
        raise HTTPException(404, "There is no such student.")
    try:
        hidden = hides_addresses(user)
        seen = rendered_for(session, definitions, letter, person.id, body.course, hidden=hidden)
    except ValueError as error:
        raise HTTPException(422, f"This letter can't be drawn: {error}") from error
    return PreviewOut(
        subject=seen.rendered.subject,
        preheader=seen.rendered.preheader,
        html=seen.rendered.html,
        text=seen.rendered.text,
        blank=seen.blank,
        sender=seen.sender.name,
        hidden=seen.hidden,
        findings=[
            finding_out(found)
            for found in writing_findings(definitions, letter, len(seen.rendered.html.encode()))
        ],
    )
