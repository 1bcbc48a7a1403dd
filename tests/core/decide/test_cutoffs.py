"""How wide the choice of a cutoff is: by hand, by counting over lists of rows, and by brute force over all pairs."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.stats import beta

import brute
from skarlo import core
from skarlo.core.counting.answers import Answers
from skarlo.core.decide import cutoffs
from skarlo.core.metrics import panel
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.intervals import wilson

READING = Reading(("no", "yes"), 1, core.Settings(draws=300))
SCORES = [0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3, 0.2]
ACTUAL = [1, 0, 1, 0, 0, 1, 0, 1]


def of(score, actual, cutoff=0.5, **about):
    return Answers.of_scores(np.asarray(actual), np.asarray(score, dtype=np.float64), cutoff, **about)


def made(n=600, seed=4, lift=0.25, **about):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < 0.3).astype(np.int64)
    return of(np.round(np.clip(rng.normal(0.4 + lift * actual, 0.2), 0, 1), 3), actual, **about)


def test_one_more_catch_by_hand():
    found = cutoffs.next_catch(of(SCORES, ACTUAL), 0.65, 1, 0.95)
    assert (found["cutoff"], found["catches"], found["needless"], found["all_left"]) == (0.4, 1, 2, False)
    assert [round(found["price"][k], 2) for k in ("value", "low", "high")] == [2.0, 0.19, 117.99]


def test_the_last_catches_and_what_is_left():
    a = of(SCORES, ACTUAL)
    last = cutoffs.last_catch(a, 0.65, 1, 0.95)
    assert (last["cutoff"], last["catches"], last["needless"]) == (0.8, 1, 0)
    assert last["price"]["low"] == 0.0
    assert last["price"]["high"] == pytest.approx(1 / beta.ppf(0.025, 1, 1) - 1)
    both = cutoffs.last_catch(a, 0.65, 2, 0.95)
    assert (both["cutoff"], both["catches"], both["needless"], both["all_left"]) == (None, 2, 1, False)
    rest = cutoffs.next_catch(a, 0.65, 10, 0.95)
    assert (rest["cutoff"], rest["catches"], rest["needless"], rest["all_left"]) == (0.2, 2, 3, True)
    assert cutoffs.next_catch(a, 0.1, 1, 0.95) is None
    assert cutoffs.last_catch(a, 0.95, 1, 0.95) is None


@pytest.mark.parametrize("catches", [1, 5, 40])
def test_catches_are_those_of_the_rows(catches):
    a = made()
    found = cutoffs.next_catch(a, 0.6, catches, 0.95)
    rows = list(zip(a.score.tolist(), a.actual.tolist(), strict=True))
    between = [y for s, y in rows if found["cutoff"] <= s < 0.6]
    assert sum(between) == found["catches"] >= catches
    assert len(between) - sum(between) == found["needless"]
    higher = min(s for s, _ in rows if s > found["cutoff"])
    assert sum(y for s, y in rows if higher <= s < 0.6) < catches


def test_a_price_of_weighted_rows_has_no_interval():
    found = cutoffs.next_catch(made(weight=np.full(600, 2.0)), 0.6, 5, 0.95)
    assert (found["price"]["low"], found["price"]["high"]) == (None, None)
    assert found["price"]["value"] == found["needless"] / found["catches"]


@pytest.mark.parametrize("step", [0.5, 0.1, 0.02])
def test_a_sweep_is_the_metrics_at_each_cutoff(step):
    a = made()
    found = cutoffs.sweep(a, READING, step)
    assert found["cutoff"] == pytest.approx([k * step for k in range(round(1 / step) + 1)])
    for i, c in enumerate(found["cutoff"]):
        predicted = [s >= c for s in a.score.tolist()]
        counted = brute.rates(a.actual.astype(bool).tolist(), predicted)
        for name in ("recall", "precision", "f1"):
            x = counted[name]
            assert found[name]["value"][i] == (None if x is None else pytest.approx(x))
        told = panel.of_counts(a.at(c), READING)["recall"]
        assert (found["recall"]["low"][i], found["recall"]["high"][i]) == (told["low"], told["high"])
    assert "prevalence" not in found
    with pytest.raises(ValueError, match="whole number of times"):
        cutoffs.sweep(a, READING, 0.3)


def test_scores_that_only_rank_are_swept_at_their_quantiles():
    a = of([3.0, -1.0, 8.0, 5.0], [1, 0, 1, 0], probable=False)
    assert cutoffs.sweep(a, READING, 0.5)["cutoff"] == [-1.0, 4.0, 8.0]


@pytest.mark.parametrize(("rule", "p"), [("best_f1", {}), ("best_youden", {}),
                                         ("least_cost", {"false_positive": 1.0, "false_negative": 4.0})])  # fmt: skip
def test_a_stretch_holds_the_best_and_narrows_with_rows(rule, p):
    widths = []
    for n in (200, 20_000):
        a = made(n)
        found = cutoffs.stretch(a, READING, rule, p)
        chosen = core.prepare(core.Study(
            "s", ("no", "yes"), a.actual, 1, {"all": np.ones(n, dtype=bool)}, "all", None,
            (core.Candidate("c", score=a.score),),
        )).placed(0, core.Cutoff(rule=rule, parameters=p)).value  # fmt: skip
        low, high = found["low"] or 0.0, 1.0 if found["high"] is None else found["high"]
        assert low <= chosen <= high
        widths.append(high - low)
        assert found == cutoffs.stretch(a, READING, rule, p)
    assert widths[1] < widths[0] / 2


def test_which_cannot_be_separated_is_the_studentised_maximum():
    rng = np.random.default_rng(0)
    m = np.array([0.1, 0.5, 0.52, 0.4])
    dev = rng.normal(0, 0.05, (400, 4))
    kept = cutoffs._not_separable(m, dev, 0.05).tolist()
    wanted = []
    for c in range(4):
        sd = np.array([np.std(dev[:, k] - dev[:, c], ddof=1) for k in range(4)])
        sd = np.maximum(sd, 0.3 * sd.max())
        t = max((m[k] - m[c]) / sd[k] for k in range(4))
        most = [max((row[k] - row[c]) / sd[k] for k in range(4)) for row in dev]
        if np.mean([x >= t - 1e-12 for x in most]) > 0.05:
            wanted.append(c)
    assert kept == wanted
    assert 2 in kept
    assert 0 not in kept


def test_two_cutoffs_that_hardly_differ_are_not_separated_by_how_alike_they_are():
    rng = np.random.default_rng(1)
    dev = rng.normal(0, 0.05, (400, 3))
    dev[:, 1] = dev[:, 2] + rng.normal(0, 1e-4, 400)
    assert cutoffs._not_separable(np.array([0.1, 0.499, 0.5]), dev, 0.05).tolist() == [1, 2]


def test_a_floor_is_met_with_the_whole_interval():
    a = made()
    positives = int(a.actual.sum())
    found = cutoffs.stretch(a, READING, "recall_at_least", {"value": 0.7})
    assert found["low"] is None
    tp = int(a.actual[a.score >= found["high"]].sum())
    assert wilson(tp, positives, 0.95)[0] >= 0.7
    above = a.score[a.score > found["high"]].min()
    assert wilson(int(a.actual[a.score >= above].sum()), positives, 0.95)[0] < 0.7
    cap = cutoffs.stretch(a, READING, "flag_at_most", {"share": 0.2})
    assert cap["high"] is None
    assert wilson(int((a.score >= cap["low"]).sum()), 600, 0.95)[1] <= 0.2
    assert "no cutoff meets it" in cutoffs.stretch(a, READING, "precision_at_least", {"value": 0.9999})["why"]


def test_no_rule_has_no_stretch():
    assert cutoffs.stretch(made(), READING, "by hand", {})["why"] == "no rule chose it"
    assert "no rows" in cutoffs.stretch(of([0.1, 0.2], [1, 1]), READING, "best_f1", {})["why"]


def test_groups_widen_a_stretch():
    twice = made(400)
    score, actual = np.repeat(twice.score, 6), np.repeat(twice.actual, 6)
    alone = cutoffs.stretch(of(score, actual), READING, "best_f1", {})
    grouped = cutoffs.stretch(of(score, actual, group=np.repeat(np.arange(400), 6)), READING, "best_f1", {})
    width = [(1.0 if x["high"] is None else x["high"]) - (x["low"] or 0.0) for x in (alone, grouped)]
    assert width[1] > width[0]


def test_parts_and_the_results_file():
    rng = np.random.default_rng(0)
    n = 400
    actual = (rng.random(n) < 0.3).astype(np.int64)
    score = np.clip(rng.normal(0.4 + 0.2 * actual, 0.2), 0, 1)
    tuning = np.arange(n) % 2 == 0
    rule = core.Cutoff(rule="best_f1")
    candidates = (core.Candidate("net", score=score, cutoff=rule), core.Candidate("said", predicted=actual))
    about = {"settings": core.Settings(draws=100)}
    study = core.Study("s", ("no", "yes"), actual, 1, {"test": ~tuning, "tuning": tuning}, "test", "tuning",
                       candidates, **about)  # fmt: skip
    plain = core.evaluate(study, "none")["candidates"]
    assert not {"sweep", "stretch"} & set(plain[0]["splits"]["test"])
    assert "drift" not in plain[0]
    asked = core.evaluate(core.Study(**{**study.__dict__, "cutoff_study": core.CutoffStudy(0.1, 3)}), "none")
    net, said = asked["candidates"][:2]
    assert len(net["splits"]["tuning"]["sweep"]["cutoff"]) == 11
    assert net["splits"]["tuning"]["stretch"]["rule"] == "best_f1"
    assert net["splits"]["test"]["next_catch"]["catches"] >= 3
    assert net["drift"]["recall"]["difference"] == pytest.approx(
        net["splits"]["test"]["metrics"]["recall"]["value"] - net["splits"]["tuning"]["metrics"]["recall"]["value"]
    )
    assert "drift" not in said
    assert "sweep" not in said["splits"]["test"]
