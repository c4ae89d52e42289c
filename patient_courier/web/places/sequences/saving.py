"""A sequence as it is written: checked while it is, saved, and switched on and off."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter, HTTPException, Response
from pydantic import BaseModel, ValidationError

from patient_courier.core.checks import sequence_findings
from patient_courier.core.checks.trials import trial_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import sequence_faults
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.sequences import Sequence
from patient_courier.core.telling.condition_words import condition_words
from patient_courier.core.telling.story import matcher_words
from patient_courier.core.writing.editing import (
    course_begun_with,
    phrases,
    unreadable,
)
from patient_courier.dispatch.by_hand import Act
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.outset import Who, found_for
from patient_courier.dispatch.sequences import pause, run
from patient_courier.dispatch.taking import definitions_changed
from patient_courier.store.base.definitions import keep_unfinished, save_sequence, set_status, unfinished
from patient_courier.store.sequences import inside
from patient_courier.store.sequences.trials import drawn_by
from patient_courier.store.students.people import lacking
from patient_courier.web.context import Reading, SignedIn, TheBoard, ThePost, Writing, definitions_in
from patient_courier.web.drafts_only import check_sequence
from patient_courier.web.editions import BegunFrom, say
from patient_courier.web.findings import FindingOut, finding_out
from patient_courier.web.places.sequences.sequences import (
    MarkOut,
    SequenceBody,
    SequenceSummary,
    edition_of,
    list_sequences,
    marks_of,
)
from patient_courier.web.places.students.bulk import begin_work

router = APIRouter(prefix="/api/sequences", tags=["sequences"])


class Checked(BaseModel):
    """The day ruler for a sequence that is being edited, the findings, and its parts in words.

    ``phrases`` gives for each step what it waits for, or its conditions one after the other; ``about`` is the course that
    its first start names.
    """

    marks: list[MarkOut]
    findings: list[FindingOut]
    starts: list[str]
    leaves: list[str]
    only_if: str | None
    phrases: dict[str, list[str]]
    readable: bool
    about: str | None


class Saved(BaseModel):
    """``missing``: the draft is kept as it is, but can't be read yet, for these reasons; its version is the one before."""

    version: int
    edition: str
    staying: int  # students who finish on the version they are on
    missing: list[str] = []


class StatusChange(BaseModel):
    """``take_in``: whom to take in to whom its start has happened already, when it runs; in a minute."""

    status: Literal["draft", "running", "paused", "closed"]
    take_in: Who | None = None


@router.post("/check")
def check(body: SequenceBody, user: SignedIn, post: ThePost, session: Reading) -> Checked:
    """The day ruler of a sequence being edited, its findings and its parts in words; saves nothing."""
    definitions = definitions_in(post, session)
    about = course_begun_with(definitions, body)
    try:
        sequence = Sequence.model_validate(body)
    except ValidationError as error:
        return Checked(
            marks=[],
            findings=[finding_out(found) for found in unreadable(error, body)],
            starts=[],
            leaves=[],
            only_if=None,
            phrases={},
            readable=False,
            about=about,
        )
    beside = definitions.with_sequence(sequence)
    found = sequence_findings(
        beside, beside.sequences[sequence.key], lacking(session), drawn_by(session, sequence)
    )
    return Checked(
        marks=marks_of(sequence),
        findings=[finding_out(x) for x in found],
        starts=[matcher_words(definitions, matcher) for matcher in sequence.starts],
        leaves=[matcher_words(definitions, matcher) for matcher in sequence.leaves],
        only_if=condition_words(definitions, sequence.only_if) if sequence.only_if else None,
        phrases=phrases(definitions, sequence),
        readable=True,
        about=about,
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
    """Save as a new version; students who are inside finish on the version they are on.

    A draft can be saved however unfinished: what can't be read yet is kept as it is and says what is missing.
    """
    definitions = definitions_in(post, session)
    there = definitions.sequences.get(key)
    body = {**body, "key": key}
    check_sequence(user, definitions, key, body.get("status"))
    if there is None:
        begun.check(None)
    else:
        begun.check(edition_of(unfinished(session).get(key) or as_data(there.sequence)))
    read, missing = _read(definitions, body)
    if read is not None and not read.name.strip():
        raise HTTPException(422, "Give the sequence a name.")
    if read is None:
        if there is None or there.sequence.status != "draft" or not _is_draft(body):
            raise HTTPException(422, missing[0])
        keep_unfinished(session, key, body)
        edition = say(response, edition_of(body))
        return Saved(version=there.version, edition=edition, staying=0, missing=missing)
    drawn = list(trial_findings(definitions, read, drawn_by(session, read))) if read.status != "draft" else []
    if drawn:
        raise HTTPException(409, drawn[0].sentence)
    now = read_clock(session).now
    version = save_sequence(session, read, now)
    definitions_changed(session, post.library.load, now)
    return Saved(
        version=version,
        edition=say(response, edition_of(as_data(read))),
        staying=inside.number_inside(session, key),
    )


def _read(definitions: Definitions, body: dict[str, Any]) -> tuple[Sequence | None, list[str]]:
    """A sequence as it came in, or what keeps it from being read, in sentences."""
    try:
        sequence = Sequence.model_validate(body)
    except ValidationError as error:
        return None, [found.sentence for found in unreadable(error, body)]
    faults = sequence_faults("", sequence, Known.of_definitions(definitions.with_sequence(sequence)))
    missing = [found.sentence[:1].upper() + found.sentence[1:] + "." for found in faults]
    return (None if missing else sequence), missing


def _is_draft(body: dict[str, Any]) -> bool:
    """Whether it has the shape of a sequence, so that it can be opened again and gone on with."""
    lists = all(isinstance(body.get(name, []), list) for name in ("starts", "leaves", "steps"))
    return lists and isinstance(body.get("name"), str) and bool(body["name"].strip())


@router.post("/{key}/status")
def change_status(
    key: str, body: StatusChange, user: SignedIn, post: ThePost, session: Writing, board: TheBoard
) -> SequenceSummary:
    """Run, pause or close a sequence. A fault keeps it from running and says why."""
    if not inside.exists(session, key):
        raise HTTPException(404, "There is no such sequence.")
    definitions = definitions_in(post, session)
    plan, now, work = definitions.sequences[key], read_clock(session).now, None
    if body.status == "draft" and inside.has_been_used(session, key):
        raise HTTPException(
            409, "Students have been in this sequence, so it can't be a draft again. Close it instead."
        )
    if body.status == "running":
        kept = unfinished(session).get(key)
        if kept is not None:
            raise HTTPException(409, f"It is not finished: {_read(definitions, kept)[1][0]}")
        findings = sequence_findings(definitions, plan, lacking(session), drawn_by(session, plan.sequence))
        faults = [x for x in findings if x.level == "fault"]
        if faults:
            raise HTTPException(409, faults[0].sentence)
        starts = found_for(session, definitions, key, body.take_in, now).starts if body.take_in else []
        run(session, key)
        session.flush()
        if starts:
            ids = sorted({one.student_id for one in starts})
            work = begin_work(board, post, definitions_in(post, session), Act("take_in", key), ids, user.name)
    elif body.status == "paused":
        pause(session, key)
    else:
        set_status(session, key, body.status)
    definitions_changed(session, post.library.load, now)
    found = next(one for one in list_sequences(user, post, session) if one.key == key)
    return found.model_copy(update={"taking_in": work})
