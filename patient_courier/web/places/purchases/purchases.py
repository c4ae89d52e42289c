"""Purchases and refunds by month and offer, and what a broadcast or sequence was followed by; as CSV too."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, HTTPException, Query, Response
from pydantic import BaseModel

from patient_courier.core.engine.definitions import Definitions
from patient_courier.core.figures.rates import SMALL
from patient_courier.core.people.purchases import MonthLine, by_month, followed
from patient_courier.core.telling import words
from patient_courier.store.broadcasts import broadcasts
from patient_courier.store.students import buying
from patient_courier.web.compared import Range, share_of
from patient_courier.web.context import Reading, Session, SignedIn, ThePost, definitions_in, now_in
from patient_courier.web.refusals import csv_file
from patient_courier.web.remembering import TheFigures

router = APIRouter(prefix="/api/purchases", tags=["purchases"])


class SumOut(BaseModel):
    """``currency`` is empty where none was reported."""

    currency: str
    amount: str


class SoldInMonth(BaseModel):
    """One offer in one month of the school's time; ``sums`` are of the ``known`` purchases whose amount was reported."""

    month: str
    words: str
    offer: str
    title: str
    bought: int
    refunded: int
    known: int
    sums: list[SumOut]


class PurchasesOut(BaseModel):
    items: list[SoldInMonth]


class FollowedOut(BaseModel):
    """``bought`` of ``of`` students whose days are over; ``open`` are those whose are not. It says what came after, not why."""

    bought: int
    of: int
    open: int
    share: Range | None
    small: bool


@router.get("")
def list_purchases(user: SignedIn, post: ThePost, session: Reading, kept: TheFigures) -> PurchasesOut:
    """By month and offer, the newest first."""
    definitions = definitions_in(post, session)
    return kept.ask(session, definitions, ("purchases",), lambda: _purchases(session, definitions))


def _purchases(session: Session, definitions: Definitions) -> PurchasesOut:
    titles = {key: offer.title for key, offer in definitions.offers.items()}
    lines = by_month(buying.sales(session), definitions.school.timezone)
    return PurchasesOut(items=[_month_out(line, titles.get(line.offer, line.offer)) for line in lines])


def _month_out(line: MonthLine, title: str) -> SoldInMonth:
    return SoldInMonth(
        month=line.month,
        words=words.month_and_year(line.month),
        offer=line.offer,
        title=title,
        bought=line.bought,
        refunded=line.refunded,
        known=line.known,
        sums=[SumOut(currency=currency, amount=f"{amount:f}") for currency, amount in line.sums.items()],
    )


@router.get(".csv", response_class=Response, responses={200: {"content": {"text/csv": {}}}})
def purchases_csv(user: SignedIn, post: ThePost, session: Reading, kept: TheFigures) -> Response:
    """The same as a table, a line for each currency."""
    lines = []
    for one in list_purchases(user, post, session, kept).items:
        for total in one.sums or [SumOut(currency="", amount="")]:
            numbers = [str(one.bought), str(one.refunded), str(one.known)]
            lines.append([one.month, one.offer, one.title, *numbers, total.amount, total.currency])
    header = ["month", "offer", "title", "purchases", "refunds", "with_amount", "amount", "currency"]
    return csv_file("purchases.csv", header, lines)


@router.get("/followed")
def followed_by(
    user: SignedIn,
    post: ThePost,
    session: Reading,
    kept: TheFigures,
    sequence: Annotated[str, Query(max_length=200)] = "",
    broadcast: Annotated[str, Query(max_length=200)] = "",
    offer: Annotated[str, Query(max_length=200)] = "",
    days: Annotated[int, Query(ge=1, le=3650)] = 14,
) -> FollowedOut:
    """How many bought within so many days of the first letter of a sequence or a broadcast."""
    _known(session, post, sequence, broadcast)
    asked = ("followed", sequence, broadcast, offer, days)
    definitions = definitions_in(post, session)
    return kept.ask(session, definitions, asked, lambda: _followed(session, sequence, broadcast, offer, days))


def _followed(session: Session, sequence: str, broadcast: str, offer: str, days: int) -> FollowedOut:
    posted = buying.first_posted(session, sequence=sequence or None, broadcast=broadcast or None)
    found = followed(posted, buying.sales(session), days, offer or None, now_in(session))
    return FollowedOut(
        bought=found.group.reached,
        of=found.group.students,
        open=found.open,
        share=share_of(found.group),
        small=found.group.students < SMALL,
    )


def _known(session: Session, post: ThePost, sequence: str, broadcast: str) -> None:
    if bool(sequence) == bool(broadcast):
        raise HTTPException(422, "Say either which sequence or which broadcast.")
    if sequence and sequence not in definitions_in(post, session).sequences:
        raise HTTPException(404, "There is no such sequence.")
    if broadcast and broadcasts.find(session, broadcast) is None:
        raise HTTPException(404, "There is no such broadcast.")
