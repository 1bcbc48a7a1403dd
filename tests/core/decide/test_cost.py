"""What the errors of a cutoff cost: by counting rows, restated for another base rate, and over HTTP's part."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare import expected
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics import own
from skarlo.core.metrics.panel import Reading

READING = Reading(("no", "yes"), 1, core.Settings(draws=800))


def made(n=600, seed=2, missing=0):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < 0.3).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.4 + 0.25 * actual, 0.2), 0, 1), 3)
    score[:missing] = np.nan
    return Answers.of_scores(actual, score, 0.5, none_counts=True)


@pytest.mark.parametrize("missing", [0, 40])
def test_a_needless_flag_and_a_miss_have_their_prices_and_nothing_else_costs(missing):
    a = made(missing=missing)
    flags = np.nan_to_num(a.score, nan=-1.0) >= 0.5
    needless, missed = int((flags & (a.actual == 0)).sum()), int((~flags & (a.actual == 1)).sum())
    m = own.cost_of_outcomes(a, (3.0, 40.0), READING.settings)
    assert m["value"] == pytest.approx((3 * needless + 40 * missed) / 600)
    assert m["low"] < m["value"] < m["high"]
    assert own.cost_of_outcomes(a, (0.0, 0.0), READING.settings)["value"] == 0


@pytest.mark.parametrize("missing", [0, 40])
def test_each_of_the_four_outcomes_may_cost(missing):
    a = made(missing=missing)
    flags = np.nan_to_num(a.score, nan=-1.0) >= 0.5
    price = np.where(a.actual == 1, np.where(flags, 0.5, 40.0), np.where(flags, 3.0, 0.1))
    m = own.cost_of_outcomes(a, (3.0, 40.0, 0.5, 0.1), READING.settings)
    assert m["value"] == pytest.approx(price.mean())
    assert m["low"] < m["value"] < m["high"]


@pytest.mark.parametrize("prices", [(3.0, 40.0, 0.5, 0.1), (1.0, 2.0, 5.0, 4.0)], ids=["errors dear", "errors cheap"])
def test_restated_each_outcome_has_its_price(prices):
    a = made()
    flags = a.score >= 0.5
    r, f = flags[a.actual == 1].mean(), flags[a.actual == 0].mean()
    needless, missed, caught, left = prices
    m = expected.restate(a, READING, 0.02, prices)["metrics"]["cost"]
    assert m["value"] == pytest.approx(0.98 * (f * needless + (1 - f) * left) + 0.02 * ((1 - r) * missed + r * caught))
    assert m["low"] < m["value"] < m["high"]


def test_restated_it_is_the_two_rates_at_their_prices():
    a = made()
    flags = a.score >= 0.5
    r, f = flags[a.actual == 1].mean(), flags[a.actual == 0].mean()
    m = expected.restate(a, READING, 0.02, (3.0, 40.0))["metrics"]["cost"]
    assert m["value"] == pytest.approx(0.98 * f * 3 + 0.02 * (1 - r) * 40)
    assert m["low"] < m["value"] < m["high"]
    assert "cost" not in expected.restate(a, READING, 0.02)["metrics"]
    own_rate = expected.restate(a, READING, float((a.actual == 1).mean()), (3.0, 40.0))["metrics"]["cost"]
    assert own_rate["value"] == pytest.approx(own.cost_of_outcomes(a, (3.0, 40.0), READING.settings)["value"])


def test_the_part_is_of_scores_and_of_classes_and_needs_its_prices():
    a = made()
    said = (a.score > 0.6).astype(np.int64)
    net, labels = core.Candidate("net", score=a.score), core.Candidate("said", predicted=said)
    s = core.Study("q", ("no", "yes"), a.actual, 1, {"all": np.ones(600, dtype=bool)}, "all", None, (net, labels),
                   core.Settings(draws=100))  # fmt: skip
    told = core.Evaluation(s, "none").part(core.Part("cost", "all", prices=(1.0, 10.0)))
    assert set(told) == {"net", "said"}
    assert told["net"]["cost"]["value"] == own.cost_of_outcomes(a, (1.0, 10.0), s.settings)["value"]
    assert core.Evaluation(s, "none").part(core.Part("cost", "all")) == {}
