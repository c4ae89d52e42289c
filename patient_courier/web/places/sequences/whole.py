"""A sequence as a whole: its people by what became of them, and all its letters in one table."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from pydantic import BaseModel

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.slip import why
from patient_courier.core.school.sequences import Send
from patient_courier.core.telling import words
from patient_courier.core.writing.editing import step_words
from patient_courier.store.letters import outcomes
from patient_courier.store.sequences import inside
from patient_courier.web.context import PageNumber, Reading, SignedIn, ThePost, definitions_in
from patient_courier.web.figures import Figure, figures_of
from patient_courier.web.places.sequences.sequences import found_plan

router = APIRouter(prefix="/api/sequences", tags=["sequences"])
Group = Literal["inside", "finished", "left"]


class RunThrough(BaseModel):
    """A student's way through it: since when, and where they stand or how it ended; times are the school's."""

    key: str
    name: str
    since: str
    where: str


class RunsOut(BaseModel):
    total: int
    items: list[RunThrough]


class Why(BaseModel):
    sentence: str
    number: int


class LetterLine(BaseModel):
    """One step that posts a letter: what became of it, and why some did not go out."""

    step: str
    letter: str
    name: str
    figures: list[Figure]
    kept_from: list[Why]


@router.get("/{key}/people")
def people(
    key: str, group: Group, user: SignedIn, post: ThePost, session: Reading, page: PageNumber = 1
) -> RunsOut:
    """Who is inside, has finished, or has left early (stopped and stuck too), the newest first."""
    definitions = definitions_in(post, session)
    found_plan(definitions, key)
    zone = definitions.school.timezone
    total, found = inside.runs(session, key, group, page)
    return RunsOut(
        total=total,
        items=[
            RunThrough(
                key=one.person.key,
                name=one.person.name,
                since=words.moment(one.started, zone),
                where=_where(definitions, key, one, zone),
            )
            for one in found
        ],
    )


def _where(definitions: Definitions, key: str, one: inside.Run, zone: str) -> str:
    if one.ended is not None:
        ended = words.moment(one.ended, zone)
        return {"finished": f"finished {ended}", "left": f"left {ended}"}.get(
            one.outcome or "", f"{one.outcome} {ended}"
        )
    plan = definitions.plans.get((key, one.version))
    here = step_words(definitions, plan, one.step) if plan else ""
    return f"at “{here}”" + (f" until {words.moment(one.due, zone)}" if one.due else "")


@router.get("/{key}/letters")
def letters(key: str, user: SignedIn, post: ThePost, session: Reading) -> list[LetterLine]:
    """What became of each of its letters, in the order in which they stand."""
    definitions = definitions_in(post, session)
    found = []
    posted = [
        (step, letter)
        for step, place in found_plan(definitions, key).places.items()
        if isinstance(place.step, Send)
        for letter in place.step.letters
        if letter in definitions.letters
    ]
    for step, letter in posted:
        scope = outcomes.of_letter(letter, sequence=key, step=step)
        found.append(
            LetterLine(
                step=step,
                letter=letter,
                name=definitions.letters[letter].letter.called,
                figures=figures_of(outcomes.numbers(session, scope)),
                kept_from=[
                    Why(sentence=why(reason or "", number), number=number)
                    for _, reason, number in outcomes.reasons(session, scope, ("skipped", "stuck", "held"))
                ],
            )
        )
    return found
