"""How copies are to be kept."""

from __future__ import annotations

from sqlalchemy.orm import Session

from patient_courier.core.upkeep.copies import Copying
from patient_courier.store.upkeep import kept

_COPYING = "copying"


def read_copying(session: Session) -> Copying:
    body = kept.read(session, _COPYING)
    return Copying.model_validate(body) if body else Copying()


def keep_copying(session: Session, copying: Copying) -> None:
    kept.keep(session, _COPYING, copying.model_dump(mode="json"))
