"""How many rows a statement has changed."""

from __future__ import annotations

from sqlalchemy import CursorResult, Delete, Update
from sqlalchemy.orm import Session


def changed_by(session: Session, statement: Update | Delete) -> int:
    """Run it; returns how many rows it has changed."""
    done = session.execute(statement)
    assert isinstance(done, CursorResult)
    return done.rowcount
