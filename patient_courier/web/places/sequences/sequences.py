"""Sequences: the list, the editor with its day ruler, versions, pause and run."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Response
from pydantic import BaseModel

from patient_courier.core.checks import sequence_findings
from patient_courier.core.courses.ruler import ruler
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.telling import words
from patient_courier.core.writing.editing import (
    letter_behind,
    starts_words,
    subject_course,
)
from patient_courier.store.base.definitions import unfinished
from patient_courier.store.sequences import inside
from patient_courier.store.sequences.counts import StepFigures, runs_by_outcome, step_figures
from patient_courier.store.students.people import lacking
from patient_courier.web import editions
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.editions import say
from patient_courier.web.places.students.bulk import BulkOut

router = APIRouter(prefix="/api/sequences", tags=["sequences"])
SequenceBody = Annotated[dict[str, Any], Body()]


class NextOfSequence(BaseModel):
    """The letter that goes out next; ``at`` in the school's time."""

    at: str
    letter: str


class SequenceSummary(BaseModel):
    """One line of the list; ``course`` is the course that its start names, if it names one."""

    key: str
    name: str
    status: str
    starts: str
    course: str | None
    inside: int
    finished: int
    left: int
    letters: int
    days: int | None
    faults: int
    warnings: int
    next: NextOfSequence | None
    unfinished: bool = False
    taking_in: BulkOut | None = None


class MarkOut(BaseModel):
    step: str
    first_day: int
    last_day: int | None
    label: str
    detail: str


class SequenceOut(BaseModel):
    """A sequence as saved, in the form of the school file, with its figures.

    ``unfinished``: the body is that of a draft which can't be read yet; the version is the one before.
    """

    body: dict[str, Any]
    version: int
    edition: str
    unfinished: bool
    status: str
    inside: int
    on_older_versions: int
    finished: int
    left: int
    marks: list[MarkOut]
    figures: dict[str, StepFigures]


@router.get("")
def list_sequences(user: SignedIn, post: ThePost, session: Reading) -> list[SequenceSummary]:
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    counts = runs_by_outcome(session)
    missing, unread = lacking(session), unfinished(session)
    found = []
    for plan in definitions.sequences.values():
        marks = ruler(plan.sequence)
        levels = [x.level for x in sequence_findings(definitions, plan, missing)]
        found.append(
            SequenceSummary(
                key=plan.key,
                name=plan.sequence.called,
                status=plan.sequence.status,
                starts=starts_words(definitions, plan.sequence),
                course=subject_course(definitions, plan.sequence),
                inside=counts.get((plan.key, None), 0),
                finished=counts.get((plan.key, "finished"), 0),
                left=counts.get((plan.key, "left"), 0),
                letters=sum(place.step.do in ("send", "tell") for place in plan.places.values()),
                days=max((mark.last_day or mark.first_day for mark in marks), default=0),
                faults=levels.count("fault"),
                warnings=levels.count("warning"),
                next=_next_letter(session, definitions, plan.key, zone),
                unfinished=plan.key in unread,
            )
        )
    return found


def _next_letter(session: Session, definitions: Definitions, key: str, zone: str) -> NextOfSequence | None:
    """The first letter that a waiting run comes to, if what it waits for is only time."""
    plan = definitions.sequences[key]
    due = inside.next_due(session, key, plan.version) if plan.sequence.status != "paused" else None
    letter = letter_behind(definitions, plan, due[1]) if due else None
    return NextOfSequence(at=words.moment(due[0], zone), letter=letter) if due and letter else None


@router.get("/{key}")
def get_sequence(
    key: str, user: SignedIn, post: ThePost, session: Reading, response: Response
) -> SequenceOut:
    definitions = definitions_in(post, session)
    plan = found_plan(definitions, key)
    counts = runs_by_outcome(session)
    kept = unfinished(session).get(key)
    body = kept or as_data(plan.sequence)
    return SequenceOut(
        body=body,
        version=plan.version,
        edition=say(response, edition_of(body)),
        unfinished=kept is not None,
        status=plan.sequence.status,
        inside=counts.get((key, None), 0),
        on_older_versions=inside.number_on_older(session, key, plan.version),
        finished=counts.get((key, "finished"), 0),
        left=counts.get((key, "left"), 0),
        marks=marks_of(plan.sequence),
        figures=step_figures(session, key),
    )


def found_plan(definitions: Definitions, key: str) -> Plan:
    """The sequence with this key, as it is in force. 404 when there is none."""
    plan = definitions.sequences.get(key)
    if plan is None:
        raise HTTPException(404, "There is no such sequence. It may have been renamed.")
    return plan


def edition_of(body: dict[str, Any]) -> str:
    """Running and pausing is no other edition: it changes nothing that is edited."""
    return editions.edition_of({**body, "status": "draft"})


def marks_of(sequence: Sequence) -> list[MarkOut]:
    return [
        MarkOut(**{name: getattr(mark, name) for name in MarkOut.model_fields}) for mark in ruler(sequence)
    ]
