"""The figures of a trial against statsmodels and scipy; the range of every look against its own promise, by simulation."""

from __future__ import annotations

import hashlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.proportion import confint_proportions_2indep, power_proportions_2indep

from patient_courier.core.figures.differences import (
    Group,
    as_it_came,
    at_every_look,
    difference,
    students_needed,
    verdict,
)
from patient_courier.core.figures.draw import drawn, is_held_back, lot

groups = st.integers(1, 400).flatmap(lambda n: st.tuples(st.integers(0, n), st.just(n)))


# Newcombe's method 10 (R. G. Newcombe 1998, Statistics in Medicine 17) as statsmodels has it.
@given(groups, groups)
def test_the_range_of_one_look_is_that_of_newcombe(a, b):
    found = difference(Group(*a), Group(*b))
    low, high = confint_proportions_2indep(*a, *b, method="newcomb", compare="diff", alpha=0.05)
    assert found is not None and (found.low, found.high) == pytest.approx((low, high), abs=1e-9)
    assert found.low <= found.value <= found.high


# The published example of Newcombe's paper (its table II, row a; from memory): 56/70 and 48/80 give 0.0524 to 0.3339.
def test_newcombes_own_example():
    found = difference(Group(56, 70), Group(48, 80))
    assert found is not None
    assert (round(found.low, 4), round(found.high, 4)) == (0.0524, 0.3339)


@given(
    st.lists(st.tuples(st.integers(0, 90), st.booleans(), st.booleans()), max_size=300), st.integers(1, 60)
)
def test_the_line_of_a_trial_ends_at_its_answer(ended, most):
    """However its looks are spread, each is what would have been said then, and the last is what is said now."""
    ended.sort()
    looks = as_it_came([(float(day), *rest) for day, *rest in ended], most)

    def groups_of(some):
        return [
            Group(sum(r for _, b, r in some if b is side), sum(b is side for _, b, _ in some))
            for side in (False, True)
        ]

    assert len(looks) <= most
    for look in looks:
        assert look.found == at_every_look(*groups_of(ended[: look.students]))
    now = at_every_look(*groups_of(ended))
    assert (looks[-1].found if looks else None) == now and (not looks or looks[-1].students == len(ended))


@given(st.floats(0.05, 0.9), st.floats(0.05, 0.5), st.integers(5, 50))
def test_so_many_students_tell_a_difference_in_four_of_five_cases(usual, hoped, hold_back):
    if usual + hoped > 0.95:
        return
    number = students_needed(usual, hoped, hold_back)
    back = number * hold_back / 100
    written = number - back
    power = power_proportions_2indep(
        hoped, usual, written, ratio=back / written, alpha=0.05, alternative="two-sided", return_results=False
    )
    assert power == pytest.approx(0.8, abs=0.02)


@pytest.mark.parametrize(("hold_back", "usual", "students"), [(0.5, 0.3, 300), (0.2, 0.4, 600)])
def test_whoever_looks_every_day_is_misled_in_under_one_of_twenty_trials(hold_back, usual, students):
    """Ten thousand trials without a difference, looked at a hundred times each."""
    random = np.random.default_rng(20261130)
    misled, trials, a_day = 0, 10_000, students // 100
    for _ in range(trials):
        back = random.random(students) < hold_back
        reached = random.random(students) < usual
        sums = [
            np.cumsum(x)[a_day - 1 :: a_day].tolist() for x in (reached & ~back, ~back, reached & back, back)
        ]
        for written, number, without, others in zip(*sums, strict=True):
            if verdict(Group(written, number), Group(without, others)) in ("helps", "harms"):
                misled += 1
                break
    assert misled < 0.05 * trials
    # A test of one look, asked every day, misleads much oftener: so the simulation could have failed.
    assert misled > 0


def test_it_says_so_when_something_helps_does_harm_or_cannot_be_told():
    assert verdict(Group(5, 8), Group(1, 8)) == "too_early"
    assert verdict(Group(300, 500), Group(40, 120)) == "helps"
    assert verdict(Group(100, 500), Group(60, 120)) == "harms"
    assert verdict(Group(200, 500), Group(45, 120)) == "not_told"
    once, always = difference(Group(300, 500), Group(40, 120)), at_every_look(Group(300, 500), Group(40, 120))
    assert once is not None and always is not None and always.low < once.low and always.high > once.high


# FIPS 180-4, section 5 of RFC 6234: SHA-256; uniform by Kolmogorov and Smirnov, and independent from key to key.
def test_the_lot_is_even_and_draws_anew_under_another_key():
    one = np.array([float(lot("spring-26", f"student-{n}")) for n in range(100_000)])
    two = np.array([float(lot("autumn-26", f"student-{n}")) for n in range(100_000)])
    assert stats.kstest(one / 100, "uniform").pvalue > 0.001
    assert abs(stats.pearsonr(one, two).statistic) < 0.013  # four standard errors
    both = np.mean((one < 20) & (two < 20))
    assert both == pytest.approx(0.04, abs=0.0025)


def test_the_lot_is_what_its_definition_says():
    first = int.from_bytes(hashlib.sha256(b"nudges/ana").digest()[:8], "big")
    assert float(lot("nudges", "ana")) == pytest.approx(first * 100 / 2**64, rel=1e-12)
    held = [f"s{n}" for n in range(2000) if is_held_back("nudges", f"s{n}", 20)]
    assert 330 < len(held) < 470
    assert {drawn([50, 30, 20], "welcome", "w1", f"s{n}") for n in range(100)} == {0, 1, 2}


@given(st.text(min_size=1), st.integers(1, 90))
def test_the_same_student_is_always_on_the_same_side(student, share):
    assert is_held_back("t", student, share) == (drawn([share, 100 - share], "t", student) == 0)
