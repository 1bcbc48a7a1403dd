"""Every metric against its definition, over small inputs with ties and missing classes."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

import brute
from skarlo.core.counting import table, tally
from skarlo.core.counting.answers import Answers
from skarlo.core.counting.table import Sampling, Table
from skarlo.core.metrics import counts, losses, ranking

NAMES = {"positive": "yes", "negative": "no"}
ROWS = st.lists(
    st.tuples(st.one_of(st.sampled_from([0.0, 0.1, 0.5, 0.9, 1.0]), st.floats(0, 1)), st.booleans()),
    min_size=1, max_size=40,
)  # fmt: skip
CELLS = st.integers(0, 30)


def split(rows):
    return [p for _, p in rows], [s for s, _ in rows]


def answered(rows, cutoff=0.5):
    """Two-class answers of rows of (score, positive)."""
    actual, score = np.array([p for _, p in rows], dtype=np.int64), np.array([s for s, _ in rows], dtype=float)
    return Answers.of_scores(actual, score, cutoff)


def table_of(tp, fp, fn, tn):
    cells = np.array([[tn, fp], [fn, tp]])
    return Table(cells, cells)


def tallied(rows):
    actual, score = split(rows)
    return tally.make(np.array(score), np.array(actual, dtype=bool))


@given(ROWS, st.floats(0, 1))
def test_rates_are_the_shares_of_rows(rows, cutoff):
    actual, score = split(rows)
    predicted = [s >= cutoff for s in score]
    tp, fp, fn, tn = brute.outcomes(actual, predicted)
    found = counts.count_metrics(table_of(tp, fp, fn, tn), 1, Sampling(draws=100), NAMES)
    for name, value in brute.rates(actual, predicted).items():
        assert found[name]["value"] == value
        assert value is not None or found[name]["why"]


@given(ROWS)
def test_areas_and_losses_by_definition(rows):
    actual, score = split(rows)
    t, a = tallied(rows), answered(rows)
    for name, by_definition in (("brier", brute.brier), ("log_loss", brute.log_loss)):
        found = losses.mean_loss(a, losses.moments(a, name), 0.95)
        assert found["value"] == pytest.approx(by_definition(actual, score), abs=1e-9)
    if 0 < sum(actual) < len(actual):
        assert ranking.roc_area(t) == pytest.approx(brute.area(actual, score), abs=1e-12)
        assert ranking.average_precision_value(t) == pytest.approx(brute.average_precision(actual, score), abs=1e-12)


@given(ROWS)
def test_delong_variance_by_placements(rows):
    actual, score = split(rows)
    assume(2 <= sum(actual) <= len(actual) - 2)
    t = tallied(rows)
    expected = brute.delong_variance(actual, score)
    assert ranking.delong_variance(t, ranking.roc_area(t)) == pytest.approx(expected, abs=1e-12)


@given(ROWS)
def test_influence_of_average_precision_is_its_derivative(rows):
    """One more row of tiny weight moves the sum by its influence."""
    actual, _ = split(rows)
    assume(0 < sum(actual) < len(actual))
    t = tallied(rows)
    value = ranking.average_precision_value(t)
    on_pos, on_neg = ranking.average_precision_influence(t, value)
    mean = float((t.pos * on_pos + t.neg * on_neg).sum()) / t.rows
    assert mean == pytest.approx(0, abs=1e-9)
    step = 1e-6
    for i in (0, len(t.score) // 2, len(t.score) - 1):
        for psi, side in ((on_pos, "pos"), (on_neg, "neg")):
            if side == "pos" and not t.pos[i]:
                assert psi[i] == 0
                continue
            moved = {"pos": (1 - step) * t.pos / t.rows, "neg": (1 - step) * t.neg / t.rows}
            moved[side][i] += step
            tp, fp = np.cumsum(moved["pos"][::-1])[::-1], np.cumsum(moved["neg"][::-1])[::-1]
            with np.errstate(invalid="ignore"):
                precision = np.where(tp + fp > 0, tp / (tp + fp), 0)
            after = float((moved["pos"] * precision).sum()) / moved["pos"].sum()
            assert (after - value) / step == pytest.approx(psi[i], abs=2e-3 * max(1, abs(psi[i])))


@given(ROWS)
def test_every_interval_holds_its_value_inside_the_range(rows):
    a = answered(rows)
    found = counts.count_metrics(a.table, 1, Sampling(draws=100), NAMES)
    found["roc_auc"] = ranking.roc_auc(a, 0.95, NAMES)
    found["average_precision"] = ranking.average_precision(a, 0.95, NAMES)
    found["ks"] = ranking.ks(a, Sampling(draws=100), NAMES)
    for name, m in found.items():
        low, high = m.get("low"), m.get("high")
        if low is None or m["interval"] == "dirichlet":
            continue
        bottom = -1.0 if name == "youden_j" else 0.0
        assert bottom <= low <= m["value"] <= high <= 1.0, name


@given(ROWS)
def test_a_monotone_transform_leaves_the_areas_alone(rows):
    t = tallied(rows)
    if not (t.positives and t.negatives):
        return
    moved = tally.Tally(np.arange(len(t.score), dtype=float) - 7, t.pos, t.neg)
    assert ranking.roc_area(moved) == ranking.roc_area(t)
    assert ranking.average_precision_value(moved) == ranking.average_precision_value(t)


@given(ROWS)
def test_swapping_the_classes_mirrors_the_area(rows):
    t = tallied(rows)
    if t.positives and t.negatives:
        mirrored = tally.Tally(t.score, t.neg, t.pos)
        assert ranking.roc_area(t) + ranking.roc_area(mirrored) == pytest.approx(1, abs=1e-15)


@given(CELLS, CELLS, CELLS, CELLS)
def test_matthews_and_kappa_by_their_formulas(tp, fp, fn, tn):
    found = counts.count_metrics(table_of(tp, fp, fn, tn), 1, Sampling(draws=100), NAMES)
    margins = (tp + fp) * (tp + fn) * (tn + fp) * (tn + fn)
    if margins:
        assert found["mcc"]["value"] == pytest.approx((tp * tn - fp * fn) / math.sqrt(margins), abs=1e-12)
    else:
        assert found["mcc"]["value"] is None
    n = tp + fp + fn + tn
    expected = ((tp + fn) * (tp + fp) + (tn + fp) * (tn + fn)) / n**2 if n else 1
    if expected < 1 - 1e-12:
        assert found["kappa"]["value"] == pytest.approx(((tp + tn) / n - expected) / (1 - expected), abs=1e-9)
    else:
        assert found["kappa"]["value"] is None


def test_interval_kinds_change_where_they_should():
    few = answered([(0.1, False), (0.2, False), (0.3, True), (0.9, True)])
    assert ranking.roc_auc(few, 0.95, NAMES)["interval"] == "newcombe5"
    flat = answered([(0.5, False), (0.5, False), (0.5, True), (0.5, True)])
    metric = ranking.roc_auc(flat, 0.95, NAMES)
    assert metric["value"] == 0.5
    assert metric["low"] is None
    assert metric["why_interval"] == "every row has the same score"
    rng = np.random.default_rng(3)
    y = rng.random(400) < 0.3
    many = answered(list(zip((rng.random(400) * 0.5 + 0.15 * y).tolist(), y.tolist(), strict=True)))
    assert ranking.roc_auc(many, 0.95, NAMES)["interval"] == "delong_logit"
    assert ranking.average_precision(many, 0.95, NAMES)["interval"] == "influence_logit"
    assert losses.mean_loss(many, losses.moments(many, "brier"), 0.95)["interval"] == "hall"


def test_equal_counts_give_equal_draws_whatever_else_is_there():
    one = counts.count_metrics(table_of(9, 4, 3, 20), 1, Sampling(), NAMES)
    two = counts.count_metrics(table_of(9, 4, 3, 20), 1, Sampling(), NAMES)
    other = counts.count_metrics(table_of(9, 4, 3, 20), 1, Sampling(seed=2), NAMES)
    assert one["mcc"] == two["mcc"]
    assert one["mcc"]["low"] != other["mcc"]["low"]


def test_thin_rates_are_marked():
    assert table.thin(9, Sampling())
    found = counts.count_metrics(table_of(3, 2, 40, 900), 1, Sampling(), NAMES)
    assert found["precision"]["thin"] is True
    assert "thin" not in found["recall"]
