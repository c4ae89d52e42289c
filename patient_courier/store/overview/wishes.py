"""What each who signs in wants to hear of the school, and how far they have."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.core.overview.notices import HowSoon, Wishes
from patient_courier.core.school.values import moment_text, parse_moment
from patient_courier.store.base.tables import UserRow, WishesRow


@dataclass(frozen=True, slots=True)
class Heard:
    """Up to which event somebody has heard of what comes so soon, and when that was (school time)."""

    event: int
    at: Instant


@dataclass(frozen=True, slots=True)
class Kept:
    """Somebody's wishes, and how far they have heard, by how soon and for the weekly ``letter``."""

    user: int
    email: str
    name: str
    role: str
    wishes: Wishes
    heard: dict[str, Heard]


def every(session: Session) -> list[Kept]:
    """Of everybody who signs in; without wishes the owner gets the weekly letter, and nobody anything else."""
    asked = (
        select(UserRow, WishesRow)
        .outerjoin(WishesRow, WishesRow.user_id == UserRow.id)
        .order_by(UserRow.role != "owner", UserRow.id)
    )
    return [_kept(user, row) for user, row in session.execute(asked)]


def find(session: Session, user: int) -> Kept | None:
    return next((one for one in every(session) if one.user == user), None)


def _kept(user: UserRow, row: WishesRow | None) -> Kept:
    wishes = Wishes.model_validate(row.body) if row else Wishes(letter=user.role == "owner")
    heard: dict[str, Any] = row.heard if row else {}
    return Kept(
        user.id,
        user.email,
        user.name,
        user.role,
        wishes,
        {name: Heard(int(one["event"]), parse_moment(one["at"])) for name, one in heard.items()},
    )


def keep(session: Session, user: int, wishes: Wishes) -> None:
    """Other wishes. What was heard stays heard of what was wished before too; the rest is told from now on."""
    row = session.get(WishesRow, user)
    body = wishes.model_dump(mode="json")
    if row is None:
        session.add(WishesRow(user_id=user, body=body, heard={}))
    else:
        row.body = body
        row.heard = {how: heard for how, heard in row.heard.items() if how in wishes.hows()}
    session.flush()


def note_heard(session: Session, one: Kept, how: HowSoon | str, heard: Heard) -> None:
    """They have heard of what comes so soon up to here."""
    row = session.get(WishesRow, one.user)
    if row is None:
        row = WishesRow(user_id=one.user, body=one.wishes.model_dump(mode="json"), heard={})
        session.add(row)
    row.heard = {**row.heard, how: {"event": heard.event, "at": moment_text(heard.at)}}
    session.flush()
