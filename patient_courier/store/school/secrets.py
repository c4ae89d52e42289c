"""The school's keys: for links, for events that come in, for calls that go out."""

from __future__ import annotations

import secrets
from base64 import b64encode

from sqlalchemy import select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.database import Database
from patient_courier.store.base.tables import ConnectionRow, ConnectionSecretRow, SecretRow
from patient_courier.store.connections import connections
from patient_courier.store.connections.connections import OVERLAP_HOURS, OWN


def signing_key() -> str:
    """A key in the form of Standard Webhooks."""
    return "whsec_" + b64encode(secrets.token_bytes(32)).decode()


def fresh_secrets() -> dict[str, str]:
    """New keys for a school, by their names: for links, for events that come in, for calls that go out.

    Each of its own: whoever checks our calls must not be able to make events.
    """
    return {"links": secrets.token_urlsafe(32), "intake": signing_key(), "calls": signing_key()}


def read_secrets(database: Database) -> dict[str, str]:
    """Every key by its name."""
    with database.reading() as session:
        return {row.name: row.value for row in session.scalars(select(SecretRow))}


def read_older_keys(database: Database) -> list[tuple[str, Instant]]:
    """Keys of the intake that have been replaced, with the moment (real time) at which each ends."""
    with database.reading() as session:
        query = (
            select(ConnectionSecretRow)
            .join(ConnectionRow, ConnectionRow.id == ConnectionSecretRow.connection_id)
            .where(ConnectionRow.state == OWN, ConnectionSecretRow.ends.is_not(None))
        )
        return [(row.value, row.ends) for row in session.scalars(query) if row.ends is not None]


def replace_intake_key(session: Session, now: Instant, real: Instant) -> str:
    """A new key for our own intake; the one before holds for another day (real time)."""
    before, key = session.get_one(SecretRow, "intake").value, signing_key()
    id = connections.own(session, now)
    connections.give_secret(session, id, "proof", before, real)
    session.flush()
    mine = (ConnectionSecretRow.connection_id == id, ConnectionSecretRow.value == before)
    session.execute(update(ConnectionSecretRow).where(*mine).values(ends=real.add(hours=OVERLAP_HOURS)))
    session.execute(update(SecretRow).where(SecretRow.name == "intake").values(value=key))
    return key
