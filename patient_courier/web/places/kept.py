"""Rehearsals kept as checks of a sequence: played again at every save, and saying when their outcome changes."""

from __future__ import annotations

from fastapi import APIRouter, HTTPException
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from patient_courier.core.definitions import Definitions
from patient_courier.dispatch.clock import read_clock
from patient_courier.store.tables import KeptRehearsalRow
from patient_courier.web.context import Reading, SignedIn, ThePost, Writing, definitions_in
from patient_courier.web.places.rehearsals import Scene, play, summary

router = APIRouter(prefix="/api/sequences", tags=["rehearsals"])


class KeepIn(BaseModel):
    name: str
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
    return [_out(session, definitions, row) for row in _rows(session, key)]


@router.post("/{key}/rehearsals", status_code=201)
def keep(key: str, body: KeepIn, user: SignedIn, post: ThePost, session: Writing) -> KeptOut:
    """Keep a rehearsal with what comes out of it now. It is pinned to its date, so that it stays the same."""
    definitions = definitions_in(post, session)
    if key not in definitions.sequences:
        raise HTTPException(404, "Save the sequence first; then a rehearsal can be kept with it.")
    if not body.name.strip():
        raise HTTPException(422, "Give the rehearsal a name that says what it shows.")
    outcome, first, _ = play(session, definitions, body.scene)
    scene = body.scene.model_copy(update={"start": first.format_iso(), "sequence": None})
    found = summary(outcome, first)
    row = KeptRehearsalRow(
        sequence=key,
        name=body.name.strip(),
        saved=read_clock(session).now,
        body=scene.model_dump(),
        outcome=found,
        seen=found,
    )
    session.add(row)
    session.flush()
    return _out(session, definitions, row)


@router.post("/{key}/rehearsals/{id}/agree")
def agree(key: str, id: int, user: SignedIn, post: ThePost, session: Writing) -> KeptOut:
    """Take what comes out now as what should come out."""
    definitions = definitions_in(post, session)
    row = _row(session, key, id)
    row.outcome = row.seen = _now(session, definitions, row)
    session.flush()
    return _out(session, definitions, row)


@router.delete("/{key}/rehearsals/{id}", status_code=204)
def forget(key: str, id: int, user: SignedIn, session: Writing) -> None:
    session.delete(_row(session, key, id))


def _rows(session: Session, key: str) -> list[KeptRehearsalRow]:
    query = select(KeptRehearsalRow).where(KeptRehearsalRow.sequence == key).order_by(KeptRehearsalRow.id)
    return list(session.scalars(query))


def _row(session: Session, key: str, id: int) -> KeptRehearsalRow:
    row = session.get(KeptRehearsalRow, id)
    if row is None or row.sequence != key:
        raise HTTPException(404, "This rehearsal is no longer kept.")
    return row


def _now(session: Session, definitions: Definitions, row: KeptRehearsalRow) -> list[list[str]]:
    """What comes out now, with the sequence as saved and running."""
    plan = definitions.sequences[row.sequence]
    body = plan.sequence.model_dump(mode="json", by_alias=True)
    scene = Scene.model_validate({**row.body, "sequence": body})
    try:
        outcome, first, _ = play(session, definitions, scene)
    except HTTPException as error:
        return [[str(error.detail), "", "", ""]]
    return summary(outcome, first)


def _out(session: Session, definitions: Definitions, row: KeptRehearsalRow) -> KeptOut:
    now = _now(session, definitions, row)
    was_lines, now_lines = _lines(definitions, row.outcome), _lines(definitions, now)
    changes = [Change(was=line, now=None) for line in was_lines if line not in now_lines]
    changes += [Change(was=None, now=line) for line in now_lines if line not in was_lines]
    return KeptOut(
        id=row.id,
        name=row.name,
        scene=Scene.model_validate(row.body),
        letters=len(row.outcome),
        changes=changes,
    )


def _lines(definitions: Definitions, outcome: list[list[str]]) -> list[str]:
    found = []
    for at, letter, status, reason in outcome:
        ready = definitions.letters.get(letter)
        name = (ready.letter.name if ready else "") or letter
        found.append(f"{at}: {name}" + ("" if status == "sent" else f", {status} ({reason})") if name else at)
    return found
