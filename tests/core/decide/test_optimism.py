"""What a cutoff owes to having been chosen on the same rows: by brute force over the parts, and over many samples."""

from __future__ import annotations

import math

import numpy as np
import pytest

import brute
from skarlo import core
from skarlo.core.counting.answers import Answers
from skarlo.core.decide import group_cutoffs, optimism, rules, treated
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.draws import generator

RULES = {
    "best_f1": {}, "best_youden": {}, "least_cost": {"false_positive": 1.0, "false_negative": 4.0},
    "recall_at_least": {"value": 0.8}, "precision_at_least": {"value": 0.5}, "flag_at_most": {"share": 0.25},
}  # fmt: skip


def made(n=300, seed=3, share=0.3, **about):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < share).astype(np.int64)
    return Answers.of_scores(actual, np.round(np.clip(rng.normal(0.4 + 0.2 * actual, 0.2), 0, 1), 2), **about)


def chosen(a, rule, parameters):
    p, n = int(a.is_positive.sum()), int((~a.is_positive).sum())
    return rules.choose(rule, parameters, a.tally, p, n).value


def crossed(a, rule, parameters, seed, repeats):
    """Row by row: the parts of each class, the cutoff that nine of them choose, the tenth's rows above it."""
    score, actual = np.asarray(a.score), a.actual
    out = []
    for repeat in range(repeats):
        part = np.zeros(len(score), dtype=int)
        for k in (0, 1):
            rows = np.flatnonzero(actual == k)
            rows = rows[np.argsort(score[rows], kind="stable")]
            perm = generator(seed, "parts", (len(rows),), np.array([repeat, k])).permutation(len(rows))
            part[rows] = perm % 10
        predicted = np.zeros(len(score), dtype=bool)
        for j in range(10):
            others = Answers.of_scores(actual[part != j], score[part != j])
            predicted |= (part == j) & (score >= chosen(others, rule, parameters))
        tp, fp, fn, tn = brute.outcomes((actual == 1).tolist(), predicted.tolist())
        out.append({
            "f1": 2 * tp / (2 * tp + fp + fn), "youden_j": tp / (tp + fn) - fp / (fp + tn),
            "cost": (fp + 4.0 * fn) / len(score), "recall": tp / (tp + fn), "precision": tp / (tp + fp),
            "flagged_share": (tp + fp) / len(score),
        })  # fmt: skip
    return out


@pytest.mark.parametrize("rule", RULES)
def test_it_is_the_value_less_that_of_parts_read_at_the_others_cutoff(rule):
    a, parameters = made(), RULES[rule]
    cutoff = chosen(a, rule, parameters)
    ((name, found),) = optimism.of_choice(a, rule, parameters, cutoff, 7).items()
    again = np.mean([one[name] for one in crossed(a, rule, parameters, 7, 10)])
    assert found["cross_chosen"] == pytest.approx(again, abs=1e-12)
    apart = found["value"] - found["cross_chosen"]
    assert found["difference"] == pytest.approx(-apart if name in ("cost", "flagged_share") else apart)


def test_a_cap_on_rows_is_nine_tenths_of_it_on_nine_tenths_of_the_rows():
    a = made()
    by_rows = optimism.of_choice(a, "flag_at_most", {"rows": 60.0}, chosen(a, "flag_at_most", {"rows": 60.0}), 7)
    by_share = optimism.of_choice(a, "flag_at_most", {"share": 0.2}, chosen(a, "flag_at_most", {"share": 0.2}), 7)
    assert by_rows == by_share


@pytest.mark.parametrize("rule", ["best_f1", "best_youden", "least_cost"])
def test_over_many_samples_it_is_what_the_choice_gains(rule):
    """The truth from a large sample at each chosen cutoff; the mean optimism is within a third of it."""
    truth = made(n=200_000, seed=1)
    gained, told = [], []
    for seed in range(120):
        a = made(n=120, seed=1000 + seed)
        cutoff = chosen(a, rule, RULES[rule])
        ((name, found),) = optimism.of_choice(a, rule, RULES[rule], cutoff, 7).items()
        tp, fp = truth.tally.at(cutoff)
        p, n = truth.tally.positives, truth.tally.negatives
        real = {"f1": 2 * tp / (tp + fp + p), "youden_j": tp / p - fp / n, "cost": (fp + 4 * (p - tp)) / (p + n)}[name]
        gained.append((found["value"] - real) * (-1 if name == "cost" else 1))
        told.append(found["difference"])
    assert np.mean(gained) > 0.01
    assert np.mean(told) == pytest.approx(np.mean(gained), rel=1 / 3)


def by_groups(n, seed, **about):
    """Scores that are too low in the second of three groups; the third has fewer rows."""
    rng = np.random.default_rng(seed)
    actual, group = (rng.random(n) < 0.35).astype(np.int64), rng.choice(3, n, p=(0.45, 0.35, 0.2))
    score = np.round(np.clip(rng.normal(0.4 + 0.2 * actual - 0.15 * (group == 1), 0.2), 0, 1), 2)
    return Answers.of_scores(actual, score, **about), group


def crossed_by_groups(a, group, rule, prices, gap, seed, repeats):
    """Row by row: cost a row, and the gap, with each tenth read at the cutoffs that the other nine choose."""
    score, actual, out = np.asarray(a.score), a.actual, []
    for repeat in range(repeats):
        part = np.zeros(len(score), dtype=int)
        for k in (0, 1):
            rows = np.flatnonzero(actual == k)
            rows = rows[np.argsort(score[rows], kind="stable")]
            part[rows] = generator(seed, "parts", (len(rows),), np.array([repeat, k])).permutation(len(rows)) % 10
        flagged = np.zeros(len(score), dtype=bool)
        for j in range(10):
            each = [Answers.of_scores(actual[m], score[m]) for m in ((part != j) & (group == g) for g in range(3))]
            asked = [group_cutoffs.options(x.tally, *x.class_rows, rule, prices) for x in each]
            cutoffs = group_cutoffs.choose(asked, None if rule == "least_cost" else gap).cutoffs
            flagged |= (part == j) & (score >= np.array(cutoffs)[group])
        cost = prices[0] * np.sum(flagged & (actual == 0)) + prices[1] * np.sum(~flagged & (actual == 1))
        rates = {"recall": [flagged[(group == g) & (actual == 1)].mean() for g in range(3)],
                 "flagged_share": [flagged[group == g].mean() for g in range(3)]}.get(rule, [0.0])  # fmt: skip
        out.append((cost / len(score), max(rates) - min(rates)))
    return np.mean(out, axis=0)


def told_of_groups(a, group, rule, prices=(1.0, 4.0), gap=0.05):
    wish = treated.Wish(rule, gap, prices)
    grouped = treated.Grouped(a, group)
    reading = Reading(("no", "yes"), 1, core.Settings(seed=7, min_slice=10), ())
    return treated.with_cutoffs(["a", "b", "c"], grouped, grouped, 0.5, wish, reading)


@pytest.mark.parametrize("rule", ["least_cost", "recall", "flagged_share"])
def test_of_cutoffs_for_groups_it_is_that_of_parts_read_at_the_others_cutoffs(rule):
    a, group = by_groups(240, 5)
    told = told_of_groups(a, group, rule)
    cost, gap = crossed_by_groups(a, group, rule, (1.0, 4.0), 0.05, 7, 10)
    found = told["optimism"]
    assert found["cost"]["value"] == pytest.approx(told["cost"] / 240)
    assert found["cost"]["cross_chosen"] == pytest.approx(cost)
    assert found["cost"]["difference"] == pytest.approx(cost - told["cost"] / 240)
    assert ("gap" in found) == (rule != "least_cost")
    if "gap" in found:
        assert found["gap"]["value"] == told["gap_reached"]
        assert found["gap"]["cross_chosen"] == pytest.approx(gap)
    if rule == "recall":
        assert found["gap"]["difference"] > 0.02, "rates that are equal where they were chosen are less so elsewhere"


def test_of_cutoffs_for_groups_few_rows_unanswered_ones_and_weights():
    few, group = by_groups(40, 1)
    few = few.take(np.flatnonzero((few.actual == 0) | (np.cumsum(few.actual) <= 9)))
    found = told_of_groups(few, group[: len(few.actual)] * 0, "recall")["optimism"]
    assert {name: (o["difference"], o["why"]) for name, o in found.items()} == {
        "cost": (None, optimism.FEW), "gap": (None, optimism.FEW),
    }  # fmt: skip
    a, group = by_groups(240, 5)
    plain = told_of_groups(a, group, "recall")["optimism"]
    more = Answers.of_scores(np.append(a.actual, [1] * 24), np.append(np.asarray(a.score), [np.nan] * 24),
                             none_counts=True)  # fmt: skip
    with_none = told_of_groups(more, np.append(group, [0] * 24), "recall")["optimism"]
    assert with_none["cost"]["cross_chosen"] > plain["cost"]["cross_chosen"], "those without an answer are missed"
    twice, group = by_groups(240, 5, weight=np.full(240, 2.0))
    heavy = told_of_groups(twice, group, "recall")["optimism"]
    assert heavy["cost"]["value"] == pytest.approx(plain["cost"]["value"])
    assert heavy["gap"]["cross_chosen"] == pytest.approx(plain["gap"]["cross_chosen"], abs=0.08)


def test_few_rows_of_a_class_and_what_no_rule_chose():
    few = Answers.of_scores(np.array([1] * 9 + [0] * 30), np.linspace(0, 1, 39))
    found = optimism.of_choice(few, "best_f1", {}, 0.5, 1)["f1"]
    assert (found["difference"], found["why"]) == (None, optimism.FEW)
    assert optimism.of_choice(made(), "fixed", {}, 0.5, 1) == {}
    none = optimism.of_choice(made(), "precision_at_least", {"value": 0.99}, math.inf, 1)["precision"]
    assert none["difference"] is None
    assert "no cutoff satisfies the rule" in none["why"]


def test_weights_of_one_change_nothing_and_unanswered_rows_stay_missed():
    plain, weighted = made(), made(weight=np.ones(300))
    cutoff = chosen(plain, "best_f1", {})
    one, other = (optimism.of_choice(a, "best_f1", {}, cutoff, 7)["f1"] for a in (plain, weighted))
    assert other["value"] == pytest.approx(one["value"])
    assert abs(other["cross_chosen"] - one["cross_chosen"]) < 0.05  # other rows are tied, so other parts
    score = np.append(np.asarray(plain.score), [np.nan] * 20)
    more = Answers.of_scores(np.append(plain.actual, [1] * 20), score, none_counts=True)
    found = optimism.of_choice(more, "recall_at_least", {"value": 0.7}, 0.3, 7)["recall"]
    p = int(more.is_positive.sum())
    assert found["value"] == pytest.approx(plain.tally.at(0.3)[0] / p)
    assert found["cross_chosen"] >= 0.65


def study(tune_on="tuning", cutoff=None):
    rng = np.random.default_rng(5)
    n = 800
    actual = (rng.random(n) < 0.3).astype(np.int64)
    score = np.clip(rng.normal(0.4 + 0.2 * actual, 0.2), 0, 1)
    tuning = np.arange(n) < 300
    one = core.Candidate("net", score=score, cutoff=cutoff or core.Cutoff(rule="best_f1"))
    splits = {"tuning": tuning, "test": ~tuning} if tune_on else {"test": np.ones(n, dtype=bool)}
    return core.Study("q", ("no", "yes"), actual, 1, splits, "test", tune_on, (one,), core.Settings(draws=200))


def parts(s, *kinds):
    return core.Evaluation(s, "none").results([core.Part(k) for k in kinds])["candidates"][0]


def test_the_drift_that_choosing_does_not_explain():
    c = parts(study(), "optimism", "drift")
    o, d = c["optimism"]["f1"], c["drift"]["f1"]
    beyond = d["beyond_choosing"]
    assert beyond["difference"] == pytest.approx(d["difference"] + o["difference"])
    assert beyond["low"] < beyond["difference"] < beyond["high"]
    assert "beyond_choosing" not in c["drift"]["recall"]
    tuned = core.evaluate(study(), "none")["candidates"][0]["splits"]["tuning"]["metrics"]["f1"]
    assert (o["low"], o["high"]) == pytest.approx(
        (tuned["low"] - o["difference"], tuned["high"] - o["difference"]), abs=1e-12
    )


def test_chosen_on_the_rows_reported_on_and_chosen_by_nobody():
    c = parts(study(tune_on=None), "optimism", "drift")
    assert c["optimism"]["f1"]["difference"] is not None
    assert "drift" not in c
    assert "optimism" not in parts(study(cutoff=core.Cutoff(0.5)), "optimism")
    by_rule = core.Cutoff(0.47, "tuning", chosen_by={"rule": "best_f1"})
    kept = parts(study(cutoff=by_rule), "optimism")["optimism"]["f1"]
    assert kept["cross_chosen"] == parts(study(), "optimism")["optimism"]["f1"]["cross_chosen"]
