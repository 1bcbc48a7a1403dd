"""Curves and areas of several classes in one: pooled over all pairs of a row and a class, and plain means, held against
plain lists of pairs and against the areas of the classes."""

from __future__ import annotations

import numpy as np
import pytest

import brute
from skarlo import core
from skarlo.core.counting.answers import Answers, Probable
from skarlo.core.metrics import calibration, classes, panel, ranking
from skarlo.core.metrics.panel import Reading

CLASSES = ("ash", "elm", "oak")
READING = Reading(CLASSES, None, core.Settings(draws=300))


def made(n=60, seed=3, digits=2, **about):
    rng = np.random.default_rng(seed)
    actual = rng.integers(0, 3, n)
    p = rng.dirichlet(np.ones(3), n) + np.eye(3)[actual] * rng.random((n, 1))
    p = np.round(p / p.sum(axis=1, keepdims=True), digits)
    probable = Probable(p, actual, about.get("weight"))
    return Answers(3, None, actual, predicted=probable.largest, probable=probable, **about)


def pairs(a):
    p = a.probable.probabilities
    return [(bool(y == k), float(p[i, k])) for i, y in enumerate(a.actual) for k in range(3)]


def area_under(x, y):
    return float(np.add.reduce(np.diff(x) * (np.asarray(y)[1:] + np.asarray(y)[:-1]) / 2))


def test_pooled_areas_are_those_of_all_pairs():
    a = made()
    actual, score = zip(*pairs(a), strict=True)
    found = panel.of_scores(a, READING)
    assert found["roc_auc_micro"]["value"] == pytest.approx(brute.area(actual, score))
    assert found["average_precision_micro"]["value"] == pytest.approx(brute.average_precision(actual, score))
    assert found["roc_auc_micro"]["interval"].endswith("_clustered")
    for name in ("roc_auc_micro", "average_precision_micro", "ece_classwise", "ece_by_answer"):
        assert panel.value(name, a, READING) == pytest.approx(found[name]["value"])


def test_the_rows_of_a_pool_are_its_groups():
    a, groups = made(), made(group=np.arange(60) // 6)
    plain = classes.pooled(a)
    assert plain.group.tolist() == np.repeat(np.arange(60), 3).tolist()
    of = np.random.default_rng(0)
    areas = []
    for _ in range(400):  # the bootstrap over rows spreads as the interval says
        rows = of.integers(0, 60, 60)
        areas.append(ranking.roc_area(classes.pooled(made().take(rows)).tally))
    m = panel.of_scores(a, READING)["roc_auc_micro"]
    assert np.std(areas) == pytest.approx((m["high"] - m["low"]) / 3.92, rel=0.25)
    wide = panel.of_scores(groups, READING)["roc_auc_micro"]
    assert wide["value"] == m["value"]
    assert wide["high"] - wide["low"] != pytest.approx(m["high"] - m["low"])


@pytest.mark.parametrize("digits", [1, 2, 6])
def test_the_mean_curves_have_the_mean_areas(digits):
    a = made(80, digits=digits)
    tallies = [one.tally for one in a.probable.of_class]
    roc = classes.macro_roc(a)
    assert area_under(roc["fpr"], roc["tpr"]) == pytest.approx(np.mean([ranking.roc_area(t) for t in tallies]))
    assert (roc["fpr"][0], roc["tpr"][0], roc["fpr"][-1], roc["tpr"][-1]) == (0, 0, 1, 1)
    assert (np.diff(roc["fpr"]) >= 0).all()
    assert (np.diff(roc["tpr"]) >= -1e-12).all()
    pr = classes.macro_pr(a)
    steps = float(np.add.reduce(np.diff(np.concatenate(([0.0], pr["recall"]))) * pr["precision"]))
    assert steps == pytest.approx(np.mean([ranking.average_precision_value(t) for t in tallies]))


def test_a_mean_of_two_levels_by_hand():
    p = np.array([[0.9, 0.1, 0.0], [0.2, 0.7, 0.1], [0.3, 0.6, 0.1], [0.1, 0.1, 0.8]])
    actual = np.array([0, 1, 0, 2])
    roc = classes.macro_roc(Answers(3, None, actual, probable=Probable(p, actual)))
    at = dict(zip(roc["fpr"].tolist(), roc["tpr"].tolist(), strict=True))  # of a vertical step the upper end
    assert at[0.0] == pytest.approx(1.0)  # every class finds all of its rows before any other


def test_the_mean_precision_stands_among_the_averages_with_its_interval():
    a = made(200)
    one = core.Candidate("net", probabilities=a.probable.probabilities)
    every = np.ones(200, dtype=bool)
    s = core.Study("q", CLASSES, a.actual, None, {"all": every}, "all", None, (one,), core.Settings(draws=200))
    part = core.evaluate(s, "none")["candidates"][0]["splits"]["all"]
    m = part["averages"]["macro"]["average_precision"]
    each = [part["per_class"][label]["average_precision"] for label in CLASSES]
    assert m["value"] == pytest.approx(np.mean([e["value"] for e in each]))
    assert m["low"] < m["value"] < m["high"]
    assert m["high"] - m["low"] < np.mean([e["high"] - e["low"] for e in each])
    told = core.Evaluation(s).part(core.Part("averaged", "all"))["net"]["averaged"]
    assert set(told) == {"macro", "micro"}
    assert told["micro"]["pr"]["recall"][-1] == 1


def test_gaps_by_class_and_by_answer_are_those_of_plain_bins():
    a = made(300)
    p, actual = a.probable.probabilities, a.actual

    def gap(score, right):
        out = 0.0
        for b in range(10):
            mine = [(s, r) for s, r in zip(score, right, strict=True) if min(9, int(s * 10 + 1e-9)) == b]
            out += abs(sum(s for s, _ in mine) - sum(r for _, r in mine))
        return out / len(score)

    each = [gap(p[:, k], actual == k) for k in range(3)]
    assert calibration.ece_classwise(a, 10) == pytest.approx(np.mean(each))
    said = p.argmax(axis=1)
    by = sum(gap(p[said == k].max(axis=1), actual[said == k] == k) * (said == k).sum() for k in range(3)) / 300
    found = calibration.ece_by_answer(a, 10, READING.settings.sampling)
    assert found["value"] == pytest.approx(by)
    assert found["p_calibrated"] < 0.05


def test_probabilities_that_are_true_are_not_called_false():
    rng = np.random.default_rng(4)
    p = rng.dirichlet(np.ones(3) * 2, 4000)
    actual = np.array([rng.choice(3, p=row) for row in p])
    a = Answers(3, None, actual, probable=Probable(p, actual))
    assert calibration.ece_by_answer(a, 10, READING.settings.sampling)["p_calibrated"] > 0.05


def test_areas_by_other_methods_of_two_classes_and_of_each_of_many():
    rng = np.random.default_rng(6)
    y = (rng.random(120) < 0.4).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.4 + 0.2 * y, 0.2), 0, 1), 2)
    every = np.ones(120, dtype=bool)
    two = core.Study("q", ("no", "yes"), y, 1, {"all": every}, "all", None, (core.Candidate("net", score=score),),
                     core.Settings(draws=50))  # fmt: skip
    found = core.Evaluation(two).part(core.Part("areas", "all", rate=0.2))["net"]["areas"]
    assert found["average_precision_trapezoid"] == ranking.trapezoid_area(
        core.prepare(two).on_split(0, "all").whole.tally
    )
    own = core.OwnMetric("part", None, "higher", measure="partial_area", parameters={"fpr_at_most": 0.2})
    asked = core.evaluate(core.Study(**{**two.__dict__, "metrics": (own,)}), "none")
    assert found["partial_area"]["value"] == asked["candidates"][0]["splits"]["all"]["metrics"]["part"]["value"]
    assert "partial_area" not in core.Evaluation(two).part(core.Part("areas", "all"))["net"]["areas"]
    a = made(90)
    one = core.Candidate("net", probabilities=a.probable.probabilities)
    every = {"all": np.ones(90, dtype=bool)}
    many = core.Study("q", CLASSES, a.actual, None, every, "all", None, (one,), core.Settings(draws=50))
    each = core.Evaluation(many).part(core.Part("areas", "all"))["net"]["per_class"]
    assert {x: one["areas"]["average_precision_trapezoid"] for x, one in each.items()} == {
        x: ranking.trapezoid_area(one.tally) for x, one in zip(CLASSES, a.probable.of_class, strict=True)
    }


def test_rows_that_weigh_nothing_are_in_no_gap():
    weight = np.ones(60)
    weight[made().probable.largest == 2] = 0.0
    found = calibration.ece_by_answer(made(weight=weight), 10, READING.settings.sampling)
    assert 0 < found["value"] < 1
