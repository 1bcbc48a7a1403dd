"""Intervals carried over from those of the parts, worked out by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo.core.compare.paired import Both, compare
from skarlo.core.counting import tally
from skarlo.core.counting.answers import Answers
from skarlo.core.counting.table import Sampling
from skarlo.core.metrics import calibration, ranking
from skarlo.core.metrics.calibration import _Cells, _inverted_along
from skarlo.core.stats.intervals import logit_interval, wilson, z_value
from skarlo.core.stats.mover import mover, mover_mean, p_by_inversion

UNIT = st.floats(0.01, 0.99)


def predicting(quads, positives):
    """Two candidates over two classes from (both right, only a, only b, neither) on positives and on negatives."""
    actual, a, b = [], [], []
    for yes, quad in ((1, positives), (0, quads)):
        for right, n in zip(((1, 1), (1, 0), (0, 1), (0, 0)), quad, strict=True):
            actual += [yes] * n
            a += [yes if right[0] else 1 - yes] * n
            b += [yes if right[1] else 1 - yes] * n
    y = np.array(actual)
    return Both(*(Answers.of_classes(y, np.array(x)) for x in (a, b)))


def test_largest_gap():
    """16 of 20 against 12 of 80 with a bias of 0.03."""
    low, high = mover(0.8, wilson(16, 20, 0.95), 0.15, wilson(12, 80, 0.95))
    assert (low - 0.03, high) == pytest.approx((0.3844, 0.7845), abs=5e-5)


def test_precision_of_two():
    """27 of 30 flagged against 12 of 31, 14 by both, 11 of these right."""
    y, a, b = [], [], []
    for flags, right, wrong in (((1, 1), 11, 3), ((1, 0), 16, 0), ((0, 1), 1, 16), ((0, 0), 10, 40)):
        y += [1] * right + [0] * wrong
        a += [flags[0]] * (right + wrong)
        b += [flags[1]] * (right + wrong)
    both = Both(*(Answers.of_classes(np.array(y), np.array(x)) for x in (a, b)))
    found = compare("precision", both, (27 / 30, 12 / 31), 1)
    assert (found.test, found.kind) == ("kosinski", "mover")
    assert found.difference == pytest.approx(27 / 30 - 12 / 31)
    assert found.interval(0.95) == pytest.approx((0.3289, 0.6513), abs=5e-5)


def test_precision_of_few_rows_stays_inside():
    """9 of 10 against 3 of 10, 3 by both, 2 of these right."""
    y, a, b = [], [], []
    for flags, right, wrong in (((1, 1), 2, 1), ((1, 0), 7, 0), ((0, 1), 1, 6), ((0, 0), 5, 20)):
        y += [1] * right + [0] * wrong
        a += [flags[0]] * (right + wrong)
        b += [flags[1]] * (right + wrong)
    both = Both(*(Answers.of_classes(np.array(y), np.array(x)) for x in (a, b)))
    found = compare("precision", both, (0.9, 0.3), 1)
    assert found.interval(1 - 0.05 / 6) == pytest.approx((0.1232, 0.8138), abs=5e-5)


def test_mean_of_recalls():
    both = predicting((60, 6, 9, 5), (12, 5, 1, 2))
    found = compare("balanced_accuracy", both, ((17 / 20 + 66 / 80) / 2, (13 / 20 + 69 / 80) / 2), 1)
    assert found.difference == pytest.approx(0.08125)
    assert found.interval(0.95) == pytest.approx((-0.0544, 0.2048), abs=5e-5)
    assert found.p == pytest.approx(0.2172, abs=5e-5)
    assert (found.test, found.kind) == ("null_score", "mover_paired")
    twice = compare("youden_j", both, (17 / 20 + 66 / 80 - 1, 13 / 20 + 69 / 80 - 1), 1)
    assert twice.interval(0.95) == pytest.approx(tuple(2 * x for x in found.interval(0.95)))
    assert twice.p == pytest.approx(found.p)


def test_two_independent_areas():
    def ends(z):
        return mover(0.70, logit_interval(0.70, 0.06, z), 0.85, logit_interval(0.85, 0.02, z))

    assert ends(z_value(0.95)) == pytest.approx((-0.2834, -0.0379), abs=5e-5)
    p = p_by_inversion(-0.15, ends)
    assert p == pytest.approx(0.0062, abs=5e-5)
    assert ends(z_value(1 - p))[1] == pytest.approx(0.0, abs=1e-9)


@given(UNIT, UNIT, st.floats(0, 0.3), st.floats(0, 0.3), st.floats(-1, 1))
def test_a_difference_mirrors_and_a_mean_of_two_is_half_of_it(a, b, wide, wider, rho):
    first, second = (a - wide, a + wider), (b - wider, b + wide)
    low, high = mover(a, first, b, second, rho)
    assert (low, high) == pytest.approx(tuple(-x for x in mover(b, second, a, first, rho))[::-1], abs=1e-12)
    assert low <= a - b <= high
    halved = mover_mean([a, b], [first, second], np.array([[1.0, rho], [rho, 1.0]]), [1.0, -1.0], 1)
    assert halved == pytest.approx((low, high), abs=1e-7)


def test_calibration_gap_by_inversion():
    """Bins of 40, 30, 20 and 10 rows."""
    rows, pos = np.array([40.0, 30, 20, 10]), np.array([2.0, 8, 11, 9])
    scores, variance = np.array([4, 9, 11, 8.5]), np.array([3.5, 6.2, 4.9, 1.2])
    q = (pos + scores / rows) / (rows + 1)
    cells = _Cells(rows, scores - pos, q * (1 - q) * rows, variance, 100.0,
                   np.concatenate((pos, rows - pos)).astype(np.int64), 4)  # fmt: skip
    ends = [_inverted_along(cells, d, cells.noise(Sampling()), 0.035, 0.05) for d in cells.directions()]
    assert min(low for low, _ in ends) == 0.0
    assert max(high for _, high in ends) == pytest.approx(0.054435, abs=5e-7)


@pytest.mark.parametrize("how", ["plain", "groups of one", "one weight", "one bin"])
def test_the_inverted_gap_is_found_as_by_looking_at_every_draw(how):
    """Draws that cannot matter any more are left out; nothing else changes. Of one bin no t is large enough."""
    rng = np.random.default_rng(2)
    score = rng.random(400)
    y = (rng.random(400) < 0.8 * score).astype(np.int64)
    about = {"plain": {}, "groups of one": {"group": np.arange(400)}, "one weight": {"weight": np.full(400, 2.0)}}
    if how == "one bin":
        score, y, about[how] = np.full(40, 0.41), np.repeat([0, 1], [24, 16]), {}
    a = Answers.of_scores(y, score, **about[how])
    sampling = Sampling(draws=500)
    m = calibration.ece(a, a.tally, 10, sampling)
    c = _Cells.of(a, a.tally, calibration.sums_in(a.tally, calibration.width_edges(a.tally.score, 10)))
    x, n = c.noise(sampling), c.weight.sum()
    found = []
    for d in c.directions():
        step = np.abs(d) / c.weight
        tau = math.sqrt(max(0.0, (c.weight * step**2).sum() / n - ((c.weight * step).sum() / n) ** 2) / c.effective)

        def drawn(t, d=d, tau=tau):
            v = np.sqrt((1 - t) * c.calibrated + t * c.seen if t < 1 else c.seen)
            noise = x[:, 1:] * v if c.root is None else x[:, 1:] @ c.root.T
            return np.abs(t * d + noise).sum(axis=1) / n + t * tau * x[:, 0]

        ends = []
        for large in (True, False):
            near, far = 0.0, 6.0 * max(1.0, m["value"] * n / np.abs(d).sum())
            for _ in range(60):
                middle = (near + far) / 2
                e = drawn(middle)
                many = ((e >= m["value"]) if large else (e <= m["value"])).sum() > 0.025 * 500 + 1e-9
                near, far = (near, middle) if many == large else (middle, far)
            ends.append(near * np.abs(d).sum() / n)
        found.append(ends)
    assert m["low"] == pytest.approx(min(low for low, _ in found), abs=1e-12)
    assert m["high"] == pytest.approx(max(high for _, high in found), abs=1e-12)
    assert m["low"] <= m["value"] <= m["high"]


def test_the_largest_gap_of_a_tally():
    """Scores in three steps; the best cutoff is the highest of those alike."""
    score = np.repeat([0.9, 0.6, 0.2], [30, 20, 50])
    y = np.concatenate((np.repeat([1, 0], [24, 6]), np.repeat([1, 0], [4, 16]), np.repeat([1, 0], [2, 48])))
    a = Answers.of_scores(y.astype(np.int64), score)
    m = ranking.ks(a, Sampling(), {"positive": "", "negative": ""})
    assert m["value"] == pytest.approx(24 / 30 - 6 / 70)
    low, high = mover(24 / 30, wilson(24, 30, 0.95), 6 / 70, wilson(6, 70, 0.95))
    assert (m["low"], m["high"]) == pytest.approx((low - max(0.0, m["bias"]), high))
    assert m["interval"] == "mover_shifted"
    none = tally.make(np.array([0.1, 0.2, 0.3, 0.4]), np.array([True, True, False, False]))
    assert ranking._at_largest_gap(none) == (0.0, 0.0)
