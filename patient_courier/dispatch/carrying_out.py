"""Carrying out what the engine wants done, in the transaction at hand: facts, runs, deliveries, what destinations are told."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy.orm import Session

from patient_courier.core.destinations.told import News, of_happening
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.engine.effects import Effect, Noted
from patient_courier.core.engine.state import StudentState
from patient_courier.store.destinations.hearing import hearing, tell
from patient_courier.store.engine.saving import save_effects, save_states


def carry_out(
    session: Session, definitions: Definitions, states: dict[int, StudentState], effects: Sequence[Effect]
) -> None:
    """Store what has changed for these students (by row id) and what is to go out to anybody.

    What is taken in as the past is told to nobody.
    """
    save_states(session, states, definitions)
    ids = {state.student.key: id for id, state in states.items()}
    save_effects(session, effects, ids)
    if not definitions.quiet and (who := hearing(session)):
        tell(session, who, _news(definitions, effects, ids))


def _news(definitions: Definitions, effects: Sequence[Effect], ids: dict[str, int]) -> list[tuple[int, News]]:
    found = []
    for effect in effects:
        if isinstance(effect, Noted):
            news = of_happening(definitions, effect.what, effect.student)
            if news is not None:
                found.append((ids[effect.student], news))
    return found
