"""Letters of the outbox while the school comes back from a copy: those that may have gone out already."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy import bindparam, or_, select, text, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.upkeep.coming_back import Doubtful
from patient_courier.store.base.plain import DELIVERIES
from patient_courier.store.base.tables import (
    WAITING_WORDS,
    BroadcastRow,
    DeliveryRow,
    ProvedRow,
    RunRow,
    StudentRow,
)

_WAITING = text(f"deliveries.{WAITING_WORDS}")
TAKEN, PROVED = "taken_as_posted", "proved_posted"


def doubtful(session: Session, began: Instant) -> list[Doubtful]:
    """Every letter that would go out now, the oldest first."""
    # By its columns: a broadcast to a hundred thousand has as many letters here, and what they say is not looked at.
    letter, who = DeliveryRow, StudentRow
    query = (
        select(letter.id, letter.broadcast, letter.sequence, letter.letter, letter.at)
        .add_columns(who.key, who.first_name, who.last_name, who.email, RunRow.event_at, BroadcastRow.started)
        .join(who, who.id == letter.student_id)
        .outerjoin(RunRow, RunRow.number == letter.run)
        .outerjoin(BroadcastRow, BroadcastRow.key == letter.broadcast)
        .where(_WAITING, letter.status.in_(("queued", "posting")))
        .order_by(letter.at, letter.id)
    )
    return [
        Doubtful(
            id=row.id,
            source=f"broadcast:{row.broadcast}" if row.broadcast else f"sequence:{row.sequence}",
            letter=row.letter,
            at=row.at,
            student=row.key,
            name=" ".join(x for x in (row.first_name, row.last_name) if x) or row.email,
            # By what set it going, not by when it is due: what a shop sends once more is old news.
            fresh=(row.event_at or row.started or row.at) > began,
        )
        for row in session.execute(query)
    ]


def keep_proved(session: Session, prints: Collection[str]) -> None:
    """Remember these, also for letters that fall due later: a run that waits again may come to the same letter."""
    if prints:
        rows = [{"print": one} for one in sorted(prints)]
        session.execute(insert(ProvedRow).on_conflict_do_nothing(), rows)


def proved_of(session: Session, prints: Collection[str]) -> set[str]:
    """Those of these prints that are proved."""
    return set(session.scalars(select(ProvedRow.print).where(ProvedRow.print.in_(prints))))


def take_as_posted(session: Session, ids: Collection[int], reason: str) -> None:
    """They have gone out in the time that is lost; nothing is posted, and nobody outside is told of it now."""
    # One statement run for each: a list of all of them can be longer than SQLite's most parameters.
    gone = {"status": "sent", "reason": reason, "retry": None, "claimed": None, "begun": False}
    statement = (
        update(DELIVERIES)
        .where(DELIVERIES.c.id == bindparam("one"))
        .where(
            or_(DELIVERIES.c.status == "queued", DELIVERIES.c.status == "posting")
        )  # IN can't be run for many
        .values(**gone, posted=DELIVERIES.c.at)
    )
    if ids:
        session.connection().execute(statement, [{"one": id} for id in ids])
