"""Sequences: the list, the editor with its day ruler, versions, pause and run."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body, HTTPException, Response
from pydantic import BaseModel, ValidationError

from patient_courier.core import words
from patient_courier.core.checks import sequence_findings
from patient_courier.core.condition_words import condition_words
from patient_courier.core.definitions import Definitions
from patient_courier.core.editing import letter_behind, phrases, starts_words, subject_course, unreadable
from patient_courier.core.reading import as_data
from patient_courier.core.references import Known, sequence_faults
from patient_courier.core.ruler import ruler
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.story import matcher_words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.sequences import missed_starts, pause, run, start_missed
from patient_courier.dispatch.taking import definitions_changed
from patient_courier.store import inside
from patient_courier.store.counts import StepFigures, runs_by_outcome, step_figures
from patient_courier.store.definitions import save_sequence, set_status
from patient_courier.store.people import lacking
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.editions import BegunFrom, edition_of, say
from patient_courier.web.findings import FindingOut, finding_out

router = APIRouter(prefix="/api/sequences", tags=["sequences"])
SequenceBody = Annotated[dict[str, Any], Body()]


class NextOut(BaseModel):
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
    next: NextOut | None


class MarkOut(BaseModel):
    step: str
    first_day: int
    last_day: int | None
    label: str
    detail: str


class SequenceOut(BaseModel):
    """A sequence as saved, in the form of the school file, with its figures."""

    body: dict[str, Any]
    version: int
    edition: str
    status: str
    inside: int
    on_older_versions: int
    finished: int
    left: int
    marks: list[MarkOut]
    figures: dict[str, StepFigures]


class Checked(BaseModel):
    """The day ruler for a sequence that is being edited, the findings, and its parts in words.

    ``phrases`` gives for each step what it waits for, or its conditions one after the other.
    """

    marks: list[MarkOut]
    findings: list[FindingOut]
    starts: list[str]
    leaves: list[str]
    only_if: str | None
    phrases: dict[str, list[str]]
    readable: bool


class Saved(BaseModel):
    version: int
    edition: str
    staying: int  # students who finish on the version they are on


class StatusChange(BaseModel):
    """``start_missed``: begin the runs that were missed while the sequence was paused."""

    status: Literal["draft", "running", "paused", "closed"]
    start_missed: bool = False


@router.get("")
def list_sequences(user: SignedIn, post: ThePost, session: Reading) -> list[SequenceSummary]:
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    counts = runs_by_outcome(session)
    missing = lacking(session)
    found = []
    for plan in definitions.sequences.values():
        marks = ruler(plan.sequence)
        levels = [x.level for x in sequence_findings(definitions, plan, missing)]
        found.append(
            SequenceSummary(
                key=plan.key,
                name=plan.sequence.name or plan.key,
                status=plan.sequence.status,
                starts=starts_words(definitions, plan.sequence),
                course=subject_course(definitions, plan.sequence),
                inside=counts.get((plan.key, None), 0),
                finished=counts.get((plan.key, "finished"), 0),
                left=counts.get((plan.key, "left"), 0),
                letters=sum(place.step.do in ("send", "tell") for place in plan.places.values()),  # type: ignore[attr-defined]
                days=max((mark.last_day or mark.first_day for mark in marks), default=0),
                faults=levels.count("fault"),
                warnings=levels.count("warning"),
                next=_next_letter(session, definitions, plan.key, zone),
            )
        )
    return found


def _next_letter(session: Session, definitions: Definitions, key: str, zone: str) -> NextOut | None:
    """The first letter that a waiting run comes to, if what it waits for is only time."""
    plan = definitions.sequences[key]
    due = inside.next_due(session, key, plan.version) if plan.sequence.status != "paused" else None
    letter = letter_behind(definitions, plan, due[1]) if due else None
    return NextOut(at=words.moment(due[0], zone), letter=letter) if due and letter else None


@router.get("/{key}")
def get_sequence(
    key: str, user: SignedIn, post: ThePost, session: Reading, response: Response
) -> SequenceOut:
    definitions = definitions_in(post, session)
    plan = definitions.sequences.get(key)
    if plan is None:
        raise HTTPException(404, "There is no such sequence. It may have been renamed.")
    counts = runs_by_outcome(session)
    return SequenceOut(
        body=as_data(plan.sequence),
        version=plan.version,
        edition=say(response, _edition(plan.sequence)),
        status=plan.sequence.status,
        inside=counts.get((key, None), 0),
        on_older_versions=inside.number_on_older(session, key, plan.version),
        finished=counts.get((key, "finished"), 0),
        left=counts.get((key, "left"), 0),
        marks=_marks(plan.sequence),
        figures=step_figures(session, key),
    )


def _edition(sequence: Sequence) -> str:
    """Running and pausing is no other edition: it changes nothing that is edited."""
    return edition_of(as_data(sequence.model_copy(update={"status": "draft"})))


def _marks(sequence: Sequence) -> list[MarkOut]:
    return [
        MarkOut(**{name: getattr(mark, name) for name in MarkOut.model_fields}) for mark in ruler(sequence)
    ]


@router.post("/check")
def check(body: SequenceBody, user: SignedIn, post: ThePost, session: Reading) -> Checked:
    """The day ruler of a sequence being edited, its findings and its parts in words; saves nothing."""
    definitions = definitions_in(post, session)
    try:
        sequence = Sequence.model_validate(body)
    except ValidationError as error:
        findings = [finding_out(found) for found in unreadable(error, body)]
        return Checked(
            marks=[], findings=findings, starts=[], leaves=[], only_if=None, phrases={}, readable=False
        )
    beside = definitions.with_sequence(sequence)
    found = sequence_findings(beside, beside.sequences[sequence.key], lacking(session))
    return Checked(
        marks=_marks(sequence),
        findings=[finding_out(x) for x in found],
        starts=[matcher_words(definitions, matcher) for matcher in sequence.starts],
        leaves=[matcher_words(definitions, matcher) for matcher in sequence.leaves],
        only_if=condition_words(definitions, sequence.only_if) if sequence.only_if else None,
        phrases=phrases(definitions, sequence),
        readable=True,
    )


@router.put("/{key}")
def put_sequence(
    key: str,
    body: SequenceBody,
    user: SignedIn,
    post: ThePost,
    session: Writing,
    begun: BegunFrom,
    response: Response,
) -> Saved:
    """Save as a new version. Students who are inside finish on the version they are on."""
    definitions = definitions_in(post, session)
    there = definitions.sequences.get(key)
    begun.check(_edition(there.sequence) if there else None)
    try:
        sequence = Sequence.model_validate({**body, "key": key})
    except ValidationError as error:
        raise HTTPException(422, unreadable(error, body)[0].sentence) from error
    faults = list(sequence_faults("", sequence, Known.of_definitions(definitions.with_sequence(sequence))))
    if faults:
        raise HTTPException(422, faults[0].sentence[:1].upper() + faults[0].sentence[1:] + ".")
    if not sequence.name.strip():
        raise HTTPException(422, "Give the sequence a name.")
    now = read_clock(session).now
    version = save_sequence(session, sequence, now)
    definitions_changed(session, post.library.load, now)
    return Saved(
        version=version,
        edition=say(response, _edition(sequence)),
        staying=inside.number_inside(session, key),
    )


@router.post("/{key}/status")
def change_status(
    key: str, body: StatusChange, user: SignedIn, post: ThePost, session: Writing
) -> SequenceSummary:
    """Run, pause or close a sequence. A fault keeps it from running and says why."""
    if not inside.exists(session, key):
        raise HTTPException(404, "There is no such sequence.")
    definitions = definitions_in(post, session)
    plan, now = definitions.sequences[key], read_clock(session).now
    if body.status == "draft" and inside.has_been_used(session, key):
        raise HTTPException(
            409, "Students have been in this sequence, so it can't be a draft again. Close it instead."
        )
    if body.status == "running":
        faults = [x for x in sequence_findings(definitions, plan, lacking(session)) if x.level == "fault"]
        if faults:
            raise HTTPException(409, faults[0].sentence)
        missed = missed_starts(session, definitions, key, now) if body.start_missed else []
        run(session, key)
        session.flush()
        if missed:
            start_missed(session, definitions_in(post, session), key, missed, now)
    elif body.status == "paused":
        pause(session, key)
    else:
        set_status(session, key, body.status)
    definitions_changed(session, post.library.load, now)
    return next(found for found in list_sequences(user, post, session) if found.key == key)
