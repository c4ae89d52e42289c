"""Rehearsal on screen: a student and moves, and every path. Nothing is posted."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException
from pydantic import BaseModel

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.happening import course_of
from patient_courier.core.rehearsing.calendar_view import PathsOut, Rehearsed, shown
from patient_courier.core.rehearsing.calendar_view import every_path as all_paths
from patient_courier.core.rehearsing.scene import NotPlayable, Played, Scene, made_up, play, readable
from patient_courier.dispatch.clock import read_clock
from patient_courier.post.look import look_of
from patient_courier.post.message import render
from patient_courier.store.engine.loading import load_states
from patient_courier.store.students import people
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in
from patient_courier.web.preview import PREVIEW_LINKS

router = APIRouter(prefix="/api/rehearsals", tags=["rehearsals"])


class LetterSeen(BaseModel):
    subject: str
    html: str
    text: str


def played(session: Session, definitions: Definitions, scene: Scene) -> Played:
    """Play a scene with a real student's facts, or a made-up one's. 404 and 422 say what is wrong."""
    try:
        if not scene.student:
            state = made_up(definitions, scene)
        else:
            person = people.find(session, scene.student)
            if person is None:
                raise HTTPException(404, "There is no such student.")
            state = load_states(session, [person.id], definitions)[person.id]
        return play(definitions, scene, state, read_clock(session).now)
    except NotPlayable as error:
        raise HTTPException(422, str(error)) from error


@router.post("")
def rehearse(scene: Scene, user: SignedIn, post: ThePost, session: Reading) -> Rehearsed:
    """The calendar: what goes out and what doesn't, each with its story."""
    found = played(session, definitions_in(post, session), scene)
    own = scene.sequence.get("key") if scene.sequence else None
    return shown(found.outcome, found.first, found.events, scene.days, own)


@router.post("/letters/{index}")
def letter_seen(index: int, scene: Scene, user: SignedIn, post: ThePost, session: Reading) -> LetterSeen:
    """One letter of a rehearsal as that student would see it."""
    outcome = played(session, definitions_in(post, session), scene).outcome
    if not 0 <= index < len(outcome.letters):
        raise HTTPException(404, "There is no such letter in this rehearsal.")
    found = outcome.letters[index]
    letter = outcome.definitions.letters[found.letter].letter
    zone = outcome.states[found.student].zone
    run = next((run for run in outcome.states[found.student].runs if run.number == found.run), None)
    look = look_of(outcome.definitions, letter, course_of(run.subject) if run else found.course)
    rendered = render(letter, look, found.values, zone, PREVIEW_LINKS)
    return LetterSeen(subject=rendered.subject, html=rendered.html, text=rendered.text)


@router.post("/paths")
def every_path(
    body: Annotated[dict[str, Any], Body()], user: SignedIn, post: ThePost, session: Reading
) -> PathsOut:
    """The distinct ways through a sequence, what each posts, and the steps that none reaches."""
    try:
        return all_paths(definitions_in(post, session), readable(body))
    except NotPlayable as error:
        raise HTTPException(422, str(error)) from error
