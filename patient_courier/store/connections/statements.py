"""Which xAPI statements a connection has had, so that another one under a known id is told apart from a repeat."""

from __future__ import annotations

from collections.abc import Collection, Mapping

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from patient_courier.store.base.tables import StatementRow


def digests(session: Session, connection: int, ids: Collection[str]) -> dict[str, str]:
    """The digests of those among the statements that are known."""
    query = select(StatementRow.id, StatementRow.digest).where(
        StatementRow.connection_id == connection, StatementRow.id.in_(ids)
    )
    return {id: digest for id, digest in session.execute(query)}


def put(session: Session, connection: int, found: Mapping[str, str]) -> None:
    rows = [{"connection_id": connection, "id": id, "digest": digest} for id, digest in found.items()]
    if rows:
        session.connection().execute(insert(StatementRow).on_conflict_do_nothing(), rows)
