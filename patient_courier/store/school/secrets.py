"""The school's keys: for links, for events that come in, for calls that go out."""

from __future__ import annotations

from sqlalchemy import select

from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import SecretRow


def read_secrets(database: Database) -> dict[str, str]:
    """Every key by its name."""
    with database.reading() as session:
        return {row.name: row.value for row in session.scalars(select(SecretRow))}
