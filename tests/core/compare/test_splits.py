"""A candidate on one split against itself on another: values by subtraction, intervals of two independent samples."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare import splits
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics import panel
from skarlo.core.metrics.panel import Reading

READING = Reading(("no", "yes"), 1, core.Settings(draws=300))


def made(n, seed, lift=0.25, **about):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < 0.3).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.4 + lift * actual, 0.2), 0, 1), 3)
    return Answers.of_scores(actual, score, 0.5, **about)


def gap(first, second):
    found = panel.metrics(first, READING, panel.of_scores(first, READING))
    return splits.gap(first, second, found, READING)


def test_it_is_the_difference_of_the_two_splits():
    first, second = made(500, 1), made(400, 2)
    found = gap(first, second)
    sides = [panel.metrics(x, READING, panel.of_scores(x, READING)) for x in (first, second)]
    for name in ("recall", "precision", "f1", "mcc", "youden_j", "roc_auc", "average_precision", "brier", "log_loss"):
        d = found[name]
        assert d["difference"] == pytest.approx(sides[0][name]["value"] - sides[1][name]["value"])
        assert d["low"] < d["difference"] < d["high"]
        assert (d["p"] < 0.05) == (d["low"] > 0 or d["high"] < 0) or 0.02 < d["p"] < 0.1


def test_groups_that_stand_in_both_splits_leave_it_without_an_interval():
    first, second = made(100, 1, group=np.arange(100)), made(100, 2, group=np.arange(100) + 99)
    d = gap(first, second)["recall"]
    assert d["difference"] is not None
    assert (d["low"], d["p"], d["why"]) == (None, None, splits.SHARED)
    apart = gap(made(100, 1, group=np.arange(100)), made(100, 2, group=np.arange(100) + 100))["recall"]
    assert apart["low"] < apart["difference"] < apart["high"]


def test_a_candidate_that_has_seen_its_rows_shows_a_gap_that_is_separated():
    rng = np.random.default_rng(3)
    n = 900
    actual = (rng.random(n) < 0.4).astype(np.int64)
    train = np.arange(n) < 400
    lift = np.where(train, 0.5, 0.15)
    score = np.clip(rng.normal(0.3 + lift * actual, 0.15), 0, 1)
    one, labels = core.Candidate("net", score=score), core.Candidate("rule", predicted=actual)
    s = core.Study("q", ("no", "yes"), actual, 1, {"train": train, "test": ~train}, "test", None, (one, labels),
                   core.Settings(draws=200))  # fmt: skip
    told = core.Evaluation(s, "none").part(core.Part("gap", "train"))
    area = told["net"]["gap"]["roc_auc"]
    assert area["low"] > 0
    assert told["rule"]["gap"]["accuracy"]["difference"] == 0
    assert "roc_auc" not in told["rule"]["gap"] or told["rule"]["gap"]["roc_auc"]["difference"] is None
    assert core.Evaluation(s, "none").part(core.Part("gap", "test")) == {}
