"""Many things taken in, some in each transaction, so that nobody waits long; what goes wrong with one stops no other."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import structlog
from sqlalchemy.orm import Session

from patient_courier.store.base.database import Busy, Database

log = structlog.get_logger()
Thing = TypeVar("Thing")


def in_parts(
    database: Database,
    parts: Sequence[Sequence[Thing]],
    take: Callable[[Session, Sequence[Thing]], Any],
    failed: Callable[[Thing], None],
    step: Callable[[int], None] = lambda number: None,
) -> None:
    """Take each part in a transaction of its own; where one breaks, its things one by one, and ``failed`` is told which could not.

    Raises Busy: nothing is wrong with the part in hand then, and those before it are in.
    """
    for part in parts:
        try:
            with database.writing() as session:
                take(session, part)
        except Busy:
            raise
        except Exception:
            log.exception("things could not be taken in together")
            _one_by_one(database, part, take, failed)
        step(len(part))


def _one_by_one(
    database: Database,
    part: Sequence[Thing],
    take: Callable[[Session, Sequence[Thing]], Any],
    failed: Callable[[Thing], None],
) -> None:
    for one in part:
        try:
            with database.writing() as session:
                take(session, [one])
        except Busy:
            raise
        except Exception:
            log.exception("one could not be taken in")
            failed(one)


def cut(things: Sequence[Thing], size: int) -> list[Sequence[Thing]]:
    """Parts of at most so many, in order."""
    return [things[start : start + size] for start in range(0, len(things), size)]
