"""Does a sequence help? Setting up a trial, its answer, the names behind every number, and its end."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any

from fastapi import APIRouter, HTTPException, Query, Response
from pydantic import BaseModel
from whenever import Instant

from patient_courier.core.checks.trials import trial_findings
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.plan import Plan
from patient_courier.core.engine.trials import Became, Counted, Result, ended, letter_of_step, results, side
from patient_courier.core.figures.differences import (
    Group,
    Verdict,
    as_it_came,
    at_every_look,
    difference,
    verdict,
)
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.sequences import Send
from patient_courier.core.school.trials import Trial
from patient_courier.core.telling import words
from patient_courier.core.telling.trial_words import (
    answer_words,
    trial_words,
)
from patient_courier.store.letters import outcomes
from patient_courier.store.sequences import trials
from patient_courier.web.compared import (
    Compared,
    ComparedOut,
    Range,
    compared,
    compared_letters,
    range_of,
    share_of,
)
from patient_courier.web.context import (
    PageNumber,
    Reading,
    Search,
    Session,
    SignedIn,
    ThePost,
    definitions_in,
    now_in,
)
from patient_courier.web.editions import say
from patient_courier.web.places.sequences.sequences import edition_of, found_plan
from patient_courier.web.remembering import TheFigures

router = APIRouter(prefix="/api/sequences", tags=["sequences"])


class SideOut(BaseModel):
    """``ended`` are those whose end has come; ``share`` of them reached the goal, with Wilson's range."""

    students: int
    open: int
    ended: int
    reached: int
    share: Range | None


class LookOut(BaseModel):
    """The difference, with the range of every look, as it was ``day`` days after the first student came in, when the time of
    ``students`` was over."""

    day: float
    students: int
    value: float
    low: float
    high: float


class SequenceTrialOut(BaseModel):
    """``once``: the difference for one look; ``always``: the same, holding at every look together, and in ``looks`` as it
    came. Times in the school's zone."""

    key: str
    body: dict[str, Any]
    words: str
    began: str | None
    running: bool
    written_to: SideOut
    held_back: SideOut
    verdict: Verdict
    answer: str
    once: Range | None
    always: Range | None
    looks: list[LookOut]


class TrialPage(BaseModel):
    """``impossible``: what keeps this sequence from holding anybody back, as a sentence."""

    name: str
    status: str
    edition: str
    now: SequenceTrialOut | None
    before: list[SequenceTrialOut]
    impossible: str | None


class TrialPerson(BaseModel):
    key: str
    name: str
    email: str


class TrialNames(BaseModel):
    total: int
    items: list[TrialPerson]


@router.get("/{key}/trial")
def get_trial(
    key: str, user: SignedIn, post: ThePost, session: Reading, response: Response, kept: TheFigures
) -> TrialPage:
    """The trial that a sequence has now, with its answer, and those that it had before."""
    definitions = definitions_in(post, session)
    plan = found_plan(definitions, key)
    begun: dict[str, tuple[Trial, Instant | None]] = {
        trial.key: (trial, began) for trial, began in trials.begun_trials(session, key)
    }
    current = plan.sequence.trial
    if current is not None:
        begun.setdefault(current.key, (current, None))
    shown = dict(
        kept.ask(session, definitions, ("trials", key), lambda: _trials(session, definitions, plan, begun))
    )
    mine = shown.pop(current.key) if current is not None else None
    tried = plan.sequence.model_copy(update={"trial": current or _EXAMPLE})
    fault = next((x.sentence for x in trial_findings(definitions, tried, trials.drawn_by(session, tried))
                  if x.code in ("service_held_back", "certificate_held_back")), None)  # fmt: skip
    return TrialPage(
        name=plan.sequence.called,
        status=plan.sequence.status,
        edition=say(response, edition_of(as_data(plan.sequence))),
        now=mine,
        before=list(reversed(shown.values())),
        impossible=fault,
    )


def _trials(
    session: Session, definitions: Definitions, plan: Plan, begun: Mapping[str, tuple[Trial, Instant | None]]
) -> dict[str, SequenceTrialOut]:
    """What each trial of a sequence has come to."""
    now, current = now_in(session), plan.sequence.trial
    return {
        name: _trial_out(
            definitions,
            trials.counted(session, definitions, plan.key, trial),
            trial,
            began,
            now,
            running=current is not None and name == current.key,
        )
        for name, (trial, began) in begun.items()
    }


# So many points make a line.
MOST_LOOKS = 60
_EXAMPLE = Trial.model_validate(
    {"key": "example", "hold_back": 50, "goal": {"on": "signed_in"}, "within": "P1D"}
)


def _trial_out(
    definitions: Definitions,
    runs: list[Counted],
    trial: Trial,
    began: Instant | None,
    now: Instant,
    *,
    running: bool,
) -> SequenceTrialOut:
    found = list(results(trial, runs, now))
    written_to, held_back = _side_out(found, held_back=False), _side_out(found, held_back=True)
    groups = Group(written_to.reached, written_to.ended), Group(held_back.reached, held_back.ended)
    told, always = verdict(*groups), at_every_look(*groups)
    return SequenceTrialOut(
        key=trial.key,
        body=as_data(trial),
        words=trial_words(definitions, trial),
        began=words.moment(began, definitions.school.timezone) if began else None,
        running=running,
        written_to=written_to,
        held_back=held_back,
        verdict=told,
        answer=answer_words(told, always, *groups),
        once=range_of(difference(*groups)),
        always=range_of(always),
        looks=_looks(trial, runs, now),
    )


def _looks(trial: Trial, runs: list[Counted], now: Instant) -> list[LookOut]:
    """How the answer came; nothing while there were fewer than two looks to draw a line through."""
    begun = min((run.started for run in runs), default=now)
    days = [
        ((at - begun).total("hours") / 24, held, reached) for at, held, reached in ended(trial, runs, now)
    ]
    found = [
        LookOut(
            day=look.day,
            students=look.students,
            value=look.found.value,
            low=look.found.low,
            high=look.found.high,
        )
        for look in as_it_came(days, MOST_LOOKS)
    ]
    return found if len(found) > 1 else []


def _side_out(found: list[Result], *, held_back: bool) -> SideOut:
    count = side(found, held_back=held_back)
    ended = count.students - count.open
    return SideOut(
        students=count.students,
        open=count.open,
        ended=ended,
        reached=count.reached,
        share=share_of(Group(count.reached, ended)),
    )


@router.get("/{key}/trials/{trial}/names")
def trial_names(
    key: str,
    trial: str,
    user: SignedIn,
    post: ThePost,
    session: Reading,
    held_back: bool,
    became: Annotated[Became | None, Query()] = None,
    q: Search = "",
    page: PageNumber = 1,
) -> TrialNames:
    """The students behind a number of a trial."""
    definitions, now = definitions_in(post, session), now_in(session)
    plan = found_plan(definitions, key)
    known = {one.key: one for one, _ in trials.begun_trials(session, key)}
    asked = known.get(trial) or plan.sequence.trial
    if asked is None or asked.key != trial:
        raise HTTPException(404, "There is no such trial.")
    found = results(asked, trials.counted(session, definitions, key, asked), now)
    keys = [x.student for x in found if x.held_back == held_back and became in (None, x.became)]
    total, some = trials.named(session, keys, q, page)
    return TrialNames(total=total, items=[TrialPerson(key=x.key, name=x.name, email=x.email) for x in some])


@router.get("/{key}/steps/{step}/versions")
def versions_compared(key: str, step: str, user: SignedIn, post: ThePost, session: Reading) -> ComparedOut:
    """Which of the letters of a step does better: by openings, clicks, answers, and the goal of the sequence's trial."""
    definitions, now = definitions_in(post, session), now_in(session)
    plan = found_plan(definitions, key)
    place = plan.places.get(step)
    if place is None or not isinstance(place.step, Send) or not place.step.versions:
        return ComparedOut(items=[])
    letters = [one for one in place.step.letters if one in definitions.letters]
    names = {one: definitions.letters[one].letter.called for one in letters}
    scopes = {one: outcomes.of_letter(one, sequence=key, step=step) for one in letters}
    counts = {one: outcomes.students(session, scope) for one, scope in scopes.items()}
    items = compared_letters(counts, names)
    if plan.sequence.trial is not None:
        found = list(
            results(plan.sequence.trial, trials.counted(session, definitions, key, plan.sequence.trial), now)
        )
        items.append(_by_goal(found, key, place.step, names))
    return ComparedOut(items=items)


def _by_goal(found: list[Result], sequence: str, step: Send, names: dict[str, str]) -> Compared:
    """Of those who are written to and whose time is over, by the letter that is drawn for them."""
    groups = dict.fromkeys(names, Group(0, 0))
    for one in found:
        letter = letter_of_step(sequence, step, one.student)
        if not one.held_back and one.became != "open" and letter in groups:
            was = groups[letter]
            groups[letter] = Group(was.reached + (one.became == "reached"), was.students + 1)
    return compared("goal", groups, names)
