"""Groups treated alike, against a pair at a time with the exact test and Newcombe's interval; by hand."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest

from one_field import of_fields
from skarlo import core
from skarlo.core.compare.alike import RATES, Group, alike
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.hypergeometric import mid_p
from skarlo.core.stats.intervals import hybrid_difference, wilson, wilson_share

READING = Reading(("no", "yes"), 1, core.Settings(draws=100))


def group(name, tp, fn, fp, tn):
    actual = np.repeat([1, 1, 0, 0], [tp, fn, fp, tn])
    said = np.repeat([1, 0, 1, 0], [tp, fn, fp, tn])
    return Group(name, Answers(2, 1, actual, predicted=said))


def counts(tp, fn, fp, tn):
    return {"flagged_share": (tp + fp, tp + fn + fp + tn), "recall": (tp, tp + fn), "fpr": (fp, fp + tn),
            "precision": (tp, tp + fp), "npv": (tn, tn + fn), "accuracy": (tp + tn, tp + fn + fp + tn)}  # fmt: skip


def test_by_hand():
    """Of 50, 50 and 20 rows that should be caught 40, 30 and 12 are: a gap of 0.2 (0 to 0.4739)."""
    found = alike([group("a", 40, 10, 9, 30), group("b", 30, 20, 9, 30), group("c", 12, 8, 9, 30)], 1, READING)
    recall = found["criteria"]["recall"]
    assert (recall["largest"], recall["smallest"]) == ("a", "b")
    assert (recall["gap"], recall["low"], recall["high"]) == pytest.approx((0.2, 0.0, 0.4739), abs=5e-5)
    assert recall["ratio"] == pytest.approx(0.75)


TABLES = {"north": (30, 10, 12, 90), "south": (18, 22, 30, 80), "west": (25, 15, 5, 60)}


def test_each_rate_is_that_of_all_pairs_at_once():
    found = alike([group(name, *t) for name, t in TABLES.items()], 1, READING)
    for rate in RATES:
        kn = {name: counts(*t)[rate] for name, t in TABLES.items()}
        c = found["criteria"][rate]
        shares = {name: k / n for name, (k, n) in kn.items()}
        assert c["gap"] == pytest.approx(max(shares.values()) - min(shares.values()))
        assert c["largest"] == max(shares, key=shares.get)
        assert {g: v["value"] for g, v in c["values"].items()} == pytest.approx(shares)
        ends, ps = [], []
        for one, other in combinations(kn, 2):
            for a, b in ((one, other), (other, one)):
                ci = [wilson(*kn[x], 1 - 0.05 / 3) for x in (a, b)]
                ends.append(hybrid_difference(shares[a], ci[0], shares[b], ci[1]))
            (k, n), (j, m) = kn[one], kn[other]
            ps.append(mid_p(*(np.array([x]) for x in (k, n, k + j, n + m)))[0])
        assert c["low"] == pytest.approx(min(c["gap"], max(0, *(low for low, _ in ends))))
        assert c["high"] == pytest.approx(max(c["gap"], min(1, max(high for _, high in ends))))
        assert c["p"] == pytest.approx(min(1, 3 * min(ps)))
    both = found["criteria"]["recall_and_fpr"]
    assert both["gap"] == max(found["criteria"][x]["gap"] for x in ("recall", "fpr"))
    assert both["low"] <= both["gap"] <= both["high"]
    assert both["p"] >= min(found["criteria"][x]["p"] for x in ("recall", "fpr"))


def test_what_equal_precision_and_recall_would_force():
    found = alike([group(name, *t) for name, t in TABLES.items()], 1, READING)["not_all_at_once"]
    tp, fn, fp, _ = (sum(x) for x in zip(*TABLES.values(), strict=True))
    v, r = tp / (tp + fp), tp / (tp + fn)
    assert (found["precision"], found["recall"]) == pytest.approx((v, r))
    for name, t in TABLES.items():
        p = (t[0] + t[1]) / sum(t)
        assert found["groups"][name] == pytest.approx({"prevalence": p, "fpr": p / (1 - p) * (1 - v) / v * r})
    same = alike([group("a", 10, 10, 10, 30), group("b", 12, 8, 5, 35)], 1, READING)
    assert same["not_all_at_once"] is None


def test_small_and_thin_groups_are_named_and_left_out():
    found = alike([group("a", 20, 10, 10, 30), group("b", 15, 15, 10, 30), group("tiny", 5, 5, 5, 5),
                   group("few", 2, 3, 10, 40)], 1, READING)  # fmt: skip
    assert found["small"] == ["tiny"]
    recall = found["criteria"]["recall"]
    assert recall["thin"] == ["few"]
    assert {recall["largest"], recall["smallest"]} == {"a", "b"}
    alone = alike([group("a", 20, 10, 10, 30), group("tiny", 5, 5, 5, 5)], 1, READING)
    assert alone["criteria"]["recall"]["gap"] is None
    assert "two groups" in alone["criteria"]["recall"]["why"]
    assert alone["criteria"]["recall_and_fpr"]["gap"] is None


def test_calibration_in_the_large_and_the_part_of_a_study():
    rng = np.random.default_rng(4)
    n = 600
    actual, ward = (rng.random(n) < 0.3).astype(np.int64), np.arange(n) % 3
    score = np.clip(rng.normal(0.3 + 0.3 * actual + 0.15 * (ward == 2), 0.15), 0, 1)
    one = core.Candidate("net", score=score, cutoff=core.Cutoff(0.45))
    s = core.Study("q", ("no", "yes"), actual, 1, {"all": np.ones(n, dtype=bool)}, "all", None, (one,),
                   core.Settings(draws=100))  # fmt: skip
    field = core.Field("ward", ("a", "b", ""), ward)
    evaluation = core.Evaluation(core.prepare(s, of_fields(field)), "none")
    part = evaluation.part(core.Part("alike", "all", fields=("ward",)))["net"]["alike"]
    assert part["groups"] == {"a": 200, "b": 200, "absent": 200}
    large = part["criteria"]["calibration_in_the_large"]
    for k, name in enumerate(("a", "b", "absent")):
        off = score[ward == k] - actual[ward == k]
        assert large["values"][name]["value"] == pytest.approx(off.mean())
        share, spread = actual[ward == k].mean(), off.var(ddof=1) / 200
        low, high = wilson_share(share, share * (1 - share) / spread, 0.95)
        ends = [large["values"][name][end] for end in ("low", "high")]
        assert ends == pytest.approx([score[ward == k].mean() - high, score[ward == k].mean() - low])
    assert large["largest"] == "absent"
    assert large["p"] < 0.01
    assert "ratio" not in large


def test_each_group_against_one_of_them():
    found = alike([group(name, *t) for name, t in TABLES.items()], 1, READING, against="south")
    told = found["criteria"]["recall"]["against"]
    assert (told["group"], list(told["groups"])) == ("south", ["north", "west"])
    ps = []
    for name in ("north", "west"):
        (k, n), (j, m) = (counts(*TABLES[x])["recall"] for x in (name, "south"))
        d = told["groups"][name]
        assert d["difference"] == pytest.approx(k / n - j / m)
        wanted = hybrid_difference(k / n, wilson(k, n, 0.95), j / m, wilson(j, m, 0.95))
        assert (d["low"], d["high"]) == pytest.approx(wanted)
        ps.append(d["p"])
        assert d["p"] == pytest.approx(mid_p(*(np.array([x]) for x in (k, n, k + j, n + m)))[0])
    assert min(told["groups"][x]["p_adjusted"] for x in ("north", "west")) == pytest.approx(2 * min(ps))


def unequal(tuning=True):
    """Two wards whose scores lie apart, and a small one."""
    rng = np.random.default_rng(8)
    n = 1000
    actual, ward = (rng.random(n) < 0.4).astype(np.int64), rng.choice(3, n, p=[0.49, 0.49, 0.02])
    score = np.clip(0.3 + 0.3 * actual - 0.15 * (ward == 1) + 0.12 * rng.normal(size=n), 0, 1)
    test = np.arange(n) % 2 == 0
    splits = {"tuning": ~test, "test": test} if tuning else {"test": test}
    one = core.Candidate("net", score=score, cutoff=core.Cutoff(0.45))
    s = core.Study("q", ("no", "yes"), actual, 1, splits, "test", "tuning" if tuning else None, (one,))
    return s, core.Field("ward", ("a", "b", "few"), ward)


def with_rule(s, field, **asked):
    evaluation = core.Evaluation(core.prepare(s, of_fields(field)), "none")
    return evaluation.part(core.Part("alike", "test", fields=("ward",), **asked))["net"]["alike"]


def test_cutoffs_by_group_are_learned_on_tuning_and_read_on_the_reported_rows():
    s, field = unequal()
    told = with_rule(s, field, rule="recall", rate=0.05, prices=(1.0, 4.0))["cutoffs"]
    assert told["learned_on"] == "tuning"
    assert told["kept_the_one"] == ["few"]
    assert told["by_group"]["few"] == {"value": 0.45}
    assert told["by_group"]["b"]["value"] < told["by_group"]["a"]["value"]
    assert told["gap_reached"] <= 0.05
    score, test = s.candidates[0].score, s.splits["test"]
    own = np.array([told["by_group"][name]["value"] for name in field.values])[field.codes]
    before, after = score >= 0.45, score >= own
    changed = test & (before != after)
    assert told["changed"]["rows"] == changed.sum()
    for g, name in enumerate(field.values):
        for k, label in enumerate(s.classes):
            wanted = (changed & (field.codes == g) & (s.actual == k)).sum()
            assert told["changed"]["by_group"][name][label] == wanted
    positives = test & (s.actual == 1)
    recall = {side: told[side]["metrics"]["recall"]["value"] for side in ("before", "after")}
    assert recall["after"] == pytest.approx(after[positives].mean())
    assert told["change"]["recall"]["difference"] == pytest.approx(recall["after"] - recall["before"])
    assert told["after"]["criteria"]["recall"]["gap"] < told["before"]["criteria"]["recall"]["gap"]
    assert told["after"]["by_group"]["few"]["metrics"]["recall"]["value"] is None


def test_of_least_cost_every_group_has_its_own_and_without_tuning_it_is_said():
    s, field = unequal(tuning=False)
    told = with_rule(s, field, rule="least_cost", prices=(1.0, 3.0))["cutoffs"]
    assert told["learned_on"] == "test"
    assert told["gap_reached"] is None
    score, test = s.candidates[0].score, s.splits["test"]
    for g, name in enumerate(field.values[:2]):
        rows = test & (field.codes == g)
        costs = {c: (rows & (s.actual == 0) & (score >= c)).sum() + 3 * (rows & (s.actual == 1) & (score < c)).sum()
                 for c in score[rows]}  # fmt: skip
        assert told["by_group"][name]["value"] == max(c for c, x in costs.items() if x == min(costs.values()))
    assert "cutoffs" not in with_rule(s, field)
