"""The curve of how long students take, against lifelines (whose band is Greenwood's on the scale of log(-log))."""

import math
import random

import pytest
from lifelines import KaplanMeierFitter

from patient_courier.core.figures.survival import Watched, at, curve, half


def some(seed: int, number: int, most: int) -> list[Watched]:
    """Whole days, so that many fall together; some still watched when it ends."""
    lot = random.Random(seed)
    return [Watched(float(lot.randint(0, most)), lot.random() < 0.6) for _ in range(number)]


@pytest.mark.parametrize(
    ("seed", "number", "most"), [(1, 3, 4), (2, 40, 12), (3, 400, 180), (4, 60, 400), (5, 25, 1)]
)
def test_the_curve_and_its_band_are_those_of_lifelines(seed, number, most):
    people = some(seed, number, most)
    fitter = KaplanMeierFitter().fit([one.days for one in people], [one.happened for one in people])
    steps = curve(people)
    assert steps
    band = fitter.confidence_interval_
    for step in steps:
        left = fitter.predict(step.day)
        assert step.share == pytest.approx(1 - left, abs=1e-12)
        if 0 < left < 1:
            low, high = 1 - band.loc[step.day].max(), 1 - band.loc[step.day].min()
            assert (step.low, step.high) == (pytest.approx(low, abs=1e-9), pytest.approx(high, abs=1e-9))
        assert step.watched == fitter.event_table.loc[step.day, "at_risk"]
    middle = fitter.median_survival_time_
    assert half(steps) == (None if math.isinf(middle) else middle)


def test_a_small_course_by_hand():
    # Of four, one finishes on day 2; one leaves on day 3; one finishes on day 5 of the two who are left.
    steps = curve([Watched(2, True), Watched(3, False), Watched(5, True), Watched(9, False)])
    assert [(step.day, step.share, step.watched) for step in steps] == [(2, 0.25, 4), (5, 0.625, 2)]
    assert (at(steps, 1), at(steps, 4).share, half(steps)) == (None, 0.25, 5)
    assert curve([]) == [] and half([]) is None
