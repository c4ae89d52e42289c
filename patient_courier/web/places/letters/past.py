"""A letter's versions and what became of it; whom it reaches next."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import APIRouter, HTTPException, Path, Query
from pydantic import BaseModel, Field

from patient_courier.core.calendar import calendar
from patient_courier.core.letters.diff import changes
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.rehearsing.forecasting import forecast
from patient_courier.core.rehearsing.slip import why
from patient_courier.core.school.values import moment_text, parse_moment
from patient_courier.core.telling import words
from patient_courier.core.writing.field_notes import plans_using
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.engine.loading import load_states
from patient_courier.store.letters import outcomes
from patient_courier.store.letters import versions as letter_versions
from patient_courier.store.outbox import outbox
from patient_courier.store.sequences import inside
from patient_courier.store.students import people
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
from patient_courier.web.figures import Figure, figures_of
from patient_courier.web.places.broadcasts.outcomes import Outcome, OutcomePage, outcome_page

router = APIRouter(prefix="/api/letters", tags=["letters"])
# How far ahead it is looked, for how many of those inside, and how many are named.
DAYS, MOST_INSIDE, NAMED = 14, 500, 8


class PieceOut(BaseModel):
    text: str
    how: Literal["same", "added", "gone"]


class ChangeOut(BaseModel):
    what: str
    did: Literal["changed", "added", "removed", "moved"]
    pieces: list[PieceOut]


class LetterVersionOut(BaseModel):
    """A saved version, what it changed of the one before, and how many were posted of it."""

    version: int
    saved: str
    posted: int
    changes: list[ChangeOut]
    body: dict[str, Any]


class ReachedNext(BaseModel):
    student: str
    name: str
    at: str
    where: str


class NextLetters(BaseModel):
    """Whom a letter reaches in the coming days if nobody does anything more: how many, and the first of them.

    ``inside`` are in a sequence that posts it; when they are many, only some were looked at (``cut_short``).
    """

    total: int
    days: int
    inside: int
    cut_short: bool
    first: list[ReachedNext]
    broadcasts: list[str]
    waiting: int


class LinkOut(BaseModel):
    link: str
    students: int
    machines: int


class WeekOut(BaseModel):
    """A week from Monday: in words, and the moment it begins (UTC)."""

    week: str
    begins: str
    posted: int
    opened: int
    clicked: int


class StepOut(BaseModel):
    """Where a letter was posted from: a step of a sequence, or broadcasts (no sequence)."""

    sequence: str
    step: str
    name: str
    posted: int


class VersionCount(BaseModel):
    version: int
    posted: int


class WhyNot(BaseModel):
    outcome: str
    reason: str
    sentence: str
    number: int


class LetterFigures(BaseModel):
    """What became of a letter; ``counts`` by outcome, ``figures`` with their ranges."""

    figures: list[Figure]
    counts: dict[str, int]
    reasons: list[WhyNot]
    links: list[LinkOut]
    weeks: list[WeekOut]
    versions: list[VersionCount]
    steps: list[StepOut]


class Which(BaseModel):
    """Which deliveries are meant; without anything, all.

    Of one version, at one step of a sequence, whose reader followed one link, posted in the week that begins at ``week``.
    """

    version: int | None = Field(None, ge=1, le=1_000_000)
    sequence: str | None = Field(None, max_length=200)
    step: str | None = Field(None, max_length=200)
    link: str | None = Field(None, max_length=2000)
    week: str | None = Field(None, max_length=40)

    def scope(self, key: str) -> outcomes.Scope:
        """422 for a week that is no moment."""
        try:
            week = parse_moment(self.week) if self.week else None
        except ValueError as error:
            raise HTTPException(422, str(error)) from error
        return outcomes.of_letter(
            key, version=self.version, sequence=self.sequence, step=self.step, link=self.link, week=week
        )


Chosen = Annotated[Which, Query()]


@router.get("/{key}/versions")
def versions(key: str, user: SignedIn, post: ThePost, session: Reading) -> list[LetterVersionOut]:
    """Every version, the newest first, with what it changed."""
    zone = definitions_in(post, session).school.timezone
    found = letter_versions.every(session, key)
    if not found:
        raise HTTPException(404, "There is no such letter.")
    posted, _ = outcomes.versions_and_steps(session, key)
    out = []
    for at, one in enumerate(found):
        before = found[at - 1].letter if at else None
        out.append(
            LetterVersionOut(
                version=one.version,
                saved=words.moment(one.saved, zone),
                posted=posted.get(one.version, 0),
                changes=[_change(change) for change in changes(before, one.letter)] if before else [],
                body=as_data(one.letter),
            )
        )
    return out[::-1]


def _change(change: Any) -> ChangeOut:
    return ChangeOut(
        what=change.what,
        did=change.did,
        pieces=[PieceOut(text=piece.text, how=piece.how) for piece in change.pieces],
    )


@router.get("/{key}/next")
def whom_it_reaches(key: str, user: SignedIn, post: ThePost, session: Reading) -> NextLetters:
    """Whom this letter reaches next and when, played ahead from where everybody stands."""
    definitions, now = definitions_in(post, session), now_in(session)
    zone = definitions.school.timezone
    ids = sorted({id for plan in plans_using(definitions, key) for id in inside.ids(session, plan.key)})
    states = load_states(session, ids[:MOST_INSIDE], definitions)
    until = now.add(hours=24 * DAYS)
    coming = [x for x in forecast(definitions, list(states.values()), now, until).letters if x.letter == key]
    named = people.by_keys(session, {one.student for one in coming[:NAMED]})
    planned = [
        f"“{one.broadcast.called}”"
        for one in broadcasts.in_status(session, "scheduled", "going", "paused")
        if key in one.broadcast.letters
    ]
    return NextLetters(
        total=len(coming),
        days=DAYS,
        inside=len(ids),
        cut_short=len(ids) > MOST_INSIDE,
        first=[
            ReachedNext(
                student=one.student,
                name=named[one.student].name,
                at=words.moment(one.at, zone),
                where=definitions.sequences[one.sequence].sequence.called,
            )
            for one in coming[:NAMED]
        ],
        broadcasts=planned,
        waiting=outbox.waiting_of(session, key),
    )


@router.get("/{key}/figures")
def figures(key: str, which: Chosen, user: SignedIn, post: ThePost, session: Reading) -> LetterFigures:
    """What became of a letter: numbers with their ranges, by link, over time, by version and step."""
    definitions = definitions_in(post, session)
    if key not in definitions.letters:
        raise HTTPException(404, "There is no such letter.")
    scope = which.scope(key)
    counts = outcomes.numbers(session, scope)
    by_version, by_step = outcomes.versions_and_steps(session, key)
    names = {
        "skipped": "not_posted",
        "held": "kept_back",
        "stuck": "waits_for_you",
        "unsure": "waits_for_you",
    }
    return LetterFigures(
        figures=figures_of(counts),
        counts=counts,
        reasons=[
            WhyNot(
                outcome=names[status], reason=reason or "", sentence=why(reason or "", number), number=number
            )
            for status, reason, number in outcomes.reasons(session, scope, names)
        ],
        links=[LinkOut(**asdict(one)) for one in outcomes.links(session, key)],
        weeks=[
            WeekOut(
                week=words.day(calendar.local_date(one.monday, "UTC")),
                begins=moment_text(one.monday),
                posted=one.posted,
                opened=one.opened,
                clicked=one.clicked,
            )
            for one in outcomes.weeks(session, scope)
        ],
        versions=[
            VersionCount(version=number, posted=posted)
            for number, posted in sorted(by_version.items(), reverse=True)
        ],
        steps=[
            StepOut(sequence=sequence, step=step, name=_place(session, post, sequence, step), posted=posted)
            for sequence, step, posted in by_step
        ],
    )


def _place(session: Session, post: ThePost, sequence: str, step: str) -> str:
    plan = definitions_in(post, session).sequences.get(sequence)
    if plan is not None:
        return plan.sequence.called
    kept = broadcasts.find(session, step)
    return f"Broadcast “{kept.broadcast.called}”" if kept else step


@router.get("/{key}/figures/{outcome}")
def figure_people(
    key: Annotated[str, Path(max_length=200)],
    outcome: Outcome,
    which: Chosen,
    user: SignedIn,
    session: Reading,
    reason: Annotated[str, Query(max_length=300)] = "",
    q: Search = "",
    page: PageNumber = 1,
) -> OutcomePage:
    """The students behind a number."""
    total, found = outcomes.people(
        session, which.scope(key), outcome, reason=reason or None, words=q, page=page
    )
    return outcome_page(total, found)
