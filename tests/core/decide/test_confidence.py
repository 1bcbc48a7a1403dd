"""Answers withheld for want of probability: by hand, and against counting over rows."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from skarlo import core
from skarlo.core.counting.answers import Answers, Probable
from skarlo.core.decide import confidence
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.intervals import wilson

READING = Reading(("ash", "elm", "oak"), None, core.Settings())


def made(n=200, seed=3, missing=0, **about):
    rng = np.random.default_rng(seed)
    actual = rng.integers(0, 3, n)
    p = rng.dirichlet(np.ones(3), n) + 1.2 * np.eye(3)[actual] * rng.random((n, 1))
    p = np.round(p / p.sum(axis=1, keepdims=True), 2)
    p[:missing] = np.nan
    probable = Probable(p, actual, about.get("weight"))
    return Answers(3, None, actual, predicted=probable.largest, probable=probable, none_counts=True, **about)


def counted(a, cutoff, k=None):
    """(rows answered, right among them, answered k, right of k, actual k), row by row."""
    answered = right = of_k = right_k = actual_k = 0
    for p, y in zip(a.probable.probabilities.tolist(), a.actual.tolist(), strict=True):
        actual_k += y == k
        if p[0] != p[0]:
            continue
        said = p.index(max(p))
        if max(p) < cutoff and k in (None, said):
            continue
        answered += 1
        right += said == y
        of_k += said == k
        right_k += said == k == y
    return answered, right, of_k, right_k, actual_k


@pytest.mark.parametrize("k", [None, 0, 2])
@pytest.mark.parametrize("missing", [0, 17])
def test_what_is_left_is_counted_on_the_rows(k, missing):
    a = made(missing=missing)
    found = confidence.sweep(a, READING, 0.1, k)
    for i, cutoff in enumerate(found["cutoff"]):
        answered, right, of_k, right_k, actual_k = counted(a, cutoff, k)
        pairs = {"share_answered": (answered, 200), "selective_accuracy": (right, answered)}
        pairs |= {} if k is None else {"precision": (right_k, of_k), "recall": (right_k, actual_k)}
        for name, (x, n) in pairs.items():
            ends = found[name]
            if n == 0:
                assert ends["value"][i] is None
                continue
            assert ends["value"][i] == pytest.approx(x / n)
            assert (ends["low"][i], ends["high"][i]) == pytest.approx(wilson(x, n, 0.95))


def test_the_risk_is_averaged_over_the_rows_with_ties_as_one_step():
    p = np.array([[0.8, 0.1, 0.1], [0.8, 0.2, 0.0], [0.2, 0.6, 0.2], [0.4, 0.3, 0.3]])
    actual = np.array([0, 1, 1, 0])
    a = Answers(3, None, actual, probable=Probable(p, actual))
    assert confidence.risk_area(a)["value"] == pytest.approx((1 / 2 + 1 / 2 + 1 / 3 + 1 / 4) / 4)
    doubled = Answers(3, None, actual, probable=Probable(p, actual, np.full(4, 2.0)))
    assert confidence.risk_area(doubled)["value"] == pytest.approx(confidence.risk_area(a)["value"])


def test_weights_and_groups_carry_over():
    plain, grouped = (
        confidence.at_cutoff(made(**more), READING, 0.6) for more in ({}, {"group": np.arange(200) // 10})
    )
    assert plain["selective_accuracy"]["value"] == grouped["selective_accuracy"]["value"]
    assert grouped["selective_accuracy"]["interval"] == "wilson_clustered"


def study(a):
    labels = np.array(READING.classes)
    one = core.Candidate("net", probabilities=a.probable.probabilities, no_answer="wrong")
    every = np.ones(len(a.actual), dtype=bool)
    return core.Study("q", tuple(labels), a.actual, None, {"all": every}, "all", None, (one,), core.Settings(draws=200))


def test_the_live_counts_are_those_of_the_sweep():
    a = made(missing=9)
    ready = core.prepare(study(a))
    part = core.Evaluation(ready, "none").part(core.Part("sweep", "all", step=0.25))["net"]
    assert part["risk_area"] == confidence.risk_area(a)
    for k, sweep in [(None, part["sweep"]), *((k, part["per_class"][READING.classes[k]]["sweep"]) for k in range(3))]:
        live = core.live_tally(ready, 0, "all", k)
        for i, cutoff in enumerate(sweep["cutoff"]):
            at = round(cutoff * 10 ** live["digits"]) - live["first"]
            tp, fp = live["tp"][at], live["fp"][at]
            name = "selective_accuracy" if k is None else "precision"
            value = sweep[name]["value"][i]
            assert value == (None if tp + fp == 0 else pytest.approx(tp / (tp + fp)))
        assert live["unanswered_negative"] == 9


def test_a_step_that_does_not_go_into_one_is_refused():
    with pytest.raises(ValueError, match="whole number of times"):
        confidence.sweep(made(), READING, 0.3)


def test_the_part_tells_the_same_at_each_candidate_s_own_cutoff():
    a = made()
    s = study(a)
    said = replace(s, candidates=(*s.candidates, core.Candidate("said", predicted=a.predicted)))
    evaluation = core.Evaluation(said, "none")
    first, second = evaluation.results([core.Part("withheld", "all", least=(("net", 0.55),))])["candidates"][:2]
    told = first["splits"]["all"]
    assert told["withheld"]["least"] == 0.55
    for k, metrics in [(None, told["withheld"]["metrics"]),
                       (1, told["per_class"]["elm"]["withheld"]["metrics"])]:  # fmt: skip
        answered, right, of_k, right_k, _ = counted(a, 0.55, k)
        assert metrics["share_answered"]["value"] == pytest.approx(answered / 200)
        share = right / answered if k is None else right_k / of_k
        assert metrics["selective_accuracy" if k is None else "precision"]["value"] == pytest.approx(share)
    assert "withheld" not in second["splits"].get("all", {}), "it gives no probability"
    free = evaluation.results([core.Part("withheld", "all")])["candidates"][0]["splits"]["all"]
    assert free["withheld"]["metrics"]["share_answered"]["value"] == 1


def test_what_is_left_unfolds():
    a = made()
    s = core.Study("q", READING.classes, a.actual, None, {"all": np.ones(200, dtype=bool)}, "all", None,
                   (core.Candidate("net", probabilities=a.probable.probabilities),),
                   core.Settings(draws=100))  # fmt: skip
    parts = [
        core.Part("lines", "all"),
        core.Part("classes", "all"),
        core.Part("withheld", "all", least=(("net", 0.6),)),
    ]
    results = core.Evaluation(s, "none").results(parts)
    answered, right, of_k, right_k, actual_k = counted(a, 0.6, 1)
    whole = counted(a, 0.6)
    for metric, of, k, n in (
        ("share_answered", "withheld", whole[0], 200), ("selective_accuracy", "withheld", whole[1], whole[0]),
        ("precision", "withheld elm", right_k, of_k), ("recall", "withheld elm", right_k, actual_k),
        ("share_answered", "withheld elm", answered, 200), ("selective_accuracy", "withheld elm", right, answered),
    ):  # fmt: skip
        told = core.unfold(results, "net", "all", metric, of)
        assert told["metric"]["value"] == pytest.approx(k / n)
        assert "of less probability than 0.6 withheld" in told["sentence"]
        assert core.shown(k / n) in told["sentence"]
    with pytest.raises(KeyError, match="there is no f1"):
        core.unfold(results, "net", "all", "f1", "withheld elm")
