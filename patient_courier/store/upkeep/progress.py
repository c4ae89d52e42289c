"""How far the school has come, and what it has come back from: by this an older file is known as such."""

from __future__ import annotations

import secrets
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.plain import DELIVERIES
from patient_courier.store.upkeep import kept

_PROGRESS, _ERAS, _COMING_BACK = "progress", "eras", "coming-back"


@dataclass(frozen=True, slots=True)
class Progress:
    """Which school this is (``name`` is drawn by lot once), how many lots of letters it has claimed, and up to when (real
    time) it is known to have been in use."""

    name: str
    lots: int
    at: Instant


@dataclass(frozen=True, slots=True)
class ComingBack:
    """The school is older than the world: what happened after ``since`` is lost; it was opened again at ``began``.

    ``posting``: the groups that the owner has said are to be posted, as (source, letter, day).
    """

    since: Instant
    began: Instant
    posting: tuple[tuple[str, str, str], ...] = ()


def read_progress(session: Session) -> Progress | None:
    """None: in a file that no program has noted it in yet."""
    body = kept.read(session, _PROGRESS)
    return Progress(body["name"], body["lots"], body["at"]) if body else None


def note_progress(session: Session, now: Instant, lots: int = 0) -> Progress:
    """Note that the school is in use, and so many more lots claimed."""
    before = read_progress(session)
    found = Progress(
        before.name if before else secrets.token_hex(8), (before.lots if before else 0) + lots, now
    )
    kept.keep(session, _PROGRESS, {"name": found.name, "lots": found.lots, "at": found.at})
    return found


def read_eras(session: Session) -> list[int]:
    """The highest number of a delivery that was known at each coming back: links of higher ones belong to lost letters."""
    return list((kept.read(session, _ERAS) or {"bounds": []})["bounds"])


def coming_back(session: Session) -> ComingBack | None:
    body = kept.read(session, _COMING_BACK)
    if body is None:
        return None
    return ComingBack(
        body["since"], body["began"], tuple((one[0], one[1], one[2]) for one in body["posting"])
    )


def begin_coming_back(session: Session, since: Instant, began: Instant) -> None:
    """From now on nothing is posted until the owner has looked. A second one while the first is open keeps its beginning."""
    open_one = coming_back(session)
    bound = session.scalar(select(func.max(DELIVERIES.c.id))) or 0
    kept.keep(session, _ERAS, {"bounds": [*read_eras(session), bound]})
    keep_coming_back(session, ComingBack(min(since, open_one.since) if open_one else since, began))


def keep_coming_back(session: Session, found: ComingBack) -> None:
    body = {"since": found.since, "began": found.began, "posting": [list(one) for one in found.posting]}
    kept.keep(session, _COMING_BACK, body)


def end_coming_back(session: Session) -> None:
    kept.forget(session, _COMING_BACK)


def is_coming_back(session: Session) -> bool:
    return kept.read(session, _COMING_BACK) is not None


def copied_at(session: Session) -> Instant | None:
    """When the copy was made that this file is; None when it is none."""
    body = kept.read(session, "copied")
    found: Instant | None = body["at"] if body else None
    return found
