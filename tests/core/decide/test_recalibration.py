"""Recalibration learned here and judged there; gain and lift; net benefit."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo.core.counting import curves, tally
from skarlo.core.counting.answers import Answers
from skarlo.core.decide import net_benefit, recalibration
from skarlo.core.metrics import logistic, ranking, reliability
from skarlo.core.metrics.panel import Reading
from skarlo.core.study import Settings

READING = Reading(("no", "yes"), 1, Settings(draws=200))


def stretched(seed, n=2000, by=2.0, shift=0.7, probability=True):
    """Scores whose logit is a multiple of the true one, and moved."""
    rng = np.random.default_rng(seed)
    true = rng.normal(size=n) * 1.2 - 0.5
    y = (rng.random(n) < 1 / (1 + np.exp(-true))).astype(np.int64)
    logit = by * true + shift
    score = 1 / (1 + np.exp(-logit)) if probability else logit
    return Answers.of_scores(y, score, probable=probability)


def test_a_logistic_fit_undoes_a_stretch_and_a_shift():
    told, apply = recalibration.learn("logistic", stretched(1, 60_000))
    assert told["slope"] == pytest.approx(0.5, abs=0.02)
    assert told["intercept"] == pytest.approx(-0.35, abs=0.03)
    a = stretched(1)
    again = Answers.of_scores(a.actual, recalibration.learn("logistic", a)[1](a.score))
    assert logistic.fit(again.tally)[0] == pytest.approx([0, 1], abs=1e-6)
    assert apply(np.array([0.1, 0.5, 0.9])) == pytest.approx(sorted(apply(np.array([0.9, 0.1, 0.5]))))


def test_scores_that_only_rank_become_probabilities():
    probability, raw = stretched(2), stretched(2, probability=False)
    same = [recalibration.learn("logistic", a)[1](a.score) for a in (probability, raw)]
    assert same[0] == pytest.approx(same[1], abs=1e-6)
    with pytest.raises(recalibration.NotLearnedError, match="only rank"):
        recalibration.learn("temperature", raw)


def test_temperature_is_the_best_of_a_grid():
    a = stretched(3, 800, by=2.5, shift=0)
    told, apply = recalibration.learn("temperature", a)

    def loss(score):
        return -np.mean(np.log(np.where(a.actual == 1, score, 1 - score)))

    x = logistic.logit(a.score)
    grid = np.linspace(0.5, 5, 901)
    losses = [loss(1 / (1 + np.exp(-x / t))) for t in grid]
    assert told["temperature"] == pytest.approx(grid[int(np.argmin(losses))], abs=0.006)
    assert loss(apply(a.score)) <= min(losses) + 1e-12


def test_temperature_of_many_classes_is_the_best_of_a_grid():
    rng = np.random.default_rng(4)
    logits = rng.normal(size=(900, 4)) * 1.5
    p = np.exp(logits) / np.exp(logits).sum(axis=1, keepdims=True)
    y = np.array([rng.choice(4, p=row) for row in p])
    given_p = np.exp(2 * logits) / np.exp(2 * logits).sum(axis=1, keepdims=True)
    a = Answers.of_probabilities(y, given_p)
    told, apply = recalibration.learn("temperature", a)

    def loss(t):
        z = np.exp(np.log(given_p) / t)
        return -np.mean(np.log((z / z.sum(axis=1, keepdims=True))[np.arange(900), y]))

    grid = np.linspace(1, 4, 601)
    assert told["temperature"] == pytest.approx(grid[int(np.argmin([loss(t) for t in grid]))], abs=0.006)
    assert apply(given_p).sum(axis=1) == pytest.approx(np.ones(900))
    found = recalibration.judge(a, a, Reading(tuple("abcd"), None, Settings(draws=100)))
    assert found["temperature"]["change"]["log_loss"]["difference"] < 0
    assert found["isotonic"] == {"why": "isotonic recalibration is for two classes"}


def test_isotonic_steps_leave_no_miscalibration_where_they_were_learned():
    a = stretched(5, 300)
    told, apply = recalibration.learn("isotonic", a)
    again = Answers.of_scores(a.actual, apply(a.score))
    parts = reliability.block(again, again.tally, 10, READING.settings.sampling)["parts"]
    assert parts["miscalibration"] == pytest.approx(0, abs=1e-12)
    assert told["steps"] == len(np.unique(again.score))
    assert apply(np.array([-5.0, 5.0])).tolist() == [again.score.min(), again.score.max()]


def test_judged_on_other_rows_with_the_change_of_its_losses():
    learn_on, judge_on = stretched(6), stretched(7)
    found = recalibration.of_candidate(learn_on, judge_on, READING, ("tuning", "test"))
    assert (found["learned_on"], found["judged_on"]) == ("tuning", "test")
    for method in ("logistic", "isotonic"):
        part = found["methods"][method]
        change = part["change"]["log_loss"]
        assert change["difference"] < change["high"] < 0
        before = np.mean((judge_on.score - judge_on.actual) ** 2)
        assert part["metrics"]["brier"]["value"] - before == pytest.approx(part["change"]["brier"]["difference"])
    logistic = found["methods"]["logistic"]["metrics"]
    assert logistic["roc_auc"]["value"] == pytest.approx(ranking.roc_area(judge_on.tally))


def test_what_cannot_be_learned_says_why():
    one = Answers.of_scores(np.array([1, 1]), np.array([0.2, 0.9]))
    apart = Answers.of_scores(np.array([0, 1]), np.array([0.2, 0.9]))
    found = recalibration.judge(one, stretched(8), READING)
    assert {m["why"] for m in found.values()} == {"a class has no rows to learn from"}
    assert "separate" in recalibration.judge(apart, stretched(8), READING)["logistic"]["why"]
    none = recalibration.of_candidate(None, apart, READING, (None, "all"))
    assert none == {"learned_on": None, "judged_on": "all", "why": "there is no tuning split to learn it on"}


ROWS = st.lists(st.tuples(st.booleans(), st.sampled_from([0.0, 0.05, 0.3, 0.5, 0.9, 1.0])), min_size=1, max_size=25)


@given(ROWS)
def test_net_benefit_by_definition(rows):
    y, s = np.array([a for a, _ in rows]), np.array([s for _, s in rows])
    a = Answers.of_scores(y.astype(np.int64), s)
    found = net_benefit.net_benefit_curve(a, 0.95)
    n = len(rows)
    for at, value, low, high, everyone in zip(*found.values(), strict=True):
        odds = at / (1 - at)
        worth = [(1 if a else -odds) if s >= at else 0 for a, s in rows]
        assert value == pytest.approx(sum(worth) / n, abs=1e-12)
        assert everyone == pytest.approx(sum(1 if a else -odds for a, _ in rows) / n, abs=1e-12)
        half = 1.959963984540054 * np.std(worth) / np.sqrt(n)
        assert (low, high) == pytest.approx((value - half, value + half), abs=1e-9)


def test_net_benefit_with_weights_and_groups_spreads_as_it_should():
    a = stretched(9, 400)
    plain = net_benefit.net_benefit_curve(a, 0.95)
    designs = (np.full(400, 3.0), None), (None, np.arange(400)), (None, np.arange(400) // 8)
    for weight, group in designs:
        d = Answers.of_scores(a.actual, a.score, weight=weight, group=group)
        found = net_benefit.net_benefit_curve(d, 0.95)
        assert found["net_benefit"] == pytest.approx(plain["net_benefit"])
        if group is None or group[-1] == 399:
            assert found["low"] == pytest.approx(plain["low"])


@given(ROWS)
def test_gain_and_lift_by_definition(rows):
    positives = sum(a for a, _ in rows)
    if not positives:
        return
    t = tally.make(np.array([s for _, s in rows]), np.array([a for a, _ in rows]))
    found = curves.listed(curves.gain_curve(t))
    assert (found["flagged_share"][0], found["recall"][0], found["lift"][0]) == (0.0, 0.0, None)
    for i, cutoff in enumerate(sorted({s for _, s in rows}, reverse=True), 1):
        flagged = [a for a, s in rows if s >= cutoff]
        assert found["cutoff"][i] == cutoff
        assert found["flagged_share"][i] == len(flagged) / len(rows)
        assert found["recall"][i] == sum(flagged) / positives
        assert found["lift"][i] == pytest.approx(found["recall"][i] / found["flagged_share"][i])
