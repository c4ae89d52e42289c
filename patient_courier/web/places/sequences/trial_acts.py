"""Setting up a trial, with how long it takes; beginning and ending it."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field, ValidationError
from whenever import Instant

from patient_courier.core.checks.trials import trial_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.trials import became, end_of
from patient_courier.core.figures.differences import students_needed
from patient_courier.core.reading.known import Known
from patient_courier.core.reading.references import matcher_faults
from patient_courier.core.reading.school_file import as_data, validation_faults
from patient_courier.core.school.keys import free_key
from patient_courier.core.school.trials import Trial
from patient_courier.core.telling.trial_words import how_long, trial_words
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.taking import definitions_changed
from patient_courier.store.base.definitions import save_sequence, set_status, unfinished
from patient_courier.store.sequences import trials
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in, now_in
from patient_courier.web.drafts_only import check_sequence
from patient_courier.web.editions import BegunFrom
from patient_courier.web.places.sequences.sequences import edition_of, found_plan

router = APIRouter(prefix="/api/sequences", tags=["sequences"])
DAYS_BACK = 90
# Where nobody has come to an end yet: the share at which it takes the most students.
UNKNOWN_SHARE = 0.5


class SequenceTrialIn(BaseModel):
    """A trial without its key: whom to hold back (percent), the goal and within what time, in the form of the school file."""

    hold_back: int
    goal: dict[str, Any]
    within: str


class TrialPlanIn(SequenceTrialIn):
    hoped: Annotated[int, Field(ge=1, le=90)] = 10


class TrialPlanOut(BaseModel):
    """``weekly``: students a week by the last 90 days; ``usual``: the share that reached the goal in time among those, if known."""

    words: str
    weekly: float
    usual: float | None
    of: int
    needed: int
    how_long: str


class EndIn(BaseModel):
    how: Literal["everybody", "nobody"]


def _read(definitions: Definitions, key: str, body: SequenceTrialIn) -> Trial:
    """A trial as it came in. 422 with the first thing that is wrong."""
    given = {"key": key, "hold_back": body.hold_back, "goal": body.goal, "within": body.within}
    try:
        trial = Trial.model_validate(given)
    except ValidationError as error:
        fault = validation_faults(error, given)[0]
        raise HTTPException(422, f"{fault.pointer.strip('/')}: {fault.sentence}") from error
    faults = list(matcher_faults("", trial.goal, Known.of_definitions(definitions)))
    if faults:
        raise HTTPException(422, f"{faults[0].sentence[:1].upper()}{faults[0].sentence[1:]}.")
    return trial


@router.post("/{key}/trial/plan")
def plan_trial(key: str, body: TrialPlanIn, user: SignedIn, post: ThePost, session: Reading) -> TrialPlanOut:
    """How long until a difference of the hoped size (points) can be told with 80% certainty. Changes nothing."""
    definitions, now = definitions_in(post, session), now_in(session)
    plan = found_plan(definitions, key)
    trial = _read(definitions, "plan", body)
    since = now.subtract(hours=24 * DAYS_BACK)
    # Those who came in longest ago have come to their end, so one looks back by that much more.
    earlier = since.subtract(hours=24 * round(_days(trial, now)))
    came = trials.would_have_come_in(session, definitions, plan.sequence, trial, earlier)
    lately = [one for one in came if one.started >= since]
    ended = [found for one in came if (found := became(trial, one, now)) != "open"]
    usual = ended.count("reached") / len(ended) if ended else None
    share = min(usual if usual is not None else UNKNOWN_SHARE, 1 - body.hoped / 100)
    needed = students_needed(share, body.hoped / 100, trial.hold_back)
    weekly = Fraction(len(lately) * 7, DAYS_BACK)
    return TrialPlanOut(
        words=trial_words(definitions, trial),
        weekly=float(weekly),
        usual=usual,
        of=len(ended),
        needed=needed,
        how_long=how_long(weekly, needed, _days(trial, now), body.hoped),
    )


def _days(trial: Trial, now: Instant) -> float:
    return (end_of(trial, now, "UTC") - now).total("hours") / 24


@router.post("/{key}/trial")
def begin_trial(
    key: str, body: SequenceTrialIn, user: SignedIn, post: ThePost, session: Writing, begun: BegunFrom
) -> None:
    """Hold back from now on. 409 with a sentence when this sequence may not."""
    definitions, now = definitions_in(post, session), read_clock(session).now
    plan = found_plan(definitions, key)
    check_sequence(user, definitions, key, plan.sequence.status)
    begun.check(edition_of(as_data(plan.sequence)))
    if key in unfinished(session):
        raise HTTPException(
            409, "This draft is not finished: something in it can't be read yet. Finish it first."
        )
    if plan.sequence.trial is not None:
        raise HTTPException(409, "It holds students back already. End that trial first.")
    known = {trial.key for trial, _ in trials.begun_trials(session, key)}
    known |= {one.sequence.trial.key for one in definitions.sequences.values() if one.sequence.trial}
    trial = _read(definitions, free_key(f"{key}-trial", known), body)
    fresh = plan.sequence.model_copy(update={"trial": trial})
    fault = next(trial_findings(definitions, fresh, trials.drawn_by(session, fresh)), None)
    if fault is not None:
        raise HTTPException(409, fault.sentence)
    save_sequence(session, fresh, now)
    definitions_changed(session, post.library.load, now)


@router.post("/{key}/trial/end")
def end_trial(
    key: str, body: EndIn, user: SignedIn, post: ThePost, session: Writing, begun: BegunFrom
) -> None:
    """Hold nobody back any more: ``everybody`` gets it from now on, or ``nobody`` new comes in. The result stays."""
    definitions, now = definitions_in(post, session), read_clock(session).now
    plan = found_plan(definitions, key)
    check_sequence(user, definitions, key, plan.sequence.status)
    begun.check(edition_of(as_data(plan.sequence)))
    if plan.sequence.trial is None:
        raise HTTPException(409, "It holds nobody back.")
    save_sequence(session, plan.sequence.model_copy(update={"trial": None}), now)
    if body.how == "nobody":
        set_status(session, key, "closed")
    definitions_changed(session, post.library.load, now)
