"""Paired tests and intervals against their definitions and published values."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

import brute
from skarlo.core.compare import paired
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics import agreement, influence, ranking
from skarlo.core.stats import tests

CELLS = st.integers(0, 12)
COUNTED = ("f1", "mcc", "kappa", "balanced_accuracy", "youden_j", "recall", "precision", "npv", "accuracy")


def answers(score, y, weight=None, group=None):
    return Answers.of_scores(y.astype(np.int64), score, 0.5, weight=weight, group=group)


@given(st.integers(0, 40), st.integers(0, 40))
def test_mcnemar_midp_by_summing(b, c):
    n, k = b + c, min(b, c)
    mass = [math.comb(n, i) / 2**n for i in range(n + 1)]
    expected = min(1.0, 2 * (sum(mass[: k + 1]) - mass[k] / 2)) if n else 1.0
    assert tests.mcnemar_midp(b, c) == pytest.approx(expected, abs=1e-12)


@given(CELLS, CELLS, CELLS, CELLS)
def test_paired_interval_mirrors(a, b, c, d):
    assume(a + b + c + d > 0)
    low, high = tests.paired_interval(a, b, c, d, 0.95)
    back = tests.paired_interval(a, c, b, d, 0.95)
    assert (low, high) == pytest.approx((-back[1], -back[0]), abs=1e-12)
    assert low <= (b - c) / (a + b + c + d) <= high


def test_holm_is_monotone_and_bounded():
    adjusted = tests.holm([0.001, 0.2, 0.02, None, 0.5])
    assert adjusted == [0.004, 0.4, pytest.approx(0.06), None, 0.5]


@settings(max_examples=40)
@given(st.lists(st.integers(1, 15), min_size=8, max_size=8), st.sampled_from(COUNTED))
def test_influence_of_a_matrix_is_its_derivative(cells, name):
    m = np.array(cells[:4], dtype=float).reshape(2, 2)
    psi = influence.of_cells(name, m, 1)

    def value(q):
        tn, fp, fn, tp = q.reshape(-1)
        return {
            "f1": 2 * tp / (2 * tp + fp + fn),
            "mcc": float(agreement.mcc(q)),
            "kappa": float(agreement.kappa(q)),
            "balanced_accuracy": (tp / (tp + fn) + tn / (tn + fp)) / 2,
            "youden_j": tp / (tp + fn) + tn / (tn + fp) - 1,
            "recall": tp / (tp + fn),
            "precision": tp / (tp + fp),
            "npv": tn / (tn + fn),
            "accuracy": tp + tn,
        }[name]

    q = m / m.sum()
    assert psi is not None
    assert float((q * psi).sum()) == pytest.approx(0, abs=1e-9)
    step = 1e-6
    for i in range(2):
        for j in range(2):
            moved = (1 - step) * q
            moved[i, j] += step
            assert (value(moved) - value(q)) / step == pytest.approx(psi[i, j], abs=1e-3)


@settings(max_examples=30)
@given(st.integers(0, 10_000))
def test_paired_areas_by_covariance_of_placements(seed):
    rng = np.random.default_rng(seed)
    y = rng.random(60) < 0.4
    assume(2 <= y.sum() <= 58)
    first = np.round(rng.random(60) + 0.3 * y, 1)
    second = np.round(0.5 * first + rng.random(60), 1)
    a, b = answers(first, y), answers(second, y)
    found = paired.areas(a, b, ranking.roc_area(a.tally) - ranking.roc_area(b.tally))
    assert found.difference == pytest.approx(brute.area(y, first) - brute.area(y, second), abs=1e-12)

    def placements(score):
        pos, neg = score[y], score[~y]
        compared = (pos[:, None] > neg[None, :]) + 0.5 * (pos[:, None] == neg[None, :])
        return compared.mean(axis=1), compared.mean(axis=0)

    (p1, n1), (p2, n2) = placements(first), placements(second)
    variance = np.var(p1 - p2, ddof=1) / y.sum() + np.var(n1 - n2, ddof=1) / (~y).sum()
    low, high = found.interval(0.95)
    assert (high - low) / 2 == pytest.approx(1.959963984540054 * math.sqrt(variance), rel=1e-9, abs=1e-12)


def test_the_same_answers_are_no_difference():
    rng = np.random.default_rng(1)
    y = rng.random(50) < 0.5
    s = rng.random(50)
    one = answers(s, y)
    for name in ("roc_auc", "average_precision", "brier", "accuracy", "recall", "f1"):
        found = paired.compare(name, one, one, (0.7, 0.7), 1)
        assert found.difference == 0
        assert found.p == 1.0


def test_losses_by_rows():
    rng = np.random.default_rng(5)
    y = rng.random(80) < 0.5
    first, second = rng.random(80), rng.random(80)
    a, b = answers(first, y), answers(second, y)
    gap = (first - y) ** 2 - (second - y) ** 2
    found = paired.losses("brier", a, b)
    assert found.difference == pytest.approx(gap.mean(), abs=1e-14)
    low, high = found.interval(0.95)
    assert (high - low) / 2 == pytest.approx(1.959963984540054 * gap.std(ddof=1) / math.sqrt(80), rel=1e-9)


def test_predictive_values_when_the_tests_share_no_row():
    """Without shared rows the generalised score is the pooled two-sample score test."""
    found = tests.predictive_value(30, 50, 20, 50, 0, 0)
    pooled = 50 / 100
    z = (0.6 - 0.4) / math.sqrt(pooled * (1 - pooled) * (1 / 50 + 1 / 50))
    assert found.p == pytest.approx(math.erfc(z / math.sqrt(2)), rel=1e-12)


@pytest.mark.parametrize("name", ["roc_auc", "average_precision", "brier", "f1", "recall", "precision"])
def test_groups_of_one_row_and_equal_weights_change_nothing_much(name):
    """Singletons as groups, or one weight for all rows, leave the variance of a difference as it is."""
    rng = np.random.default_rng(2)
    y = rng.random(300) < 0.4
    first, second = np.clip(rng.random(300) + 0.2 * y, 0, 1), rng.random(300)
    found = {}
    designs = {"plain": (None, None), "weighted": (np.full(300, 2.5), None), "clustered": (None, np.arange(300))}
    for kind, (weight, group) in designs.items():
        a, b = answers(first, y, weight, group), answers(second, y, weight, group)
        if name in ("f1", "recall", "precision"):
            compared = paired._by_rows(name, a, b, 0.1, 1, "delta")
        else:
            compared = paired.compare(name, a, b, (0.1, 0.0), 1)
        low, high = compared.interval(0.95)
        found[kind] = high - low
    assert found["weighted"] == pytest.approx(found["plain"], rel=4e-3)
    assert found["clustered"] == pytest.approx(found["plain"], rel=4e-3)


def test_doubling_every_row_in_groups_adds_no_information():
    rng = np.random.default_rng(4)
    y = rng.random(200) < 0.4
    first, second = np.clip(rng.random(200) + 0.2 * y, 0, 1), rng.random(200)
    one = paired.compare("roc_auc", answers(first, y), answers(second, y), (0.6, 0.5), 1)
    twice = [np.concatenate((x, x)) for x in (first, second, y)]
    group = np.concatenate((np.arange(200), np.arange(200)))
    doubled = paired.compare(
        "roc_auc", answers(twice[0], twice[2], None, group), answers(twice[1], twice[2], None, group), (0.6, 0.5), 1
    )
    width = [high - low for low, high in (one.interval(0.95), doubled.interval(0.95))]
    assert width[1] == pytest.approx(width[0], rel=1e-2)
    assert doubled.test == "delong_paired_clustered"
