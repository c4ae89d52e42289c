"""Purchases by month and what followed a letter, by example and by property."""

from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from patient_courier.core.people.purchases import Sale, amount_of, by_month, followed
from patient_courier.core.school.values import Money, parse_moment

NOW = parse_moment("2026-06-01T00:00:00Z")


@pytest.mark.parametrize(
    ("reported", "found"),
    [
        (Money(amount="149.00", currency="EUR"), (Decimal("149.00"), "EUR")),
        ("149.5", (Decimal("149.5"), "")),
        (149, (Decimal(149), "")),
        (True, (None, "")),
        ("a gift", (None, "")),
        ("NaN", (None, "")),
        (None, (None, "")),
    ],
)
def test_an_amount_is_read_however_it_was_reported(reported, found):
    assert amount_of(reported) == found


def test_months_are_the_schools_and_refunds_take_nothing_off_the_sums():
    late = parse_moment("2026-03-31T23:30:00Z")  # in Lisbon it is April already
    sales = [
        Sale(1, late, "hive", False, Decimal("149.00"), "EUR"),
        Sale(2, late, "hive", False, Decimal("0.10"), "EUR"),
        Sale(3, late, "hive", False),
        Sale(1, late.add(hours=24), "hive", True),
        Sale(1, late.subtract(hours=24), "hive", False),
        Sale(1, late.subtract(hours=24), "circle", False),
    ]
    april, circle, march = by_month(sales, "Europe/Lisbon")
    assert circle.offer == "circle"
    assert (april.month, april.bought, april.refunded, april.known) == ("2026-04", 3, 1, 2)
    assert april.sums == {"EUR": Decimal("149.10")} and (march.month, march.bought) == ("2026-03", 1)


days_ = st.integers(0, 60)


@given(
    st.dictionaries(st.integers(1, 9), days_),
    st.lists(st.tuples(st.integers(1, 9), days_, st.booleans())),
    st.integers(1, 30),
)
def test_only_those_whose_days_are_over_count_each_once(letters, bought, days):
    posted = {id: NOW.subtract(hours=24 * ago) for id, ago in letters.items()}
    sales = [Sale(id, NOW.subtract(hours=24 * ago), "hive", refund) for id, ago, refund in bought]
    found = followed(posted, sales, days, None, NOW)
    assert found.group.students + found.open == len(posted)
    assert len(set(found.buyers)) == found.group.reached <= found.group.students
    assert all(letters[id] >= days for id in found.buyers)
    for id, ago, refund in bought:
        in_time = id in letters and letters[id] >= days and letters[id] - days <= ago <= letters[id]
        assert id in found.buyers or refund or not in_time
    assert followed(posted, sales, days, "another", NOW).buyers == ()
