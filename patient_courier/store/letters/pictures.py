"""Uploaded pictures."""

from __future__ import annotations

import json
from dataclasses import dataclass

from sqlalchemy import delete, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.reading.school_file import as_data
from patient_courier.core.school.looks import PICTURES
from patient_courier.store.base.tables import LetterVersionRow, PictureRow


@dataclass(frozen=True, slots=True)
class Kept:
    key: str
    name: str
    width: int
    height: int


def keep(session: Session, found: Kept, body: bytes, now: Instant) -> None:
    """Keep a picture; the same one again changes nothing but its name."""
    row = session.get(PictureRow, found.key)
    if row is not None:
        row.name = found.name or row.name
        return
    session.add(
        PictureRow(
            key=found.key, name=found.name, width=found.width, height=found.height, uploaded=now, body=body
        )
    )


def every(session: Session) -> list[Kept]:
    """All pictures, the newest first."""
    rows = session.scalars(select(PictureRow).order_by(PictureRow.uploaded.desc(), PictureRow.key))
    return [Kept(row.key, row.name, row.width, row.height) for row in rows]


def body(session: Session, key: str) -> bytes | None:
    return session.scalar(select(PictureRow.body).where(PictureRow.key == key))


def bring(here: Session, there: Session, text: str, now: Instant) -> None:
    """Keep there, too, what is shown in a text and was uploaded here alone."""
    for one in every(here):
        found = body(here, one.key) if PICTURES + one.key in text else None
        if found is not None and there.get(PictureRow, one.key) is None:
            keep(there, one, found, now)


def remove(session: Session, key: str) -> None:
    session.execute(delete(PictureRow).where(PictureRow.key == key))


def uses(session: Session, definitions: Definitions, key: str) -> list[str]:
    """What shows a picture, in words; earlier versions of letters too, since they can be read in the browser."""
    path = PICTURES + key
    found = [
        f"the letter “{one.letter.called}”"
        for one in definitions.letters.values()
        if path in json.dumps(as_data(one.letter))
    ]
    found += [
        f"the layout “{x.name}”" for x in definitions.layouts.values() if path in json.dumps(as_data(x))
    ]
    found += [f"the course “{x.title}”" for x in definitions.courses.values() if x.picture == path]
    found += [f"the offer “{x.title}”" for x in definitions.offers.values() if x.picture == path]
    if path in json.dumps(as_data(definitions.school)):
        found.append("the school's signature")
    if not found and session.scalar(
        select(LetterVersionRow.key).where(LetterVersionRow.body.contains(path)).limit(1)
    ):
        found.append("an earlier version of a letter")
    return found
