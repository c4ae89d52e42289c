"""Sequences: the list, the editor with its day ruler, versions, pause and run."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, Body, HTTPException
from pydantic import BaseModel, ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core import words
from patient_courier.core.checks import Finding, sequence_findings
from patient_courier.core.checks.flow import spots
from patient_courier.core.condition_words import condition_words
from patient_courier.core.definitions import Definitions
from patient_courier.core.reading import as_data, validation_faults
from patient_courier.core.references import Known, sequence_faults
from patient_courier.core.ruler import ruler
from patient_courier.core.school.events import MatcherBase
from patient_courier.core.school.sequences import Branch, Send, Sequence, Step, WaitFor, Waypoint
from patient_courier.core.story import matcher_words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.sequences import missed_starts, pause, run, start_missed
from patient_courier.dispatch.taking import plan_clocks_anew
from patient_courier.store.definitions import save_sequence, set_status
from patient_courier.store.tables import DeliveryRow, ReadingRow, RunRow, SequenceRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.findings import FindingOut, finding_out, lacking

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


class StepFigures(BaseModel):
    """Letters of one step: sent, skipped and stuck ever.

    ``opened`` is how many students opened the letter since, as far as openings are
    reported; ``waiting`` is how many stand there now.
    """

    sent: int = 0
    opened: int = 0
    skipped: int = 0
    stuck: int = 0
    waiting: int = 0


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
    staying: int  # students who finish on the version they are on


class StatusChange(BaseModel):
    """``start_missed``: begin the runs that were missed while the sequence was paused."""

    status: Literal["draft", "running", "paused", "closed"]
    start_missed: bool = False


@router.get("")
def list_sequences(user: SignedIn, post: ThePost, session: Reading) -> list[SequenceSummary]:
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    rows = session.execute(
        select(RunRow.sequence, RunRow.outcome, func.count()).group_by(RunRow.sequence, RunRow.outcome)
    )
    counts = {(sequence, outcome): number for sequence, outcome, number in rows}
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
                course=_course_of(definitions, plan.sequence),
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


def _course_of(definitions: Definitions, sequence: Sequence) -> str | None:
    """The title of the course that the starts name, if they all name the same."""
    named = {origin_course(definitions, matcher) for matcher in sequence.starts}
    key = named.pop() if len(named) == 1 else None
    return definitions.courses[key].title if key in definitions.courses else None


def origin_course(definitions: Definitions, matcher: MatcherBase) -> str | None:
    wanted = matcher.selectors()
    inner = wanted.get("lesson") or wanted.get("quiz") or wanted.get("module")
    course = wanted.get("course") or (str(inner).partition("/")[0] if inner else None)
    return course or definitions.course_of_offer(str(wanted.get("offer")))


def _next_letter(session: Session, definitions: Definitions, key: str, zone: str) -> NextOut | None:
    """The first letter that a waiting run comes to, if what it waits for is only time."""
    plan = definitions.sequences[key]
    row = session.execute(
        select(RunRow.due, RunRow.step)
        .where(
            RunRow.sequence == key,
            RunRow.outcome.is_(None),
            RunRow.due.is_not(None),
            RunRow.version == plan.version,
        )
        .order_by(RunRow.due)
        .limit(1)
    ).first()
    if row is None or plan.sequence.status == "paused":
        return None
    step = plan.places[row.step].step
    after = step if isinstance(step, Send) else None
    place = plan.places[row.step]
    if after is None and place.after and isinstance(plan.places[place.after].step, Send):
        after = plan.places[place.after].step
    letter = definitions.letters.get(getattr(after, "letter", ""))
    return (
        NextOut(at=words.moment(row.due, zone), letter=letter.letter.name or letter.letter.key)
        if letter
        else None
    )


def starts_words(definitions: Definitions, sequence: Sequence) -> str:
    """The starts as the end of a sentence: “When a student has …”."""
    return " or ".join(matcher_words(definitions, matcher) for matcher in sequence.starts)


@router.get("/{key}")
def get_sequence(key: str, user: SignedIn, post: ThePost, session: Reading) -> SequenceOut:
    definitions = definitions_in(post, session)
    plan = definitions.sequences.get(key)
    if plan is None:
        raise HTTPException(404, "There is no such sequence. It may have been renamed.")
    runs = select(RunRow.outcome, func.count()).where(RunRow.sequence == key).group_by(RunRow.outcome)
    outcomes = dict(session.execute(runs).all())
    older = select(func.count()).where(
        RunRow.sequence == key, RunRow.outcome.is_(None), RunRow.version != plan.version
    )
    return SequenceOut(
        body=as_data(plan.sequence),
        version=plan.version,
        status=plan.sequence.status,
        inside=outcomes.get(None, 0),
        on_older_versions=session.scalar(older) or 0,
        finished=outcomes.get("finished", 0),
        left=outcomes.get("left", 0),
        marks=_marks(plan.sequence),
        figures=_figures(session, key),
    )


def _marks(sequence: Sequence) -> list[MarkOut]:
    return [
        MarkOut(**{name: getattr(mark, name) for name in MarkOut.model_fields}) for mark in ruler(sequence)
    ]


def _figures(session: Session, key: str) -> dict[str, StepFigures]:
    found: dict[str, StepFigures] = {}
    d, r, reading = DeliveryRow, RunRow, ReadingRow
    for step, status, number in session.execute(
        select(d.step, d.status, func.count()).where(d.sequence == key).group_by(d.step, d.status)
    ):
        figures = found.setdefault(step, StepFigures())
        if status in ("sent", "queued", "posting"):
            figures.sent += number
        elif status in ("skipped", "stuck"):
            setattr(figures, status, number)
    opened = (
        select(d.step, func.count(d.student_id.distinct()))
        .join(reading, (reading.student_id == d.student_id) & (reading.letter == d.letter))
        .where(d.sequence == key, d.status == "sent", d.recipients.is_(None), reading.opened >= d.at)
        .group_by(d.step)
    )
    for step, number in session.execute(opened):
        found[step].opened = number
    waiting = select(r.step, func.count()).where(r.sequence == key, r.outcome.is_(None)).group_by(r.step)
    for step, number in session.execute(waiting):
        found.setdefault(step, StepFigures()).waiting = number
    return found


@router.post("/check")
def check(body: SequenceBody, user: SignedIn, post: ThePost, session: Reading) -> Checked:
    """The day ruler of a sequence being edited, its findings and its parts in words; saves nothing."""
    definitions = definitions_in(post, session)
    try:
        sequence = Sequence.model_validate(body)
    except ValidationError as error:
        findings = [finding_out(found) for found in _unreadable(error, body)]
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
        phrases={
            spot.step.id: said for spot in spots(sequence.steps) if (said := _phrases(definitions, spot.step))
        },
        readable=True,
    )


def _phrases(definitions: Definitions, step: Step) -> list[str]:
    match step:
        case WaitFor():
            return [matcher_words(definitions, step.event)]
        case Waypoint():
            return [matcher_words(definitions, step.reach)]
        case Branch():
            return [condition_words(definitions, arm.if_) for arm in step.arms]
    return []


def _unreadable(error: ValidationError, body: dict[str, Any]) -> list[Finding]:
    """What the models refuse, at the step it concerns: a field that is still empty, for instance."""
    found = []
    key = str(body.get("key", ""))
    for fault in validation_faults(error, body):
        step = _step_at(body, fault.pointer)
        sentence = fault.sentence[:1].upper() + fault.sentence[1:] + "."
        found.append(Finding("fault", "unreadable", sentence, key, step=step, pointer=fault.pointer))
    return found


def _step_at(body: Any, pointer: str) -> str | None:
    """The id of the innermost step on the way of a JSON pointer."""
    step = None
    for part in pointer.strip("/").split("/"):
        try:
            body = body[int(part)] if isinstance(body, list) else body[part]
        except (KeyError, IndexError, ValueError, TypeError):
            break
        if isinstance(body, dict) and "do" in body:
            step = str(body.get("id", ""))
    return step


@router.put("/{key}")
def put_sequence(key: str, body: SequenceBody, user: SignedIn, post: ThePost, session: Writing) -> Saved:
    """Save as a new version. Students who are inside finish on the version they are on."""
    try:
        sequence = Sequence.model_validate({**body, "key": key})
    except ValidationError as error:
        raise HTTPException(422, _unreadable(error, body)[0].sentence) from error
    definitions = definitions_in(post, session)
    faults = list(sequence_faults("", sequence, Known.of_definitions(definitions.with_sequence(sequence))))
    if faults:
        raise HTTPException(422, faults[0].sentence[:1].upper() + faults[0].sentence[1:] + ".")
    if not sequence.name.strip():
        raise HTTPException(422, "Give the sequence a name.")
    now = read_clock(session).now
    version = save_sequence(session, sequence, now)
    definitions_changed(session, post, now)
    staying = select(func.count()).where(RunRow.sequence == key, RunRow.outcome.is_(None))
    return Saved(version=version, staying=session.scalar(staying) or 0)


@router.post("/{key}/status")
def change_status(
    key: str, body: StatusChange, user: SignedIn, post: ThePost, session: Writing
) -> SequenceSummary:
    """Run, pause or close a sequence. A fault keeps it from running and says why."""
    row = session.get(SequenceRow, key)
    if row is None:
        raise HTTPException(404, "There is no such sequence.")
    definitions = definitions_in(post, session)
    plan, now = definitions.sequences[key], read_clock(session).now
    if body.status == "draft" and session.scalar(select(func.count()).where(RunRow.sequence == key)):
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
    definitions_changed(session, post, now)
    return next(found for found in list_sequences(user, post, session) if found.key == key)


def definitions_changed(session: Session, post: ThePost, now: Instant) -> None:
    session.flush()
    plan_clocks_anew(session, definitions_in(post, session), now)
