"""The practice copy: a file beside the school's, made from it while it is in use, opened, and thrown away."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import structlog
from sqlalchemy.exc import DatabaseError
from whenever import Instant

from patient_courier.dispatch.clock import read_clock, real_now
from patient_courier.dispatch.dispatcher import Post
from patient_courier.settings import Settings
from patient_courier.store.base.copying import BadCopy, NoRoom, copy_file
from patient_courier.store.base.database import Database, remove_file
from patient_courier.store.school.secrets import fresh_secrets
from patient_courier.store.upkeep import practising

log = structlog.get_logger()
# Where it is reached, below the school's own address.
PREFIX = "/practice-copy"
DAYS = 14
Names = Literal["real", "made_up", "demo"]
# Of the steps that are told, what copying takes; the rest is inventing names.
COPYING = 100


@dataclass(frozen=True, slots=True)
class Made:
    """When the copy was made (real time), and whose names are in it."""

    at: Instant
    names: str

    @property
    def ends(self) -> Instant:
        return self.at.add(hours=24 * DAYS)


def path_of(database: Path) -> Path:
    """Where the practice copy of a school lies."""
    return database.with_name(f"{database.stem}-practice.db")


class NotMade(ValueError):
    """No practice copy was made; the message says why. Nothing is left of it, and one that was there before is as it was."""


def make(
    school: Database,
    settings: Settings,
    names: Names,
    load_demo: Callable[[Path, Settings], Database],
    step: Callable[[int], None],
) -> None:
    """Make the copy, aside until :func:`put_in_place`. Raises NotMade.

    ``step`` is told how much more is done: COPYING in all for the copy, then one for each student.
    """
    with _sentences():
        part, now = _aside(settings), real_now()
        remove(part)
        try:
            if names == "demo":
                load_demo(part, settings_of(settings)).close()
                step(COPYING)
            else:
                _copy(school, part, now, step)
            with closing(Database(part)) as database, database.writing() as session:
                # The demo's clock stands where its history ends.
                begins = read_clock(session).now if names == "demo" else now
                practising.make_practice(session, begins, now, names, fresh_secrets())
                if names == "made_up":
                    practising.invent_names(session, step)
        except BaseException:
            remove(part)
            raise


def put_in_place(settings: Settings) -> None:
    """Let the copy that was made stand where it is opened, instead of one that was there and is closed by now."""
    to = path_of(settings.database)
    remove(to)
    _aside(settings).rename(to)


def _aside(settings: Settings) -> Path:
    to = path_of(settings.database)
    return to.with_name(f"{to.name}.new")


@contextmanager
def _sentences() -> Iterator[None]:
    try:
        yield
    except (NoRoom, BadCopy, OSError, DatabaseError) as error:
        raise NotMade(f"The practice copy could not be made: {error}") from error


def _copy(school: Database, part: Path, now: Instant, step: Callable[[int], None]) -> None:
    told = 0

    def pages(done: int, total: int) -> None:
        nonlocal told
        reached = done * COPYING // max(1, total)
        step(reached - told)
        told = reached

    copy_file(school.path, part, now, pages)
    step(COPYING - told)


def open_copy(settings: Settings) -> tuple[Post, Made] | None:
    """The copy that lies there, ready to be started; None when there is none. One that has ended is thrown away."""
    path = path_of(settings.database)
    if not path.exists():
        return None
    database = Database(path)
    database.migrate()
    with database.reading() as session:
        found = practising.made(session)
    if found is None or Made(*found).ends <= real_now():
        database.close()
        remove(path)
        return None
    return Post(database, settings_of(settings)), Made(*found)


def settings_of(settings: Settings) -> Settings:
    """Where things of the copy are: its letters have no way out, and nothing is read from outside."""
    return settings.model_copy(
        update={
            "database": path_of(settings.database),
            "site": f"{settings.address}{PREFIX}",
            "smtp_host": "",
            "reports_folder": None,
            "mails_folder": None,
            "demo": False,
        }
    )


def remove(path: Path) -> None:
    """Throw a copy away, with what lies beside it."""
    remove_file(path)
    for beside in ("mark", "in-hand"):
        path.with_name(f"{path.name}.{beside}").unlink(missing_ok=True)
