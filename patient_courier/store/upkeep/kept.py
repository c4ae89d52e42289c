"""What is kept of how the school runs, by name. Nothing of it is part of a school file."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from patient_courier.store.base.tables import SettingRow


def read(session: Session, name: str) -> dict[str, Any] | None:
    """What is kept under a name; None when nothing is."""
    row = session.get(SettingRow, name)
    return dict(row.body) if row is not None else None


def keep(session: Session, name: str, body: dict[str, Any]) -> None:
    """Keep this under a name, in the place of what was."""
    session.merge(SettingRow(name=name, body=body))


def forget(session: Session, name: str) -> None:
    row = session.get(SettingRow, name)
    if row is not None:
        session.delete(row)
        session.flush()
