"""The half year that the demo school tells of."""

from itertools import pairwise

from patient_courier.core.people.purchases import Sale, amount_of, by_month
from patient_courier.core.school.events import Purchased, QuizTaken
from patient_courier.demo.history import demo_school


def test_half_a_year_of_purchases_each_at_its_price_and_some_who_come_back_to_a_quiz():
    file = demo_school()
    bought = [event for event in file.events if isinstance(event, Purchased)]
    sales = [Sale(0, event.at, event.offer, False, *amount_of(event.amount)) for event in bought]
    lines = by_month(sales, "Europe/Lisbon")
    assert sorted({line.month for line in lines}) == [
        "2025-09", "2025-10", "2025-11", "2025-12", "2026-01", "2026-02", "2026-03",
    ]  # fmt: skip
    assert all(line.known == line.bought for line in lines)
    prices = {offer.key: offer.price for offer in file.offers}
    assert all(event.amount == prices[event.offer] for event in bought)
    tries: dict[tuple[str, str], list[QuizTaken]] = {}
    for event in file.events:
        if isinstance(event, QuizTaken):
            tries.setdefault((event.student, event.quiz), []).append(event)
    later = [b for found in tries.values() for a, b in pairwise(found) if b.at > a.at.add(hours=24)]
    assert len(later) > 5
