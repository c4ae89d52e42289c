"""Those who are inside a sequence: who is on which version, who was missed, and moving them on."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Path
from pydantic import BaseModel

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.moving import landing
from patient_courier.core.engine.plan import Plan
from patient_courier.core.school import sequences as s
from patient_courier.core.telling import words
from patient_courier.core.writing.editing import starts_words, step_words
from patient_courier.dispatch.by_hand import Act
from patient_courier.dispatch.sequences import landings, on_older
from patient_courier.store.sequences import inside
from patient_courier.web.context import Reading, Session, SignedIn, TheBoard, ThePost, definitions_in
from patient_courier.web.places.sequences.sequences import SequenceBody
from patient_courier.web.places.students.bulk import BulkOut, begin_work

VersionNumber = Annotated[int, Path(ge=1, le=1_000_000)]
router = APIRouter(prefix="/api/sequences", tags=["sequences"])
# How many are named whom time moves on first.
SHOWN = 3


class VersionOut(BaseModel):
    """A saved version; ``inside`` is how many students are on it now."""

    version: int
    saved: str
    inside: int
    current: bool


class Inside(BaseModel):
    """A student who stands at a step, and until when (in the student's time), if time alone moves them on."""

    key: str
    name: str
    email: str
    until: str | None
    round: str | None  # of the repeats around the step, outermost first; None outside repeats


class LandingOut(BaseModel):
    """Students on an older version at one step, and where they would land in the one in force."""

    version: int
    here: str
    number: int
    kind: str
    sentence: str


class VersionsOut(BaseModel):
    versions: list[VersionOut]
    landings: list[LandingOut]


class NextOne(BaseModel):
    """A student inside, when time moves them on (school time), and from which step."""

    key: str
    name: str
    at: str
    here: str


class Effect(BaseModel):
    """What saving would mean for those inside: they finish on their version; if moved, this is where they land.

    ``next`` are those whom time moves on first; ``starts``: what brings others in from now on, in words.
    """

    inside: int
    landings: list[LandingOut]
    next: list[NextOne]
    starts: str


def _known(definitions: Definitions, key: str) -> Plan:
    plan = definitions.sequences.get(key)
    if plan is None:
        raise HTTPException(404, "There is no such sequence. It may have been renamed.")
    return plan


@router.get("/{key}/versions")
def versions(key: str, user: SignedIn, post: ThePost, session: Reading) -> VersionsOut:
    definitions = definitions_in(post, session)
    plan = _known(definitions, key)
    zone = definitions.school.timezone
    numbers = inside.by_version(session, key)
    return VersionsOut(
        versions=[
            VersionOut(
                version=version,
                saved=words.moment(saved, zone),
                inside=numbers.get(version, 0),
                current=version == plan.version,
            )
            for version, saved in inside.versions(session, key)
        ],
        landings=[
            _landing(definitions, definitions.plans[(key, version)], plan, step, number)
            for version, step, _, number in landings(session, definitions, key)
        ],
    )


@router.get("/{key}/versions/{version}/students")
def students_on(
    key: str, version: VersionNumber, user: SignedIn, post: ThePost, session: Reading
) -> list[Inside]:
    """Who is inside on one version now."""
    definitions = definitions_in(post, session)
    _known(definitions, key)
    return _shown(definitions, key, inside.people(session, key, version=version))


@router.get("/{key}/steps/{step}/students")
def students_at(key: str, step: str, user: SignedIn, post: ThePost, session: Reading) -> list[Inside]:
    """Who stands at a step now."""
    return _shown(definitions_in(post, session), key, inside.people(session, key, step=step))


def _shown(definitions: Definitions, key: str, people: list[inside.Standing]) -> list[Inside]:
    school = definitions.school
    return [
        Inside(
            key=one.person.key,
            name=one.person.name,
            email=one.person.email,
            until=words.moment(one.due, school.zone_of(one.person.timezone)) if one.due else None,
            round=_round(definitions.plans[(key, one.version)], one.step, one.rounds),
        )
        for one in people
    ]


def _round(plan: Plan, step: str | None, rounds: dict[str, int]) -> str | None:
    around = plan.repeats_around(step) if step else []
    return ".".join(str(rounds.get(repeat, 1)) for repeat in around) or None


def _landing(definitions: Definitions, old: Plan, new: Plan, step: str | None, number: int) -> LandingOut:
    found = landing(old, new, step)
    here = step_words(definitions, old, step)
    there = step_words(definitions, new, found.step)
    sentence = {
        "stays": "go on where they are",
        "again": f"stay at “{there}”, as it is now",
        "onward": f"go on with “{there}”, since their step is gone",
        "ends": "are finished, since nothing comes after their step any more",
    }[found.kind]
    return LandingOut(version=old.version, here=here, number=number, kind=found.kind, sentence=sentence)


@router.post("/{key}/effect")
def effect_of_saving(key: str, body: SequenceBody, user: SignedIn, post: ThePost, session: Reading) -> Effect:
    """What saving this form of the sequence would do to the people inside. Saves nothing."""
    definitions = definitions_in(post, session)
    plan = definitions.sequences.get(key)
    try:
        sequence = s.Sequence.model_validate({**body, "key": key})
    except ValueError:
        return Effect(inside=0, landings=[], next=[], starts="")
    if plan is None:
        return Effect(inside=0, landings=[], next=[], starts="")
    new = Plan(sequence, plan.version + 1, plan.order)
    rows = inside.by_version_and_step(session, key)
    return Effect(
        inside=sum(number for _, _, number in rows),
        landings=[
            _landing(definitions, definitions.plans[(key, version)], new, step, number)
            for version, step, number in rows
        ],
        next=_next(session, definitions, key),
        starts=starts_words(definitions, sequence),
    )


def _next(session: Session, definitions: Definitions, key: str) -> list[NextOne]:
    zone = definitions.school.timezone
    return [
        NextOne(
            key=one.person.key,
            name=one.person.name,
            at=words.moment(one.due, zone),
            here=step_words(definitions, definitions.plans[(key, one.version)], one.step),
        )
        for one in inside.people(session, key)[:SHOWN]
        if one.due
    ]


@router.post("/{key}/move", status_code=202)
def move(key: str, user: SignedIn, post: ThePost, session: Reading, board: TheBoard) -> BulkOut:
    """Move everyone on older versions to the one in force, in a minute; until then it can be called off."""
    definitions = definitions_in(post, session)
    _known(definitions, key)
    ids = on_older(session, definitions, key)
    if not ids:
        raise HTTPException(409, "Everyone is on the newest version.")
    return begin_work(board, post, definitions, Act("move", key), ids, user.name)
