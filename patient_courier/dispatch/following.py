"""What would come of taking something in, seen by doing it and letting nothing of it stay."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TypeVar

from sqlalchemy.orm import Session

from patient_courier.core.engine.definitions import Definitions
from patient_courier.store.base.database import Database
from patient_courier.store.outbox.since import mark, since


@dataclass(frozen=True, slots=True)
class Named:
    """A sequence or letter by its key and name, and how many."""

    key: str
    name: str
    number: int


@dataclass(frozen=True, slots=True)
class Follows:
    """Sequences that begin, letters that go out at once, letters that would be stuck, and how many students are new."""

    sequences: list[Named]
    letters: list[Named]
    stuck: list[Named]
    students: int


T = TypeVar("T")


def what_follows(
    database: Database, load: Callable[[Session], Definitions], act: Callable[[Session, Definitions], T]
) -> tuple[T, Follows]:
    """Do it by the engine over the real tables, look, and take it back. Raises Busy."""
    with database.pretending() as session:
        definitions = load(session)
        begun = mark(session)
        done = act(session, definitions)
        session.flush()
        found = since(session, begun)
    plans, letters = definitions.sequences, definitions.letters

    def sequence(key: str) -> str:
        return plans[key].sequence.called if key in plans else key

    def letter(key: str) -> str:
        return letters[key].letter.called if key in letters else key

    return done, Follows(
        [Named(key, sequence(key), number) for key, number in found.runs.items()],
        [Named(key, letter(key), number) for key, number in found.letters.items()],
        [Named(key, letter(key), number) for key, number in found.stuck.items()],
        found.students,
    )
