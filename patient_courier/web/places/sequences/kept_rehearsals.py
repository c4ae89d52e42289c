"""Rehearsals kept as checks of a sequence: played again at every save, and saying when their outcome changes."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel, Field

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.rehearsing.calendar_view import summary, summary_lines
from patient_courier.core.rehearsing.scene import Scene
from patient_courier.core.school.text import Line
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.sequences import kept_rehearsals as stored
from patient_courier.store.sequences.kept_rehearsals import Kept, Lines
from patient_courier.web.context import Reading, RowId, Session, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.sequences.rehearsals import played

router = APIRouter(prefix="/api/sequences", tags=["rehearsals"])


class KeepIn(BaseModel):
    name: Line = Field(max_length=200)
    scene: Scene


class Change(BaseModel):
    """One line that differs: what was agreed, and what comes out now."""

    was: str | None
    now: str | None


class KeptOut(BaseModel):
    id: int
    name: str
    scene: Scene
    letters: int
    changes: list[Change]


@router.get("/{key}/rehearsals")
def list_kept(key: str, user: SignedIn, post: ThePost, session: Reading) -> list[KeptOut]:
    definitions = definitions_in(post, session)
    return [_out(session, definitions, one) for one in stored.of_sequence(session, key)]


@router.post("/{key}/rehearsals", status_code=201)
def keep(key: str, body: KeepIn, user: SignedIn, post: ThePost, session: Writing) -> KeptOut:
    """Keep a rehearsal with what comes out of it now. It is pinned to its date, so that it stays the same."""
    definitions = definitions_in(post, session)
    if key not in definitions.sequences:
        raise HTTPException(404, "Save the sequence first; then a rehearsal can be kept with it.")
    if not body.name.strip():
        raise HTTPException(422, "Give the rehearsal a name that says what it shows.")
    found = played(session, definitions, body.scene)
    scene = body.scene.model_copy(update={"start": found.first.format_iso(), "sequence": None})
    lines = summary(found.outcome, found.first)
    now = read_clock(session).now
    one = stored.keep(session, key, body.name.strip(), scene.model_dump(), lines, now)
    return _out(session, definitions, one)


@router.post("/{key}/rehearsals/{id}/agree")
def agree(key: str, id: RowId, user: SignedIn, post: ThePost, session: Writing) -> KeptOut:
    """Take what comes out now as what should come out."""
    definitions = definitions_in(post, session)
    stored.agree(session, id, _now(session, definitions, _known(session, key, id)))
    session.expire_all()
    return _out(session, definitions, _known(session, key, id))


@router.delete("/{key}/rehearsals/{id}", status_code=204)
def forget(key: str, id: RowId, user: SignedIn, session: Writing) -> None:
    stored.forget(session, _known(session, key, id).id)


def _known(session: Session, key: str, id: int) -> Kept:
    one = stored.find(session, key, id)
    if one is None:
        raise HTTPException(404, "This rehearsal is no longer kept.")
    return one


def _now(session: Session, definitions: Definitions, one: Kept) -> Lines:
    """What comes out now, with the sequence as saved and running."""
    body = as_data(definitions.sequences[one.sequence].sequence)
    try:
        found = played(session, definitions, Scene.model_validate({**one.scene, "sequence": body}))
    except HTTPException as error:
        return [[str(error.detail), "", "", ""]]
    return summary(found.outcome, found.first)


def _out(session: Session, definitions: Definitions, one: Kept) -> KeptOut:
    was = summary_lines(definitions, one.outcome)
    now = summary_lines(definitions, _now(session, definitions, one))
    changes = [Change(was=line, now=None) for line in was if line not in now]
    changes += [Change(was=None, now=line) for line in now if line not in was]
    scene = Scene.model_validate(one.scene)
    return KeptOut(id=one.id, name=one.name, scene=scene, letters=len(one.outcome), changes=changes)
