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
from skarlo.core.counting.joint import Joint
from skarlo.core.metrics import agreement, classes, influence, ranking, spread
from skarlo.core.stats import tests
from skarlo.core.stats.mover import mover

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
    found = paired.areas(paired.Both(a, b), ranking.roc_area(a.tally) - ranking.roc_area(b.tally))
    assert found.difference == pytest.approx(brute.area(y, first) - brute.area(y, second), abs=1e-12)

    def placements(score):
        pos, neg = score[y], score[~y]
        compared = (pos[:, None] > neg[None, :]) + 0.5 * (pos[:, None] == neg[None, :])
        return compared.mean(axis=1), compared.mean(axis=0)

    (p1, n1), (p2, n2) = placements(first), placements(second)
    variance = np.var(p1 - p2, ddof=1) / y.sum() + np.var(n1 - n2, ddof=1) / (~y).sum()
    if variance > 1e-20:
        assert found.p == pytest.approx(math.erfc(abs(found.difference) / math.sqrt(2 * variance)), rel=1e-9)
    both = [np.var(p, ddof=1) / y.sum() + np.var(n, ddof=1) / (~y).sum() for p, n in ((p1, n1), (p2, n2))]
    cov = np.cov(p1, p2)[0, 1] / y.sum() + np.cov(n1, n2)[0, 1] / (~y).sum()
    own = [ranking.roc_auc_estimate(x, x.tally) for x in (a, b)]
    rho = cov / math.sqrt(both[0] * both[1]) if min(both) > 0 else 0.0
    ends = [e.ends(1.959963984540054) for e in own]
    wanted = mover(own[0].value, ends[0], own[1].value, ends[1], rho)
    assert found.interval(0.95) == pytest.approx(wanted, rel=1e-6, abs=1e-9)
    assert found.kind == "mover"


def test_the_same_answers_are_no_difference():
    rng = np.random.default_rng(1)
    y = rng.random(50) < 0.5
    s = rng.random(50)
    one = answers(s, y)
    for name in ("roc_auc", "average_precision", "brier", "accuracy", "recall", "f1"):
        found = paired.compare(name, paired.Both(one, one), (0.7, 0.7), 1)
        assert found.difference == 0
        assert found.p == 1.0


def joint_rows(seed, k=3, none=False, n=80):
    """Rows of (actual, a, b) over k classes; with `none` some have no answer, which counts as wrong."""
    rng = np.random.default_rng(seed)
    y = rng.integers(0, k, n)
    said = [np.where(rng.random(n) < share, y, rng.integers(0, k, n)) for share in (0.6, 0.5)]
    if none:
        for x in said:
            x[rng.random(n) < 0.1] = -1
    return y, [Answers.of_classes(y.astype(np.int64), x.astype(np.int64), k, none_counts=none) for x in said]


@pytest.mark.parametrize(("name", "k", "none"), [
    ("mcc", 3, False), ("kappa", 3, True), ("f1", 2, False), ("mcc", 2, True), ("macro precision", 3, False),
    ("weighted f1", 3, True), ("macro recall", 4, False),
])  # fmt: skip
def test_two_rows_spread_over_the_joint_cells(name, k, none):
    """As it is said: every cell of (actual, a, b) is made, gets its part of two rows, and is one more row."""
    y, (a, b) = joint_rows(k, k, none)
    width = k + none
    cells = np.zeros((k, width, width))
    for i, first, second in zip(y, a.predicted, b.predicted, strict=True):
        cells[i, first, second] += 1  # -1 is the last
    kind, _, rate = name.partition(" ")
    present = np.bincount(y, minlength=k) > 0
    of = spread.of_average(rate, kind == "weighted", present) if rate else spread.of_metric(name, 1)
    plain = [of.value(cells.sum(axis=2)), of.value(cells.sum(axis=1))]
    more = cells + 2 / cells.size
    first, second = more.sum(axis=2), more.sum(axis=1)
    gap = of.value(first) - of.value(second)
    delta = of.influence(first)[:, :, None] - of.influence(second)[:, None, :]
    q = more / more.sum()
    variance = (q * (delta - (q * delta).sum()) ** 2).sum() / (len(y) + 2)
    found = spread.pair(of, a, b, Joint.of(a, b), plain[0] - plain[1])
    half = 1.959963984540054 * math.sqrt(variance)
    wanted = min(plain[0] - plain[1], gap - half), max(plain[0] - plain[1], gap + half)
    assert found.interval(0.95) == pytest.approx(wanted, rel=1e-9)
    assert found.p == pytest.approx(math.erfc(abs(gap) / math.sqrt(2 * variance)), rel=1e-9)


@pytest.mark.parametrize("seed", range(3))
def test_the_influence_of_an_average_is_its_derivative(seed):
    cells = np.random.default_rng(seed).integers(1, 20, (3, 4)).astype(float)
    for name in ("precision", "recall", "f1"):
        for weighted in (False, True):
            of = spread.of_average(name, weighted, np.ones(3, dtype=bool))
            psi, n, step = of.influence(cells), cells.sum(), 1e-6
            assert (cells * psi).sum() == pytest.approx(0, abs=1e-9)
            for i in range(3):
                for j in range(4):
                    moved = (1 - step) * cells
                    moved[i, j] += step * n
                    assert (of.value(moved) - of.value(cells)) / step == pytest.approx(psi[i, j], abs=1e-3)


@pytest.mark.parametrize("seed", range(4))
def test_the_mean_of_areas_by_placements(seed):
    """Three classes; the interval of the mean and of the difference of two means, written out over the rows."""
    rng = np.random.default_rng(seed)
    n, k, z = 90, 3, 1.959963984540054
    y = rng.permutation(np.repeat(np.arange(k), n // k)).astype(np.int64)
    sides, values, ends, u = [], [], [], []
    for sharp in (1.2, 0.6):
        p = np.exp(rng.normal(size=(n, k)) + sharp * np.eye(k)[y])
        sides.append(Answers.of_probabilities(y, p / p.sum(axis=1, keepdims=True)))
        for c in range(k):
            score, inside = sides[-1].probabilities[:, c], y == c
            area = brute.area(inside.tolist(), score.tolist())
            order = (score[:, None] > score[None, :]) + 0.5 * (score[:, None] == score[None, :])
            placed = np.where(inside, order[:, ~inside].mean(axis=1), 1 - order[:, inside].mean(axis=1))
            u.append((placed - area) / np.where(inside, inside.sum(), (~inside).sum()))
            values.append(area)
            own = Answers.of_scores(inside.astype(np.int64), score)
            ends.append(ranking.roc_auc_estimate(own, own.tally).ends(z))
    u = np.array(u)
    rho = u @ u.T / np.sqrt(np.outer((u**2).sum(axis=1), (u**2).sum(axis=1)))
    values, (low, high) = np.array(values), np.array(ends).T
    one = classes.macro_area(sides[0])
    down, up = (values - low)[:k], (high - values)[:k]
    assert one.value == pytest.approx(values[:k].mean())
    wanted = [one.value - math.sqrt(down @ rho[:k, :k] @ down) / k, one.value + math.sqrt(up @ rho[:k, :k] @ up) / k]
    assert one.ends(z) == pytest.approx(wanted, abs=1e-9)
    found = classes.macro_area_difference(*sides)
    sign = np.repeat([1.0, -1.0], k)
    turned = rho * np.outer(sign, sign)
    t = [np.where(sign > 0, values - low, high - values), np.where(sign > 0, high - values, values - low)]
    wanted = [found.difference - math.sqrt(t[0] @ turned @ t[0]) / k,
              found.difference + math.sqrt(t[1] @ turned @ t[1]) / k]  # fmt: skip
    assert found.interval(0.95) == pytest.approx(wanted, abs=1e-9)
    between = u[:k].mean(axis=0) - u[k:].mean(axis=0)
    variance = sum(30 / 29 * (between[y == c] ** 2).sum() for c in range(k))
    assert found.p == pytest.approx(math.erfc(abs(found.difference) / math.sqrt(2 * variance)), rel=1e-6)
    assert (found.test, found.kind) == ("influence", "mover_classes")


def test_losses_by_rows():
    rng = np.random.default_rng(5)
    y = rng.random(80) < 0.5
    first, second = rng.random(80), rng.random(80)
    a, b = answers(first, y), answers(second, y)
    gap = (first - y) ** 2 - (second - y) ** 2
    found = paired.losses("brier", paired.Both(a, b))
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
        both = paired.Both(a, b)
        if name == "recall":
            compared = paired._rate_by_influence(name, both, 0.1, 1)
        else:
            compared = paired.compare(name, both, (0.1, 0.0), 1)
        low, high = compared.interval(0.95)
        found[kind] = high - low
    assert found["weighted"] == pytest.approx(found["plain"], rel=8e-3)
    assert found["clustered"] == pytest.approx(found["plain"], rel=8e-3)


def test_doubling_every_row_in_groups_adds_no_information():
    rng = np.random.default_rng(4)
    y = rng.random(200) < 0.4
    first, second = np.clip(rng.random(200) + 0.2 * y, 0, 1), rng.random(200)
    one = paired.compare("roc_auc", paired.Both(answers(first, y), answers(second, y)), (0.6, 0.5), 1)
    twice = [np.concatenate((x, x)) for x in (first, second, y)]
    group = np.concatenate((np.arange(200), np.arange(200)))
    both = paired.Both(*(answers(x, twice[2], None, group) for x in twice[:2]))
    doubled = paired.compare("roc_auc", both, (0.6, 0.5), 1)
    width = [high - low for low, high in (one.interval(0.95), doubled.interval(0.95))]
    assert width[1] == pytest.approx(width[0], rel=1e-2)
    assert doubled.test == "delong_paired_clustered"
