"""Needs you: letters that could not go out, events that could not be read, a mail server that can't be used."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.telling import words
from patient_courier.core.telling.grouping import Waiting, grouped
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.completion import feedback
from patient_courier.store.completion.feedback import Said
from patient_courier.store.destinations import destinations
from patient_courier.store.destinations.destinations import Destination
from patient_courier.store.destinations.hearing import lane_of
from patient_courier.store.outbox import needs
from patient_courier.store.students import people
from patient_courier.web.context import (
    Reading,
    RowId,
    RowNumber,
    Session,
    SignedIn,
    ThePost,
    Writing,
    definitions_in,
)
from patient_courier.web.places.log.deliveries import delivery_out
from patient_courier.web.places.today.need import NeedsYou
from patient_courier.web.places.today.trouble import carrier, disk, upkeep

router = APIRouter(prefix="/api/needs-you", tags=["deliveries"])
# So many letters are looked at; the rest come forward as these are settled.
MOST_LETTERS = 1000


class Settle(BaseModel):
    """What to do about it: ``post`` a stuck or unsure letter again, or put it aside as ``done``."""

    action: Literal["post", "done"]


class SettleAll(BaseModel):
    """The same for several letters at once."""

    ids: list[RowNumber] = Field(min_length=1, max_length=MOST_LETTERS)
    action: Literal["post", "done"]


class Settled(BaseModel):
    """How many go out now, and why the others still wait (each reason once)."""

    posted: int
    waiting: list[str]


@router.get("")
def needs_you(user: SignedIn, post: ThePost, session: Reading) -> list[NeedsYou]:
    """What waits for the owner: the mail server first, then letters, then what else there is, each newest first."""
    definitions = definitions_in(post, session)
    zone = definitions.school.timezone
    lines, names = {}, broadcasts.names(session)
    waiting = []
    for one, person in needs.letters(session, MOST_LETTERS):
        lines[one.id] = line = delivery_out(definitions, one, person, names)
        waiting.append(
            Waiting(one.id, one.letter, line.letter_name, one.status, one.reason, person.key, person.name)
        )
    found = disk(post, zone) + carrier(post, zone) + upkeep(session, zone)
    for group in grouped(waiting):
        first = group.items[0]
        found.append(
            NeedsYou(
                kind="delivery",
                id=first.id,
                ids=[one.id for one in group.items],
                title=group.title,
                sentence=group.sentence,
                reason_code=first.reason,
                at=lines[first.id].school_time,
                student=first.student,
                students=[one.student for one in group.items],
                letter=first.letter,
                body=None,
                can_post=True,
            )
        )
    found += [_still(definitions, session, one) for one in destinations.standing_still(session)]
    found += [_unhappy(definitions, one, zone) for one in feedback.waiting(session)]
    for problem in needs.problems(session):
        event = problem.kind == "event"
        circling = words.circles(problem.reason)
        found.append(
            NeedsYou(
                kind="event" if event else "circles",
                id=problem.id,
                ids=[problem.id],
                title="An event could not be used" if event else "A student goes in circles",
                sentence=_circles(session, definitions, *circling)
                if circling
                else problem.reason[:1].upper() + problem.reason[1:],
                reason_code=None,
                at=words.moment(problem.at, zone),
                student=circling[0] if circling else None,
                students=[circling[0]] if circling else [],
                letter=None,
                body=problem.body if event else None,
                can_post=False,
            )
        )
    return found


def _circles(session: Session, definitions: Definitions, student: str, sequence: str, step: str) -> str:
    """Who went in circles where, by the names that the owner knows."""
    person, plan = people.find(session, student), definitions.sequences.get(sequence)
    name = plan.sequence.name if plan is not None and plan.sequence.name else sequence
    return (
        f"{person.name if person else student} took more than a hundred steps of “{name}” in one instant, up to the step "
        f"“{step}”, so this run was stopped. Look at what makes it begin again: a wait is missing there."
    )


def _still(definitions: Definitions, session: Session, one: Destination) -> NeedsYou:
    """A destination to which nothing is posted any more, unless the owner says so."""
    waits = destinations.counts(session).get(one.id, {}).get("queued", 0)
    return NeedsYou(
        kind="destination",
        id=one.id,
        ids=[one.id],
        title=f"“{one.name}” takes nothing any more",
        sentence=f"{one.why} " + (f"{words.counted(waits, 'message')} wait." if waits > 1 else ""),
        reason_code=None,
        at=words.moment(one.last, definitions.school.timezone) if one.last else "",
        student=None,
        students=[],
        letter=None,
        body={"destination": one.key},
        can_post=True,
    )


def _unhappy(definitions: Definitions, one: Said, zone: str) -> NeedsYou:
    """A student who answered that a course was of little use to them, and what they wrote."""
    about = f" on {words.title(definitions, 'course', one.course)}" if one.course else ""
    return NeedsYou(
        kind="words",
        id=one.id,
        ids=[one.id],
        title=f"{one.student.name} gave {one.value} of 5{about}",
        sentence=f"“{one.words}”" if one.words else "They wrote nothing beside it.",
        reason_code=None,
        at=words.moment(one.at, zone),
        student=one.student.key,
        students=[one.student.key],
        letter=None,
        body=None,
        can_post=False,
    )


@router.post("/letters")
def settle_all(body: SettleAll, user: SignedIn, post: ThePost, session: Writing) -> Settled:
    """Post several letters after all, or put them aside."""
    if body.action == "done":
        needs.put_aside(session, body.ids)
        return Settled(posted=0, waiting=[])
    found = needs.post_again(session, definitions_in(post, session), body.ids)
    reasons = [words.reason(code) for code in found.values() if code]
    return Settled(posted=len(found) - len(reasons), waiting=list(dict.fromkeys(reasons)))


@router.post("/{kind}/{id}", status_code=204)
def settle(
    kind: Literal["delivery", "event", "circles", "carrier", "disk", "words", "destination", "upkeep"],
    id: RowId,
    body: Settle,
    user: SignedIn,
    post: ThePost,
    session: Writing,
) -> None:
    """Put something aside, or post a letter after all: with the student's values of now, at once."""
    if kind == "disk":
        return  # that this could be written is the answer
    if kind == "carrier":
        post.outbox.try_now()
    elif kind == "destination":
        if id not in {one.id for one in destinations.standing_still(session)}:
            raise HTTPException(409, "This destination no longer stands still.")
        if body.action == "post":
            destinations.go_on(session, id)
            post.outgoing.try_now(lane_of(id))
        else:
            destinations.pause(session, id)
    elif kind == "words":
        feedback.put_aside(session, id)
    elif kind != "delivery":
        needs.put_problem_aside(session, id)
    elif body.action == "done":
        needs.put_aside(session, [id])
    else:
        found = needs.post_again(session, definitions_in(post, session), [id])
        if id not in found:
            raise HTTPException(409, "This letter no longer waits for you.")
        against = words.reason(found[id])
        if against:
            raise HTTPException(
                409, f"{against} Give the letter a fallback, or the student a value; then try again."
            )
