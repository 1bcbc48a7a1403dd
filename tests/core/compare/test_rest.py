"""A slice against the other rows, number by number, written out."""

from __future__ import annotations

import math

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare.rest import Part, against_rest
from skarlo.core.counting.answers import Answers
from skarlo.core.language.formula import parse
from skarlo.core.metrics import panel, spread
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.intervals import wilson
from skarlo.core.stats.mover import mover
from skarlo.core.stats.tests import hypergeometric_midp
from skarlo.core.study import OwnMetric

OWN = (
    OwnMetric("cost", parse("(40*FN + 3*FP) / rows"), "lower"),
    OwnMetric("benefit", None, "higher", {}, "net_benefit", {"threshold": 0.3}),
    OwnMetric("partial", None, "higher", {}, "partial_area", {"fpr_at_most": 0.3}),
)
READING = Reading(("no", "yes"), 1, core.Settings(draws=100), OWN)
Z = 1.959963984540054


def found(n=400, small=60, seed=3, reading=READING, **about):
    rng = np.random.default_rng(seed)
    y = (rng.random(n) < 0.4).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.4 + 0.2 * y, 0.2), 0.01, 0.99), 2)
    whole = Answers.of_scores(y, score, 0.5, **about)
    part = Part(whole, lambda: np.arange(small), None)
    metrics = panel.metrics(part.rows, reading)
    rest = part.others()
    return part.rows, rest.rows, metrics, panel.metrics(rest.rows, reading), against_rest(part, rest, metrics, reading)


def cells(a):
    t = a.table.cells
    return int(t[1, 1]), int(t[0, 1]), int(t[1, 0]), int(t[0, 0])


def test_f1_by_its_share():
    s, rest, _, _, told = found()
    d, sides = told["f1"], []
    for a in (s, rest):
        tp, fp, fn, _ = cells(a)
        low, high = wilson(tp, tp + fp + fn, 0.95)
        sides.append((2 * tp / (2 * tp + fp + fn), (2 * low / (1 + low), 2 * high / (1 + high)), tp, tp + fp + fn))
    (a, ends_a, k, n), (b, ends_b, m, j) = sides
    assert d.difference == pytest.approx(a - b)
    assert d.interval(0.95) == pytest.approx(mover(a, ends_a, b, ends_b))
    assert d.p == pytest.approx(float(hypergeometric_midp(k, n, m, j)))
    assert d.kind == "mover"


@pytest.mark.parametrize(("name", "scale"), [("balanced_accuracy", 0.5), ("youden_j", 1.0)])
def test_mean_of_recalls(name, scale):
    s, rest, mine, theirs, told = found()
    d, gap, variance = told[name], 0.0, 0.0
    for k in (0, 1):
        right, rows = zip(*(((x.predicted[x.actual == k] == k).sum(), (x.actual == k).sum()) for x in (s, rest)),
                          strict=True)  # fmt: skip
        pooled = sum(right) / sum(rows)
        gap += right[0] / rows[0] - right[1] / rows[1]
        variance += pooled * (1 - pooled) * (1 / rows[0] + 1 / rows[1])
    assert d.difference == pytest.approx(scale * gap)
    assert d.p == pytest.approx(math.erfc(abs(gap) / math.sqrt(2 * variance)))
    ends = [(m[name]["low"], m[name]["high"]) for m in (mine, theirs)]
    assert d.interval(0.95) == pytest.approx(mover(mine[name]["value"], ends[0], theirs[name]["value"], ends[1]))
    assert (d.test, d.kind) == ("pooled_score", "mover")


@pytest.mark.parametrize("name", ["roc_auc", "average_precision", "brier", "log_loss", "partial"])
@pytest.mark.parametrize("about", [{}, {"group": np.arange(400) // 2}, {"weight": np.tile([1.0, 2.0], 200)}])
def test_the_interval_of_two_own_ones_and_p_where_it_meets_no_difference(name, about):
    _, _, mine, theirs, told = found(**about)
    d = told[name]
    ends = [(m[name]["low"], m[name]["high"]) for m in (mine, theirs)]
    limits = (-math.inf, math.inf)
    wanted = mover(mine[name]["value"], ends[0], theirs[name]["value"], ends[1], limits=limits)
    assert d.interval(0.95) == pytest.approx(wanted)
    if d.p < 1:
        assert min(abs(x) for x in d.interval(1 - d.p)) == pytest.approx(0.0, abs=1e-9)
    assert d.test.startswith("mover")
    assert not d.unreliable


def test_losses_of_few_rows_are_called_unreliable():
    *_, told = found(small=14)
    assert told["brier"].unreliable
    assert not told["roc_auc"].unreliable


@pytest.mark.parametrize("name", ["mcc", "kappa", "cost"])
def test_two_rows_spread_over_each_side(name):
    s, rest, mine, theirs, told = found()
    of = spread.of_formula(OWN[0], 1) if name == "cost" else spread.of_metric(name, 1)
    values, variance = [], 0.0
    for a in (s, rest):
        more = a.table.cells + 0.5
        q, psi = more / more.sum(), of.influence(more)
        values.append(of.value(more))
        variance += (q * (psi - (q * psi).sum()) ** 2).sum() / more.sum()
    d, gap = told[name], values[0] - values[1]
    assert d.difference == pytest.approx(mine[name]["value"] - theirs[name]["value"])
    assert d.p == pytest.approx(math.erfc(abs(gap) / math.sqrt(2 * variance)), rel=1e-9)
    half = Z * math.sqrt(variance)
    assert d.interval(0.95) == pytest.approx((min(d.difference, gap - half), max(d.difference, gap + half)))


def test_the_net_benefit_at_its_threshold():
    s, rest, *_, told = found()
    values, variance = [], 0.0
    for a in (s, rest):
        flags = a.score >= 0.3
        more = np.array([[((a.actual == i) & (flags == j)).sum() for j in (0, 1)] for i in (0, 1)]) + 0.5
        price = np.array([[0.0, -0.3 / 0.7], [0.0, 1.0]])
        q = more / more.sum()
        mean = (q * price).sum()
        values.append(mean)
        variance += (q * (price - mean) ** 2).sum() / more.sum()
    assert told["benefit"].p == pytest.approx(math.erfc(abs(values[0] - values[1]) / math.sqrt(2 * variance)), rel=1e-9)


def test_of_three_classes_the_recalls_are_compared_too():
    rng = np.random.default_rng(1)
    y = rng.integers(0, 3, 300)
    said = np.where(rng.random(300) < 0.6, y, rng.integers(0, 3, 300))
    reading = Reading(("x", "y", "z"), None, core.Settings(draws=100))
    part = Part(Answers.of_classes(y, said, 3), lambda: np.arange(80), None)
    mine = panel.metrics(part.rows, reading)
    told = against_rest(part, part.others(), mine, reading)
    assert told["balanced_accuracy"].test == "pooled_score"
    low, high = told["balanced_accuracy"].interval(0.95)
    assert low < told["balanced_accuracy"].difference < high
    assert told["mcc"].test == "delta"
