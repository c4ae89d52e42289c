"""A mark outside the database that remembers how far the school had come, so that an older file in its place is noticed.

It never runs ahead of its own file: the file is written first, and a letter is handed over after both. Two that are put
back together, such as a whole machine from a snapshot, it can't tell.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

import structlog
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.dispatch.clock import real_now
from patient_courier.store.base.database import Database
from patient_courier.store.upkeep import progress
from patient_courier.store.upkeep.progress import Progress

log = structlog.get_logger()
# How often it is noted that the school is in use.
NOTED_SECONDS = 300.0


class Mark:
    """The file beside the database."""

    def __init__(self, database: Path) -> None:
        self._path = database.with_name(f"{database.name}.mark")
        self._noted: Instant | None = None

    def read(self) -> Progress | None:
        """What is remembered; None without a mark, or when it can't be read."""
        try:
            body = json.loads(self._path.read_text())
            return Progress(str(body["name"]), int(body["lots"]), Instant.parse_iso(body["at"]))
        except (OSError, ValueError, KeyError, TypeError):
            return None

    def write(self, found: Progress) -> None:
        """Remember this, on the disk when it returns. A disk that does not let it must not hold letters up: it is said."""
        part = self._path.with_name(f"{self._path.name}.part")
        try:
            with part.open("w") as file:
                json.dump({"name": found.name, "lots": found.lots, "at": found.at.format_iso()}, file)
                file.flush()
                os.fsync(file.fileno())
            part.replace(self._path)
        except OSError as error:
            log.error("the mark beside the school can't be written", why=str(error))

    def note_use(self, database: Database) -> None:
        """Every few minutes: the school is in use, and knows it."""
        now = real_now()
        if self._noted is None or (now - self._noted).total("seconds") >= NOTED_SECONDS:
            with database.writing() as session:
                found = progress.note_progress(session, now)
            self.write(found)
            self._noted = now


def look_at_mark(session: Session, mark: Progress | None, now: Instant) -> bool:
    """Whether this file is older than what the mark remembers; then the school is coming back from it, from now on."""
    mine = progress.read_progress(session)
    if mark is None or (mine is not None and mine.name != mark.name):
        return False  # nothing is remembered, or of another school
    if mine is not None and mine.lots >= mark.lots and mine.at >= mark.at:
        return False
    known = [at for at in (mine.at if mine else None, progress.copied_at(session)) if at is not None]
    progress.begin_coming_back(session, max(known, default=mark.at), now)
    # Known from now on, so that it is begun once.
    progress.note_progress(session, max(now, mark.at), max(0, mark.lots - (mine.lots if mine else 0)))
    return True
