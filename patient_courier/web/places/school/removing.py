"""Throwing away courses, offers and sequences that nobody uses; what hangs on one is named otherwise."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from fastapi import APIRouter, HTTPException

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.hanging import Kind, hangs_on
from patient_courier.dispatch.clock import read_clock
from patient_courier.dispatch.dispatcher import Post
from patient_courier.dispatch.taking import definitions_changed
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.school import removing
from patient_courier.store.students import audiences
from patient_courier.web.context import Session, SignedIn, ThePost, Writing, definitions_in

router = APIRouter(prefix="/api", tags=["removing"])
_STUDENTS = {
    "course": "{n} came into it",
    "offer": "{n} bought it",
    "sequence": "{n} came into it; close it instead",
}


@router.delete("/sequences/{key}", status_code=204)
def remove_sequence(key: str, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Throw a sequence away in which nobody has ever been. 409 says what hangs on it."""
    definitions = definitions_in(post, session)
    if key in definitions.sequences and definitions.sequences[key].sequence.status in ("running", "paused"):
        raise HTTPException(409, "This sequence runs. Close it first.")
    _remove(session, post, definitions, "sequence", key)


@router.delete("/courses/{key}", status_code=204)
def remove_course(key: str, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Throw a course away in which nobody has ever been. 409 says what hangs on it."""
    _remove(session, post, definitions_in(post, session), "course", key)


@router.delete("/offers/{key}", status_code=204)
def remove_offer(key: str, user: SignedIn, post: ThePost, session: Writing) -> None:
    """Throw an offer away that nobody has bought. 409 says what hangs on it."""
    _remove(session, post, definitions_in(post, session), "offer", key)


def _remove(session: Session, post: Post, definitions: Definitions, kind: Kind, key: str) -> None:
    known: Mapping[Kind, Collection[str]] = {
        "course": definitions.courses,
        "offer": definitions.offers,
        "sequence": definitions.sequences,
    }
    if key not in known[kind]:
        raise HTTPException(404, f"There is no such {kind}.")
    casts = [one.broadcast for one in broadcasts.every(session)]
    named = [(one.name, one.condition) for one in audiences.every(session)]
    hanging = hangs_on(definitions, kind, key, casts, named)
    students = removing.students_of(session, kind, key)
    if students:
        people = "1 student" if students == 1 else f"{students} students"
        said = _STUDENTS[kind].format(n=people)
        hanging.insert(0, said)
    if hanging:
        raise HTTPException(409, f"This can't be thrown away: {'; '.join(hanging[:6])}.")
    removing.remove(session, kind, key)
    session.flush()
    definitions_changed(session, post.library.load, read_clock(session).now)
