"""Purchases and refunds in figures: by month and offer, and what letters were followed by."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation

from whenever import Instant

from patient_courier.core.calendar import calendar
from patient_courier.core.figures.differences import Group
from patient_courier.core.school.values import Money


@dataclass(frozen=True, slots=True)
class Sale:
    """A purchase or a refund of a student (row id); ``amount`` and ``currency`` where they were reported."""

    student_id: int
    at: Instant
    offer: str
    refund: bool
    amount: Decimal | None = None
    currency: str = ""


@dataclass(slots=True)
class MonthLine:
    """One offer in one month (``2026-03``); ``sums`` by currency of the ``known`` purchases whose amount was reported."""

    month: str
    offer: str
    bought: int = 0
    refunded: int = 0
    known: int = 0
    sums: dict[str, Decimal] = field(default_factory=dict)


def amount_of(reported: object) -> tuple[Decimal | None, str]:
    """An amount as a purchase reports it: money with its currency, a number, or text; None for what is none."""
    if isinstance(reported, Money):
        return amount_of(reported.amount)[0], reported.currency
    if isinstance(reported, bool) or reported is None:
        return None, ""
    try:
        found = Decimal(str(reported).strip())
    except InvalidOperation:
        return None, ""
    return (found, "") if found.is_finite() else (None, "")


def by_month(sales: Iterable[Sale], zone: str) -> list[MonthLine]:
    """The newest month first, in each the offers by name; months are the school's."""
    found: dict[tuple[str, str], MonthLine] = {}
    for sale in sales:
        day = calendar.local_date(sale.at, zone)
        month = f"{day.year}-{day.month:02d}"
        line = found.setdefault((month, sale.offer), MonthLine(month, sale.offer))
        if sale.refund:
            line.refunded += 1
            continue
        line.bought += 1
        if sale.amount is not None:
            line.known += 1
            line.sums[sale.currency] = line.sums.get(sale.currency, Decimal(0)) + sale.amount
    offers_first = sorted(found.values(), key=lambda line: line.offer)
    return sorted(offers_first, key=lambda line: line.month, reverse=True)


@dataclass(frozen=True, slots=True)
class Followed:
    """Of those whose days are over, how many bought within them; ``open`` are the others; ``buyers`` by row id."""

    group: Group
    open: int
    buyers: tuple[int, ...]


def followed(
    posted: Mapping[int, Instant], sales: Iterable[Sale], days: int, offer: str | None, now: Instant
) -> Followed:
    """Who bought (the offer, or anything) within so many times 24 hours of their letter; ``posted`` is when each got it first."""
    over = {id: at for id, at in posted.items() if at.add(hours=24 * days) <= now}
    buyers: dict[int, None] = {}
    for sale in sales:
        at = over.get(sale.student_id)
        if at is None or sale.refund or (offer and sale.offer != offer):
            continue
        if at <= sale.at <= at.add(hours=24 * days):
            buyers[sale.student_id] = None
    return Followed(Group(len(buyers), len(over)), len(posted) - len(over), tuple(buyers))
