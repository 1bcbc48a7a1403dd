"""A band for review: by hand, by counting rows, and the one of least cost against all bands."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo import core
from skarlo.core.counting import tally
from skarlo.core.counting.answers import Answers
from skarlo.core.decide import review
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.intervals import wilson

FIXED = core.Band(0.0, 1.0)
READING = Reading(("no", "yes"), 1, core.Settings())
SCORES = np.array([0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3, 0.2])
ACTUAL = np.array([1, 0, 1, 0, 0, 1, 0, 1])


def of(low, high, score=SCORES, actual=ACTUAL, band=FIXED, **about):
    return review.of_band(Answers.of_scores(actual, score, **about), READING, band, low, high)


def test_by_hand():
    found = of(0.35, 0.75)
    assert [(found[s]["rows"], found[s]["positives"]) for s in review.SIDES] == [(2, 1), (4, 2), (2, 1)]
    values = {name: m["value"] for name, m in found["metrics"].items()}
    assert values == {
        "share_reviewed": 0.5, "precision_above": 0.5, "npv_below": 0.5, "recall_with_review": 0.75,
        "accuracy_decided": 0.5,
    }  # fmt: skip
    recall = found["metrics"]["recall_with_review"]
    assert (recall["low"], recall["high"]) == pytest.approx(wilson(3, 4, 0.95))


def test_a_score_at_the_lower_end_is_looked_at_and_one_at_the_upper_is_flagged():
    found = of(0.4, 0.8)
    assert [found[s]["rows"] for s in review.SIDES] == [2, 4, 2]
    nobody = of(0.5, 0.5)
    assert nobody["between"]["rows"] == 0
    assert nobody["metrics"]["share_reviewed"]["value"] == 0.0
    everybody = of(-math.inf, math.inf)
    assert (everybody["low"], everybody["high"], everybody["between"]["rows"]) == (None, None, 8)
    assert everybody["metrics"]["accuracy_decided"]["why"] == "no row is scored outside of the band"
    assert of(0.8, 0.4)["metrics"]["share_reviewed"]["value"] is None


def test_rows_without_a_score_lie_nowhere_and_are_missed():
    found = of(0.35, 0.75, np.append(SCORES, np.nan), np.append(ACTUAL, 1), none_counts=True)
    assert sum(found[s]["rows"] for s in review.SIDES) == 8
    assert found["metrics"]["recall_with_review"]["value"] == 0.6
    assert found["metrics"]["share_reviewed"]["value"] == 4 / 9


def test_weights_and_groups_widen_the_intervals():
    rng = np.random.default_rng(1)
    actual, score = (rng.random(400) < 0.4).astype(np.int64), rng.random(400)
    plain, grouped, weighted = (
        of(0.3, 0.6, score, actual, **about)["metrics"]["share_reviewed"]
        for about in ({}, {"group": np.arange(400) // 20}, {"weight": rng.choice([1.0, 5.0], 400)})
    )
    assert plain["interval"] == "wilson"
    assert grouped["interval"] == "wilson_clustered"
    assert weighted["interval"] == "wilson_weighted"
    assert weighted["high"] - weighted["low"] > plain["high"] - plain["low"]


ROWS = st.lists(st.tuples(st.integers(0, 6), st.booleans()), min_size=1, max_size=14)
PRICES = st.tuples(st.integers(0, 9), st.integers(0, 9), st.integers(0, 4))


@given(ROWS, PRICES)
def test_the_band_of_least_cost_is_the_best_of_all(rows, prices):
    needless, missed, looked_at = prices
    score, actual = np.array([r[0] / 8 for r in rows]), np.array([r[1] for r in rows])
    ends = [*sorted(set(score.tolist())), math.inf]
    best = None
    for low in ends:
        for high in (x for x in ends if x >= low):
            between = int(((score >= low) & (score < high)).sum())
            cost = needless * int((~actual & (score >= high)).sum()) + missed * int((actual & (score < low)).sum())
            key = (cost + looked_at * between, between, -high)
            if best is None or key < best[0]:
                best = (key, (low, high))
    found = review.least_cost(tally.make(score, actual), int(actual.sum()), needless, missed, looked_at)
    of_found = Answers.of_scores(actual.astype(np.int64), score)
    band = core.Band(least_cost={"false_positive": needless, "false_negative": missed, "review": looked_at})
    told = review.of_band(of_found, READING, band, *found)
    assert told["cost"] == best[0][0]
    assert told["between"]["rows"] == best[0][1]
    assert found[1] == -best[0][2]


def test_in_a_study_it_is_chosen_on_tuning_and_read_on_every_split():
    rng = np.random.default_rng(2)
    n = 600
    actual = (rng.random(n) < 0.3).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.4 + 0.25 * actual, 0.2), 0, 1), 3)
    tuning = np.arange(n) < 200
    prices = {"false_positive": 3.0, "false_negative": 10.0, "review": 1.0}
    bands = (core.Band(0.2, 0.6), core.Band(least_cost=prices, on="net"), core.Band(0.1, 0.2, on="other"))
    candidates = (
        core.Candidate("net", score=score),
        core.Candidate("labels", predicted=(score > 0.5).astype(np.int64)),
    )
    s = core.Study("q", ("no", "yes"), actual, 1, {"tuning": tuning, "test": ~tuning}, "test", "tuning", candidates,
                   core.Settings(draws=200), bands=bands)  # fmt: skip
    net, labels = core.evaluate(s, "none")["candidates"][:2]
    tuned = review.least_cost(tally.make(score[tuning], actual[tuning] == 1), int(actual[tuning].sum()), **prices)
    for split in s.splits:
        fixed, cheapest = net["splits"][split]["bands"]
        assert (fixed["low"], fixed["high"]) == (0.2, 0.6)
        assert "cost" not in fixed
        assert (cheapest["low"], cheapest["high"]) == tuned
    assert "bands" not in labels["splits"]["test"]
    without = core.Study(**{**s.__dict__, "bands": ()})
    assert "bands" not in core.evaluate(without, "none")["candidates"][0]["splits"]["test"]
