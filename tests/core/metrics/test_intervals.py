"""Intervals cover what they say, by simulation on seeds that are fixed: a guard, not the coverage study."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import norm

from skarlo.core.counting.answers import Answers
from skarlo.core.counting.table import Sampling, make, prior
from skarlo.core.metrics import agreement, losses, ranking
from skarlo.core.metrics.counts import count_metrics
from skarlo.core.stats.intervals import hall_mean, newcombe_area, wilson, z_value

NAMES = {"positive": "yes", "negative": "no"}
RUNS = 300


def drawn(rng, n, rate, lift):
    y = (rng.random(n) < rate).astype(np.int64)
    s = 1 / (1 + np.exp(-(rng.normal(size=n) + lift * y - 1.2)))
    return Answers.of_scores(y, s, 0.5)


def held(metrics, truth):
    inside = [m["low"] <= truth <= m["high"] for m in metrics if m.get("low") is not None]
    return np.mean(inside), len(inside)


@pytest.mark.parametrize(("n", "rate"), [(150, 0.3), (600, 0.1)])
def test_areas_and_losses_are_covered(n, rate):
    rng = np.random.default_rng(11)
    big = drawn(rng, 400_000, rate, 1.3)
    truth = {
        "roc_auc": ranking.roc_area(big.tally), "average_precision": ranking.average_precision_value(big.tally),
        "brier": losses.moments(big, "brier").mean, "log_loss": losses.moments(big, "log_loss").mean,
    }  # fmt: skip
    found = {name: [] for name in truth}
    for _ in range(RUNS):
        a = drawn(rng, n, rate, 1.3)
        found["roc_auc"].append(ranking.roc_auc(a, 0.95, NAMES))
        found["average_precision"].append(ranking.average_precision(a, 0.95, NAMES))
        for name in ("brier", "log_loss"):
            found[name].append(losses.mean_loss(a, losses.moments(a, name), 0.95))
    for name, metrics in found.items():
        share, runs = held(metrics, truth[name])
        assert runs > 0.9 * RUNS
        assert share > 0.9, (name, share)


def test_count_metrics_are_covered():
    rng = np.random.default_rng(12)
    cells = np.array([0.62, 0.08, 0.1, 0.2])
    tn, fp, fn, tp = cells
    truth = {
        "accuracy": tp + tn, "recall": tp / (tp + fn), "precision": tp / (tp + fp), "f1": 2 * tp / (2 * tp + fp + fn),
        "youden_j": tp / (tp + fn) + tn / (tn + fp) - 1,
        "mcc": (tp * tn - fp * fn) / np.sqrt((tp + fp) * (tp + fn) * (tn + fp) * (tn + fn)),
    }  # fmt: skip
    found = {name: [] for name in truth}
    for _ in range(RUNS):
        drawn_cells = rng.choice(4, 120, p=cells)
        table = make(drawn_cells // 2, drawn_cells % 2, 2)
        metrics = count_metrics(table, 1, Sampling(draws=400), NAMES)
        for name in truth:
            found[name].append(metrics[name])
    for name, metrics in found.items():
        share, _ = held(metrics, truth[name])
        assert share > 0.92, (name, share)


def test_groups_are_covered_where_plain_intervals_are_not():
    """Rows in families of ten that share most of their luck."""
    rng = np.random.default_rng(13)
    plain, grouped = [], []
    for _ in range(RUNS):
        family = np.repeat(np.arange(40), 10)
        luck = np.repeat(rng.normal(size=40), 10)
        right = (0.6 * rng.normal(size=400) + luck > -0.4).astype(np.int64)
        truth_class = np.ones(400, dtype=np.int64)
        for out, group in ((plain, None), (grouped, family)):
            table = make(truth_class, right, 2, group=group)
            out.append(count_metrics(table, 1, Sampling(draws=100), NAMES)["recall"])
    truth = float(norm.sf(-0.4 / np.hypot(1, 0.6)))
    assert held(grouped, truth)[0] > 0.9
    assert held(plain, truth)[0] < 0.75


def test_ends_at_the_bounds():
    assert wilson(0, 17, 0.95)[0] == 0.0
    assert wilson(17, 17, 0.95)[1] == 1.0
    assert newcombe_area(1.0, 8, 9, z_value(0.95))[1] == 1.0
    assert 0.5 < newcombe_area(1.0, 8, 9, z_value(0.95))[0] < 1.0
    low, high = hall_mean(1.0, 0.1, 0.0, 50, z_value(0.95))
    assert (low, high) == pytest.approx((1 - 0.1959964, 1 + 0.1959964), abs=1e-6)
    skewed = hall_mean(1.0, 0.1, 2.0, 50, z_value(0.95))
    assert skewed[1] - 1 > 1 - skewed[0]


@given(
    cells=st.lists(st.integers(50, 3000), min_size=4, max_size=4),
    shape=st.sampled_from([(2, 2), (2, 3), (3, 3)]),
    name=st.sampled_from(["mcc", "kappa"]),
)
@settings(max_examples=12)
def test_expanded_quantiles_are_those_of_many_draws(cells, shape, name):
    size = shape[0] * shape[1]
    alpha = np.resize(np.array(cells, dtype=float), size).reshape(1, *shape) + prior(shape[1])
    assert agreement.expandable(alpha).all()
    rng = np.random.default_rng(3)
    draws = agreement.FORMULAS[name](rng.dirichlet(alpha.reshape(-1), size=200_000).reshape(-1, *shape))
    low, high = np.quantile(draws, [0.025, 0.975])
    spread = (high - low) / 3.92
    found = agreement.quantiles(name, alpha, 0.95)
    assert found[0][0] == pytest.approx(low, abs=0.05 * spread)
    assert found[1][0] == pytest.approx(high, abs=0.05 * spread)


def test_small_cells_and_large_matrices_are_drawn():
    assert not agreement.expandable(np.full((1, 2, 2), 49.0)).any()
    assert not agreement.expandable(np.full((1, 4, 4), 500.0)).any()
    assert agreement.expandable(np.array([[[50.0, 50], [50, 50]], [[50, 50], [0, 50]]])).tolist() == [True, False]
