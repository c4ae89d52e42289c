"""The letters that are to come in the school if nobody does anything more."""

from __future__ import annotations

from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.rehearsing.forecasting import Forecast, forecast
from patient_courier.store.broadcasts import broadcasts, postings
from patient_courier.store.engine.loading import load_states
from patient_courier.store.sequences import inside
from patient_courier.store.students import people


def coming_letters(session: Session, definitions: Definitions, now: Instant, until: Instant) -> Forecast:
    """All of them up to a moment: of sequences, by the clock, and of broadcasts."""
    ids = {*inside.everyone(session), *people.waiting_for_time(session, until)}
    ids |= _of_broadcasts(session, definitions, until)
    states = load_states(session, ids, definitions)
    coming = postings.coming(session, until, states)
    return forecast(definitions, list(states.values()), now, until, coming)


def _of_broadcasts(session: Session, definitions: Definitions, until: Instant) -> set[int]:
    """Students whom broadcasts will reach by then, as far as their lists can be told now."""
    found = set(postings.going_to(session))
    for kept in broadcasts.in_status(session, "scheduled"):
        if kept.due is not None and kept.due <= until:
            found |= {id for id, _, _ in postings.on_the_list(session, definitions, kept.broadcast, kept.due)}
    return found
