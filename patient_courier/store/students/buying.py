"""Purchases and refunds as they were reported, and who got a letter first when."""

from __future__ import annotations

from sqlalchemy import func, select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.people.purchases import Sale, amount_of
from patient_courier.store.base.plain import DELIVERIES, EVENTS
from patient_courier.store.base.tables import POSTED


def sales(session: Session) -> list[Sale]:
    """Every purchase and refund, in the order they were taken in."""
    asked = (
        select(EVENTS.c.student_id, EVENTS.c.at, EVENTS.c.type, EVENTS.c["names"])
        .where(EVENTS.c.type.in_(("purchased", "refunded")))
        .order_by(EVENTS.c.number)
    )
    return [
        Sale(id, at, str(names["offer"]), type == "refunded", *amount_of(names.get("amount")))
        for id, at, type, names in session.execute(asked)
    ]


def first_posted(
    session: Session, *, sequence: str | None = None, broadcast: str | None = None
) -> dict[int, Instant]:
    """When each student (row id) got their first letter of a sequence or a broadcast."""
    of = DELIVERIES.c.broadcast == broadcast if broadcast else DELIVERIES.c.sequence == sequence
    asked = (
        select(DELIVERIES.c.student_id, func.min(DELIVERIES.c.at, type_=DELIVERIES.c.at.type))
        .where(of, DELIVERIES.c.status.in_(POSTED), DELIVERIES.c.recipients.is_(None))
        .group_by(DELIVERIES.c.student_id)
    )
    return dict(session.execute(asked).all())
