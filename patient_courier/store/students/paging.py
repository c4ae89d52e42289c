"""Students page by page, behind one another as they came, so that nobody is passed over or told twice."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from patient_courier.store.base.tables import StudentRow


def ids_after(session: Session, after: int, most: int, email: str | None = None) -> list[int]:
    """Row ids behind one, in the order in which students came; ``email``: only of the one with this address."""
    query = select(StudentRow.id).where(StudentRow.id > after)
    if email is not None:
        query = query.where(func.lower(StudentRow.email) == email.lower())
    return list(session.scalars(query.order_by(StudentRow.id).limit(most)))
