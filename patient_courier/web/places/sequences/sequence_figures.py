"""A sequence in figures: who began, finished and left, and where, step by step along its days."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel

from patient_courier.core.courses.ruler import ruler
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.figures.differences import Group
from patient_courier.core.writing.editing import step_words
from patient_courier.store.sequences.counts import StepFigures, left_by_step, runs_by_outcome, step_figures
from patient_courier.web.compared import Range, share_of
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.places.sequences.sequences import found_plan
from patient_courier.web.remembering import TheFigures

router = APIRouter(prefix="/api/sequences", tags=["sequences"])


class StepLine(BaseModel):
    """A step on the day ruler: what it is, who stands there, who went no further (left early, stopped or stuck there)."""

    step: str
    day: str
    detail: str
    words: str
    kind: str
    sent: int
    opened: int
    skipped: int
    stuck: int
    waiting: int
    left: int


class SequenceFigures(BaseModel):
    """Runs by what became of them; ``share``: the part of the ended ones that was finished, with Wilson's range."""

    name: str
    started: int
    inside: int
    finished: int
    left: int
    stopped: int
    stuck: int
    held_back: int
    share: Range | None
    steps: list[StepLine]


@router.get("/{key}/figures")
def sequence_figures(
    key: str, user: SignedIn, post: ThePost, session: Reading, kept: TheFigures
) -> SequenceFigures:
    """Who began, finished and left, and where, step by step along the days."""
    definitions = definitions_in(post, session)
    plan = found_plan(definitions, key)
    return kept.ask(session, definitions, ("sequence", key), lambda: _figures(session, definitions, plan))


def _figures(session: Session, definitions: Definitions, plan: Plan) -> SequenceFigures:
    key = plan.key
    counts = {outcome: number for (name, outcome), number in runs_by_outcome(session).items() if name == key}
    gone, figures = left_by_step(session, key), step_figures(session, key)
    marks = {mark.step: mark for mark in ruler(plan.sequence)}
    steps = []
    for step, place in plan.places.items():
        here, mark = figures.get(step, StepFigures()), marks.get(step)
        steps.append(
            StepLine(
                step=step,
                day=mark.label if mark else "",
                detail=mark.detail if mark else "",
                words=step_words(definitions, plan, step),
                kind=place.step.do,
                sent=here.sent,
                opened=here.opened,
                skipped=here.skipped,
                stuck=here.stuck,
                waiting=here.waiting,
                left=sum(gone.get((outcome, step), 0) for outcome in ("left", "stopped", "stuck")),
            )
        )
    ended = sum(counts.get(outcome, 0) for outcome in ("finished", "left", "stopped", "stuck"))
    return SequenceFigures(
        name=plan.sequence.called,
        started=ended + counts.get(None, 0),
        inside=counts.get(None, 0),
        **{name: counts.get(name, 0) for name in ("finished", "left", "stopped", "stuck", "held_back")},
        share=share_of(Group(counts.get("finished", 0), ended)),
        steps=steps,
    )
