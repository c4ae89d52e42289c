"""Tags: how many have them, who got one and bought something afterwards, and changing one everywhere."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session
from whenever import Instant

from patient_courier.store.base.definitions import touch
from patient_courier.store.base.plain import TAGS
from patient_courier.store.base.tables import (
    AudienceRow,
    BroadcastRow,
    EventRow,
    LetterVersionRow,
    OfferRow,
    PurchaseRow,
    SequenceVersionRow,
    StudentRow,
    TagRow,
)
from patient_courier.store.students.people import Person, person_of


def students_by_tag(session: Session) -> dict[str, int]:
    rows = session.execute(select(TagRow.tag, func.count()).group_by(TagRow.tag))
    return dict(rows.all())


def given_by_event(session: Session) -> dict[str, int]:
    """How often each tag was put on by something that happened."""
    tag = func.json_extract(EventRow.__table__.c["names"], "$.tag")
    rows = session.execute(select(tag, func.count()).where(EventRow.type == "tag_added").group_by(tag))
    return {str(name): number for name, number in rows}


def got_and_bought(
    session: Session, tag: str, since: Instant, offer: str | None, days: int
) -> tuple[int, list[tuple[Person, Instant]]]:
    """How many got a tag since a moment, and those of them who bought within so many times 24 hours of it."""
    e, p = EventRow.__table__.c, PurchaseRow.__table__.c
    first = (
        select(e.student_id, func.min(e.at, type_=EventRow.at.type).label("at"))
        .where(e.type == "tag_added", e.at >= since, func.json_extract(e["names"], "$.tag") == tag)
        .group_by(e.student_id)
        .subquery()
    )
    number = session.scalar(select(func.count()).select_from(first)) or 0
    query = (
        select(StudentRow, first.c.at, PurchaseRow.at)
        .join(first, first.c.student_id == StudentRow.id)
        .join(PurchaseRow, PurchaseRow.student_id == StudentRow.id)
        .where(p.at >= first.c.at, p.refunded.is_(None))
        .order_by(PurchaseRow.at)
    )
    if offer:
        query = query.where(p.offer == offer)
    found: dict[int, tuple[Person, Instant]] = {}
    for row, got, bought in session.execute(query):
        if bought <= got.add(hours=24 * days):
            found.setdefault(row.id, (person_of(row), bought))
    return number, list(found.values())


def rename(session: Session, old: str, new: str) -> None:
    """Call a tag something else everywhere: on students, in what gives it, in what asks for it, in what happened."""
    have = select(TAGS.c.student_id).where(TAGS.c.tag == new)
    session.execute(delete(TagRow).where(TagRow.tag == old, TagRow.student_id.in_(have)))
    session.execute(update(TagRow).where(TagRow.tag == old).values(tag=new))
    rewrite(session, lambda tag: new if tag == old else tag)
    tag = func.json_extract(EventRow.__table__.c["names"], "$.tag")
    for row in session.scalars(
        select(EventRow).where(EventRow.type.in_(("tag_added", "tag_removed")), tag == old)
    ):
        row.names = {**row.names, "tag": new}


def take_off(session: Session, ids: list[int], tag: str) -> None:
    session.execute(delete(TagRow).where(TagRow.tag == tag, TagRow.student_id.in_(ids)))


def holders(session: Session, tag: str) -> list[int]:
    return list(
        session.scalars(select(TagRow.student_id).where(TagRow.tag == tag).order_by(TagRow.student_id))
    )


_Defined = OfferRow | LetterVersionRow | SequenceVersionRow | BroadcastRow


def rewrite(session: Session, change: Callable[[str], str | None]) -> None:
    """Change the tags in every definition, older versions too; None takes one out of what gives it."""
    _rewrite_bodies(session.scalars(select(OfferRow)), change)
    _rewrite_bodies(session.scalars(select(LetterVersionRow)), change)
    _rewrite_bodies(session.scalars(select(SequenceVersionRow)), change)
    _rewrite_bodies(session.scalars(select(BroadcastRow)), change)
    for audience in session.scalars(select(AudienceRow)):
        now = _rewritten(audience.condition, change)
        if now != audience.condition:
            audience.condition = now
    touch(session)


def _rewrite_bodies(rows: Iterable[_Defined], change: Callable[[str], str | None]) -> None:
    for row in rows:
        now = _rewritten(row.body, change)
        if now != row.body:
            row.body = now


_LISTS = ("add", "remove", "tags", "add_tags", "remove_tags")


def _rewritten(value: Any, change: Callable[[str], str | None]) -> Any:
    """A definition with its tags changed, wherever they stand."""
    if isinstance(value, list):
        return [_rewritten(one, change) for one in value]
    if not isinstance(value, dict):
        return value
    found: dict[str, Any] = {}
    for name, one in value.items():
        if name in _LISTS and isinstance(one, list) and all(isinstance(tag, str) for tag in one):
            kept = [changed for tag in one if (changed := change(tag)) is not None]
            found[name] = list(dict.fromkeys(kept))
        elif name == "tag" and isinstance(one, str):
            found[name] = change(one) or one
        else:
            found[name] = _rewritten(one, change)
    return found
