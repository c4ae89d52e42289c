"""The one way in which somebody's letter is saved: whatever it would do to students is asked before."""

from __future__ import annotations

from fastapi import HTTPException
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.checks.trials import holding_back_from
from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.school.letters import Letter
from patient_courier.store.base.definitions import save_letter


def keep_letter(session: Session, definitions: Definitions, letter: Letter, now: Instant) -> int:
    """Save as a new version, or as a new letter; returns the version. 409 for a service letter of a sequence with a trial."""
    holding = holding_back_from(definitions, letter)
    if holding is not None:
        raise HTTPException(
            409,
            f"“{holding.called}” holds students back and posts this letter, and nobody is held back from a service letter. "
            "End the trial there, post this letter from another sequence, or give it another purpose.",
        )
    return save_letter(session, letter, now)
