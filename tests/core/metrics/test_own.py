"""A study's own metrics: values by brute force, influence by nudging the rows, pairs that agree with known ones."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo.core.compare import paired
from skarlo.core.counting.answers import Answers
from skarlo.core.language import formula
from skarlo.core.metrics import own
from skarlo.core.study import OwnMetric, Settings

SETTINGS = Settings(draws=400)


def two(actual, score, weight=None, group=None, cutoff=0.5, numbers=None):
    y, s = np.array(actual, dtype=np.int64), np.array(score, dtype=float)
    return Answers.of_scores(y, s, cutoff, weight=weight, group=group, numbers=numbers or {})


def many(actual, probabilities):
    return Answers.of_probabilities(np.array(actual), np.array(probabilities, dtype=float))


def measure(kind, **parameters):
    return OwnMetric("own", None, own.MEASURES[kind].better, {}, kind, parameters)


def expression(text, costs=None, fields=()):
    costs = costs or {}
    return OwnMetric("own", formula.parse(text, tuple(costs), fields), "lower", costs)


ROWS = st.lists(st.tuples(st.booleans(), st.sampled_from([0.0, 0.1, 0.3, 0.5, 0.7, 0.9, 1.0])), min_size=4, max_size=25)


def stepped(actual, score, at_most):
    """Mean recall up to a false-positive rate, by walking along the drawn curve in small steps."""
    points = [(0.0, 0.0)]
    p, n = sum(actual), len(actual) - sum(actual)
    for cutoff in sorted(set(score), reverse=True):
        flagged = [s >= cutoff for s in score]
        points.append((sum(f and not a for f, a in zip(flagged, actual, strict=True)) / n,
                       sum(f and a for f, a in zip(flagged, actual, strict=True)) / p))  # fmt: skip
    grid = np.linspace(0, at_most, 20001)
    middle = (grid[1:] + grid[:-1]) / 2
    x, y = zip(*points, strict=True)
    at = np.searchsorted(x, middle)
    x, y = np.array(x), np.array(y)
    return float(np.mean(y[at - 1] + (middle - x[at - 1]) / (x[at] - x[at - 1]) * (y[at] - y[at - 1])))


@given(ROWS, st.sampled_from([0.05, 0.2, 0.35, 0.5, 1.0]))
def test_partial_area_is_the_mean_recall_under_the_curve(rows, at_most):
    actual, score = [a for a, _ in rows], [s for _, s in rows]
    if len(set(actual)) < 2:
        return
    value = own.metric(measure("partial_area", fpr_at_most=at_most), two(actual, score), SETTINGS, "")["value"]
    assert value == pytest.approx(stepped(actual, score, at_most), abs=2e-4)


@given(ROWS, st.sampled_from([0.05, 0.2, 0.5, 1.0]))
def test_recall_at_a_false_positive_rate(rows, at_most):
    actual, score = [a for a, _ in rows], [s for _, s in rows]
    if len(set(actual)) < 2:
        return
    p, n = sum(actual), len(actual) - sum(actual)
    reached = [0.0]
    for cutoff in set(score):
        fp = sum(s >= cutoff and not a for a, s in rows)
        if fp / n <= at_most:
            reached.append(sum(s >= cutoff and a for a, s in rows) / p)
    found = own.metric(measure("recall_at_fpr", fpr_at_most=at_most), two(actual, score), SETTINGS, "")
    assert found["value"] == max(reached)
    if found["low"] is not None:
        assert 0 <= found["low"] <= found["value"] <= found["high"] <= 1


@given(ROWS, st.integers(1, 25))
def test_precision_among_the_top_counts_ties_in_part(rows, k):
    """The mean over many ways to break the ties."""
    actual, score = [a for a, _ in rows], [s for _, s in rows]
    if len(set(actual)) < 2:
        return
    found = own.metric(measure("precision_at_top", rows=k), two(actual, score), SETTINGS, "")
    if k > len(rows):
        assert found == {"value": None, "why": f"there are fewer than {k} rows"}
        return
    edge = sorted(score, reverse=True)[k - 1]
    above = [a for a, s in rows if s > edge]
    tied = [a for a, s in rows if s == edge]
    assert found["value"] == pytest.approx((sum(above) + (k - len(above)) * sum(tied) / len(tied)) / k)
    assert found.get("thin", False) == (k < 10)
    share = own.metric(measure("precision_at_top", share=k / len(rows)), two(actual, score), SETTINGS, "")
    assert share["value"] == pytest.approx(found["value"])


@given(ROWS, st.sampled_from([0.1, 0.3, 0.5, 0.8]))
def test_net_benefit(rows, threshold):
    actual, score = [a for a, _ in rows], [s for _, s in rows]
    tp = sum(a and s >= threshold for a, s in rows)
    fp = sum(not a and s >= threshold for a, s in rows)
    found = own.metric(measure("net_benefit", threshold=threshold), two(actual, score), SETTINGS, "")
    assert found["value"] == pytest.approx((tp - fp * threshold / (1 - threshold)) / len(rows))


@given(st.lists(st.tuples(st.integers(0, 2), st.permutations([0.1, 0.2, 0.7]) | st.just([0.4, 0.4, 0.2])), min_size=1),
       st.integers(1, 3))  # fmt: skip
def test_top_k_accuracy(rows, k):
    hits = sum(a in sorted(range(3), key=lambda c: (-p[c], c))[:k] for a, p in rows)
    a = many([a for a, _ in rows], [p for _, p in rows])
    assert own.metric(measure("top_k_accuracy", k=k), a, SETTINGS, "")["value"] == hits / len(rows)
    if k == 1:
        assert hits == (a.predicted == a.actual).sum()


def test_a_cost_for_each_cell_and_for_no_answer():
    a = many([0, 1, 2, 2], [[0.5, 0.3, 0.2], [0.5, 0.3, 0.2], [0.1, 0.2, 0.7], [np.nan] * 3])
    a = replace(a, predicted=np.array([0, 0, 2, -1]), none_counts=True)
    cost = [[0, 1, 1], [4, 0, 1], [9, 2, 0]]
    assert own.metric(measure("expected_cost", cost=cost), a, SETTINGS, "")["value"] == (0 + 4 + 0 + 9) / 4
    said = own.metric(measure("expected_cost", cost=cost, no_answer=1.0), a, SETTINGS, "")
    assert said["value"] == (0 + 4 + 0 + 1) / 4
    assert said["interval"] == "dirichlet"


def some(seed, n=60):
    rng = np.random.default_rng(seed)
    y = (rng.random(n) < 0.4).astype(np.int64)
    s = np.round(np.clip(rng.random(n) * 0.7 + 0.25 * y, 0, 1), 2)
    return two(y, s, numbers={"girth": rng.random(n) * 3})


KINDS = [
    expression("(40*FN + 3*FP) / rows"), expression("c*FP", {"c": 3.0}), expression("max(FN, FP) / min(P, N)"),
    expression("sum(girth, TP) / (TP + FN) - flagged / rows", fields=("girth",)), expression("-TN / (TP - 2 * FN)"),
    measure("net_benefit", threshold=0.3), measure("partial_area", fpr_at_most=0.3),
    measure("partial_area", fpr_at_most=1.0), measure("expected_cost", cost=[[0, 3], [40, 1]]),
]  # fmt: skip


@pytest.mark.parametrize("metric", KINDS, ids=lambda m: m.measure or m.formula.text)
def test_influence_is_the_change_as_rows_become_commoner(metric):
    """A row's weight is raised a little: the metric moves by its influence times that, to first order.

    A sum over rows would grow with the sum of weights, so weights keep their sum.
    """
    a = some(3)
    n = len(a.actual)
    psi = own.influence(metric, a)
    assert np.add.reduce(psi) == pytest.approx(0, abs=1e-9)

    def at(weight):
        weighted = replace(two(a.actual, a.score, weight, numbers=a.numbers), predicted=a.predicted)
        return own.metric(metric, weighted, Settings(draws=2), "")["value"]

    eps = 1e-6
    for i in range(0, n, 7):
        up, down = (np.full(n, 1 - step / n) for step in (eps, -eps))
        up[i] += eps
        down[i] -= eps
        slope = (at(up) - at(down)) / (2 * eps) * n
        assert psi[i] == pytest.approx(slope, rel=1e-4, abs=1e-5)


def test_pairs_by_a_formula_agree_with_the_metric_it_spells():
    first, second = some(4), some(5)
    second = replace(two(first.actual, second.score), predicted=second.predicted)
    spelled = expression("2*TP / (2*TP + FP + FN)")
    values = [own.metric(spelled, x, SETTINGS, "")["value"] for x in (first, second)]
    both = paired.Both(first, second)
    ours = paired.compare("own", both, values, 1, spelled)
    known = paired.compare("f1", both, values, 1)
    assert (ours.difference, ours.test) == (known.difference, "delta")
    assert ours.p == pytest.approx(known.p, rel=1e-9)
    assert ours.interval(0.95) == pytest.approx(known.interval(0.95), rel=1e-9)


def test_what_has_no_paired_test_says_so():
    a = some(6)
    d = paired.compare("own", paired.Both(a, a), (0.5, 0.5), 1, measure("precision_at_top", rows=10))
    assert (d.p, d.why) == (None, "there is no paired test of own")


@pytest.mark.parametrize("kind", ["partial_area", "recall_at_fpr"])
def test_the_intervals_of_parts_of_the_curve_are_covered(kind):
    """A normal score for each class, one standard deviation apart and a half: the truth is known."""
    from scipy.stats import norm

    rng = np.random.default_rng(8)
    metric = measure(kind, fpr_at_most=0.2)
    grid = (np.arange(4000) + 0.5) / 4000 * 0.2
    curve = norm.sf(norm.isf(grid) - 1.5)
    truth = curve.mean() if kind == "partial_area" else norm.sf(norm.isf(0.2) - 1.5)
    held, runs = 0, 300
    for _ in range(runs):
        y = np.repeat([0, 1], [150, 60])
        s = norm.cdf(rng.normal(size=210) + 1.5 * y - 1)
        found = own.metric(metric, two(y, s), SETTINGS, "")
        held += found["low"] <= truth <= found["high"]
    assert held / runs > 0.91


def test_absent_where_it_cannot_be():
    classes_only = Answers.of_classes(np.array([0, 1]), np.array([0, 1]))
    for kind, parameters in (("partial_area", {"fpr_at_most": 0.1}), ("net_benefit", {"threshold": 0.2})):
        found = own.metric(measure(kind, **parameters), classes_only, SETTINGS, "")
        assert found["why"] == own.NO_SCORE
    one_class = two([1, 1, 1], [0.2, 0.3, 0.9])
    assert own.metric(measure("recall_at_fpr", fpr_at_most=0.1), one_class, SETTINGS, "")["value"] is None
    assert own.metric(expression("FP / N"), one_class, SETTINGS, "") == {"value": None, "why": own.DIVIDES}
    assert own.influence(expression("FP / N"), one_class) is None
