"""Bounds of metrics where labels may be wrong, against every subset of the rows in doubt."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

import brute
from skarlo.core.compare import label_lead, wrong_labels
from skarlo.core.compare.label_lead import InDoubt, Seen
from skarlo.core.compare.wrong_labels import Doubted, bounds
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics.panel import Reading
from skarlo.core.study import Settings

READING = Reading(("no", "yes"), 1, Settings())
COUNTED = wrong_labels.COUNTED


def agreement(actual, predicted):
    """mcc and kappa of 0s and 1s, None where they are not defined."""
    tp, fp, fn, tn = brute.outcomes(actual, predicted)
    below = (tp + fp) * (tp + fn) * (tn + fp) * (tn + fn)
    n = tp + fp + fn + tn
    by_chance = ((tp + fp) * (tp + fn) + (tn + fp) * (tn + fn)) / n**2
    return {
        "mcc": (tp * tn - fp * fn) / math.sqrt(below) if below else None,
        "kappa": None if by_chance == 1 else ((tp + tn) / n - by_chance) / (1 - by_chance),
    }


def counted(actual, predicted):
    """Every count metric that is bounded, from rows."""
    found = brute.rates(actual, predicted) | agreement(actual, predicted)
    both = None if found["recall"] is None or found["specificity"] is None else found["recall"] + found["specificity"]
    found |= {"balanced_accuracy": None if both is None else both / 2, "youden_j": None if both is None else both - 1}
    return {name: found[name] for name in COUNTED}


def largest_gap(actual, score):
    return max(
        0.0,
        *(
            sum(a and s >= t for a, s in zip(actual, score, strict=True)) / sum(actual)
            - sum(not a and s >= t for a, s in zip(actual, score, strict=True)) / (len(actual) - sum(actual))
            for t in score
        ),
    )


def scored(actual, score):
    """Every metric of scores that is bounded, from rows."""
    if not 0 < sum(actual) < len(actual):
        return {}
    return {
        "roc_auc": brute.area(actual, score), "ks": largest_gap(actual, score),
        "average_precision": brute.average_precision(actual, score),
    }  # fmt: skip


def losses(actual, score):
    return {"brier": brute.brier(actual, score), "log_loss": brute.log_loss(actual, score)}


def all_ways(actual, score, at, k, how):
    """Labels and scores after each way in which at most k of the rows are wrong."""
    for many in range(k + 1):
        for wrong in itertools.combinations(at, many):
            if how == "flipped":
                yield [1 - a if i in wrong else a for i, a in enumerate(actual)], list(score)
            else:
                kept = [i for i in range(len(actual)) if i not in wrong]
                yield [actual[i] for i in kept], [score[i] for i in kept]


@pytest.mark.parametrize("how", ["flipped", "dropped"])
@pytest.mark.parametrize("seed", range(12))
def test_bounds_are_those_over_all_subsets(how, seed):
    rng = np.random.default_rng(seed)
    n = 11
    actual = rng.integers(0, 2, n)
    actual[:2] = 0, 1
    score = np.round(rng.permutation(n) / n + 0.01, 3) if seed % 2 else rng.random(n)
    at = np.sort(rng.permutation(n)[:6])
    k = int(rng.integers(1, 5))
    a = Answers.of_scores(actual, score, 0.5)
    found = bounds(a, Doubted(at, 1 - actual[at], k, how), READING)
    ends: dict[str, list[float]] = {}
    for labels, scores in all_ways(actual.tolist(), score.tolist(), at.tolist(), k, how):
        now = counted(labels, [s >= 0.5 for s in scores]) if labels else {}
        now |= scored(labels, scores) | (losses(labels, scores) if labels else {})
        for name, value in now.items():
            if value is not None:
                ends.setdefault(name, []).append(value)
    assert set(found) >= {"accuracy", "roc_auc", "brier", "ks", "average_precision", "log_loss", "kappa"}
    for name, bound in found.items():
        assert bound["low"] == pytest.approx(min(ends[name]), abs=1e-9), name
        assert bound["high"] == pytest.approx(max(ends[name]), abs=1e-9), name
        assert "about" not in bound


def test_ties_among_scores_leave_areas_and_gaps_sharp():
    rng = np.random.default_rng(3)
    for _ in range(10):
        actual = np.concatenate(([0, 1], rng.integers(0, 2, 8)))
        score = rng.integers(1, 5, 10) / 5
        at = rng.permutation(10)[:5]
        for how in ("flipped", "dropped"):
            found = bounds(Answers.of_scores(actual, score, 0.5), Doubted(at, 1 - actual[at], 3, how), READING)
            ways = [scored(*way) for way in all_ways(actual.tolist(), score.tolist(), at.tolist(), 3, how)]
            for name in ("roc_auc", "ks"):
                every = [w[name] for w in ways if w]
                assert found[name]["low"] == pytest.approx(min(every)), (name, how)
                assert found[name]["high"] == pytest.approx(max(every)), (name, how)
            assert found["average_precision"]["about"] is True


def test_by_hand():
    """TP 6, FP 2, FN 4, TN 28, all in doubt, two of them wrong; and four scores, one of them wrong."""
    actual = np.array([1] * 6 + [0] * 2 + [1] * 4 + [0] * 28)
    predicted = np.array([1] * 8 + [0] * 32)
    found = bounds(
        Answers.of_classes(actual, predicted), Doubted(np.arange(40), 1 - actual, 2, "flipped"), READING
    )  # fmt: skip
    for name, low, high in (
        ("recall", 0.5, 0.75), ("precision", 0.5, 1), ("f1", 0.5, 0.8), ("accuracy", 0.8, 0.9), ("mcc", 0.375, 0.7638),
    ):  # fmt: skip
        assert found[name]["low"] == pytest.approx(low, abs=5e-5), name
        assert found[name]["high"] == pytest.approx(high, abs=5e-5), name
    by_chance = found["recall"]["labels_and_chance"]
    assert by_chance["low"] < 0.5
    assert by_chance["high"] > 0.75

    four = Answers.of_scores(np.array([1, 0, 1, 0]), np.array([0.9, 0.8, 0.3, 0.1]), 0.5)
    for how, low in (("flipped", 1 / 3), ("dropped", 0.5)):
        area = bounds(four, Doubted(np.arange(4), 1 - four.actual, 1, how), READING)["roc_auc"]
        assert (area["low"], area["high"]) == pytest.approx((low, 1.0))


@pytest.mark.parametrize("how", ["flipped", "dropped"])
def test_of_three_classes_accuracy_is_sharp_and_others_reach_at_least_so_far(how):
    rng = np.random.default_rng(7)
    for _ in range(8):
        actual, predicted = rng.integers(0, 3, (2, 12))
        other = (actual + rng.integers(1, 3, 12)) % 3
        at = rng.permutation(12)[:6]
        three = Reading(("a", "b", "c"), None, Settings())
        found = bounds(
            Answers.of_classes(actual, predicted, 3), Doubted(at, other[at], 3, how), three
        )  # fmt: skip
        every = []
        for many in range(4):
            for wrong in itertools.combinations(at.tolist(), many):
                rows = [(other[i] if i in wrong else actual[i], predicted[i]) for i in range(12)
                        if how == "flipped" or i not in wrong]  # fmt: skip
                every.append(sum(y == p for y, p in rows) / len(rows))
        assert found["accuracy"]["low"] == pytest.approx(min(every))
        assert found["accuracy"]["high"] == pytest.approx(max(every))
        assert found["kappa"]["about"] is True
        assert found["kappa"]["low"] <= found["kappa"]["value"] <= found["kappa"]["high"]


def table(actual, predicted):
    cells = np.zeros((2, 2), dtype=np.int64)
    np.add.at(cells, (actual, predicted), 1)
    return cells


@pytest.mark.parametrize("name", COUNTED)
def test_the_fewest_flips_that_change_the_lead_are_those_of_all_subsets(name):
    rng = np.random.default_rng(COUNTED.index(name))
    met = 0
    for _ in range(14):
        actual = rng.integers(0, 2, 12)
        said = [np.where(rng.random(12) < p, actual, 1 - actual) for p in (0.8, 0.6)]
        values = [counted(actual.tolist(), s.tolist())[name] for s in said]
        if None in values or values[0] <= values[1] + 1e-9:
            continue
        fewest = None
        for wrong in itertools.chain.from_iterable(itertools.combinations(range(12), m) for m in range(1, 4)):
            labels = [1 - a if i in wrong else a for i, a in enumerate(actual.tolist())]
            now = [counted(labels, s.tolist())[name] for s in said]
            if None not in now and now[1] > now[0] + 1e-9:
                fewest = len(wrong)
                break
        rows = InDoubt(actual, 1 - actual)
        seen = [Seen(str(i), table(actual, s), s) for i, s in enumerate(said)]
        assert label_lead.to_change(name, *seen, rows, 1, "flipped", 3) == fewest
        met += fewest is not None
    assert met


def test_ranks_span_what_at_most_so_many_wrong_labels_allow():
    actual = np.array([1] * 10 + [0] * 10)
    said = [actual.copy() for _ in range(3)]
    said[0][:1], said[1][:2], said[2][:9] = 0, 0, 0
    seen = [Seen(name, table(actual, s), s) for name, s in zip("abc", said, strict=True)]
    values = [0.95, 0.9, 0.55]
    rows = InDoubt(actual, 1 - actual)
    found = label_lead.ranks("accuracy", seen, values, rows, 1, "flipped", 1)
    assert found == {"a": [1, 2], "b": [1, 2], "c": [3, 3]}
    assert label_lead.ranks("accuracy", seen, values, rows, 1, "flipped", 4)["c"] == [2, 3]
    assert label_lead.ranks("accuracy", seen, values, rows, 1, "dropped", 1)["a"] == [1, 1]  # b comes level, not ahead
