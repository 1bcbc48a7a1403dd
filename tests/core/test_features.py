"""What a study may ask beyond two plain classes, each against the rows counted by hand."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import brute
from skarlo import core
from skarlo.core.counting import tally
from skarlo.core.decide import rules
from skarlo.core.language import formula
from skarlo.core.metrics import calibration, logistic, reliability
from skarlo.core.stats import tests
from skarlo.core.study import Field, Gate, OwnMetric

SHORT = core.Settings(draws=200)


def two(n=400, seed=1, **changes):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < 0.3).astype(np.int64)
    score = np.round(np.clip(rng.normal(0.35 + 0.25 * actual, 0.2), 0.01, 0.99), 2)
    other = np.round(np.clip(rng.normal(0.4 + 0.15 * actual, 0.2), 0.01, 0.99), 2)
    splits = {"test": np.arange(n) % 2 == 0, "tuning": np.arange(n) % 2 == 1}
    a = core.Candidate("a", score=score, cutoff=core.Cutoff(0.5))
    b = core.Candidate("b", score=other, cutoff=core.Cutoff(0.5), runs_now=True)
    study = core.Study("s", ("no", "yes"), actual, 1, splits, "test", "tuning", (a, b), SHORT)
    return replace(study, **changes)


def three(n=300, seed=2, **changes):
    rng = np.random.default_rng(seed)
    actual = rng.choice(3, n, p=(0.6, 0.3, 0.1))
    logits = rng.normal(size=(n, 3)) + 1.5 * np.eye(3)[actual]
    p = np.exp(logits) / np.exp(logits).sum(axis=1, keepdims=True)
    said = np.where(rng.random(n) < 0.6, actual, rng.integers(0, 3, n))
    splits = {"all": np.ones(n, dtype=bool)}
    candidates = (core.Candidate("p", probabilities=p), core.Candidate("l", predicted=said))
    return replace(core.Study("s", ("x", "y", "z"), actual, None, splits, "all", None, candidates, SHORT), **changes)


def part(results, i=0, split="test"):
    return results["candidates"][i]["splits"][split]


def value(results, name, i=0, split="test"):
    return part(results, i, split)["metrics"][name]["value"]


# Three classes and more.


def test_many_classes_by_definition():
    s = three()
    found = part(core.evaluate(s), 0, "all")
    p, actual = s.candidates[0].probabilities, s.actual
    predicted = [max(range(3), key=lambda k: (row[k], -k)) for row in p.tolist()]
    table = [
        [sum(1 for a, q in zip(actual, predicted, strict=True) if (a, q) == (i, j)) for j in range(3)] for i in range(3)
    ]
    assert found["matrix"] == table
    m = found["metrics"]
    n = len(actual)
    assert m["accuracy"]["value"] == sum(table[k][k] for k in range(3)) / n
    recalls = [table[k][k] / sum(table[k]) for k in range(3)]
    assert m["balanced_accuracy"]["value"] == pytest.approx(sum(recalls) / 3)
    hit = np.eye(3)[actual]
    assert m["brier"]["value"] == pytest.approx(float(((p - hit) ** 2).sum(axis=1).mean()))
    assert m["log_loss"]["value"] == pytest.approx(float(-np.log(p[np.arange(n), actual]).mean()))
    areas = [brute.area((actual == k).tolist(), p[:, k].tolist()) for k in range(3)]
    assert m["roc_auc_macro"]["value"] == pytest.approx(sum(areas) / 3)
    for k, label in enumerate("xyz"):
        one = brute.rates([a == k for a in actual], [q == k for q in predicted])
        for name in ("precision", "recall", "f1"):
            assert found["per_class"][label][name]["value"] == pytest.approx(one[name])
        assert found["per_class"][label]["roc_auc"]["value"] == pytest.approx(areas[k])
        assert found["per_class"][label]["roc"]["fpr"][-1] == 1
    precisions = [found["per_class"][c]["precision"]["value"] for c in "xyz"]
    assert found["averages"]["macro"]["precision"]["value"] == pytest.approx(sum(precisions) / 3)
    weighted = sum(v * sum(table[k]) for k, v in enumerate(precisions)) / n
    assert found["averages"]["weighted"]["precision"]["value"] == pytest.approx(weighted)
    assert found["averages"]["micro"]["f1"] == m["accuracy"] | {"interval": "wilson"}


def test_mcc_and_kappa_of_many_classes():
    s = three()
    found = part(core.evaluate(s), 1, "all")
    t = np.array(found["matrix"], dtype=float)
    n, a, p, right = t.sum(), t.sum(axis=1), t.sum(axis=0), np.trace(t)
    mcc = (right * n - (a * p).sum()) / math.sqrt((n * n - (a**2).sum()) * (n * n - (p**2).sum()))
    assert found["metrics"]["mcc"]["value"] == pytest.approx(mcc)
    expected = (a * p).sum() / n**2
    assert found["metrics"]["kappa"]["value"] == pytest.approx((right / n - expected) / (1 - expected))
    assert found["metrics"]["log_loss"]["why"].startswith("it answers classes only")


def test_equal_probabilities_go_to_the_first_class():
    s = three(actual=np.array([0, 1, 2]), splits={"all": np.ones(3, dtype=bool)},
              candidates=(core.Candidate("p", probabilities=np.full((3, 3), 1 / 3)),))  # fmt: skip
    assert part(core.evaluate(s), 0, "all")["matrix"] == [[1, 0, 0], [1, 0, 0], [1, 0, 0]]


def test_an_absent_class_leaves_no_nonsense():
    s = three()
    s = replace(s, actual=np.where(s.actual == 2, 1, s.actual))
    text = json.dumps(core.evaluate(s), allow_nan=False)
    found = part(json.loads(text), 0, "all")
    assert found["per_class"]["z"]["recall"]["value"] is None
    assert found["per_class"]["z"]["roc_auc"]["why"] == "no row is actually “z”"
    assert found["averages"]["macro"]["recall"]["value"] == pytest.approx(
        (found["per_class"]["x"]["recall"]["value"] + found["per_class"]["y"]["recall"]["value"]) / 2
    )


# Probabilities.


def test_calibration_numbers_by_rows():
    s = two()
    results = core.evaluate(s)
    rows = s.splits["test"]
    score, y = s.candidates[0].score[rows].tolist(), s.actual[rows].tolist()
    n = len(y)
    bins = {}
    for p, a in zip(score, y, strict=True):
        bins.setdefault(min(int(p * 10), 9), []).append((p, a))
    gaps = [(len(b), abs(sum(p for p, _ in b) / len(b) - sum(a for _, a in b) / len(b))) for b in bins.values()]
    assert value(results, "ece") == pytest.approx(sum(k * g for k, g in gaps) / n)
    prevalence = sum(y) / n
    brier = brute.brier(y, score)
    assert value(results, "brier_skill") == pytest.approx(1 - brier / (prevalence * (1 - prevalence)))
    parts = part(results)["calibration"]["parts"]
    assert parts["miscalibration"] - parts["discrimination"] + parts["uncertainty"] == pytest.approx(brier, abs=1e-15)
    assert value(results, "ks") == pytest.approx(
        max(brute.rates(y, [p >= c for p in score])["recall"] - brute.rates(y, [p >= c for p in score])["fpr"]
            for c in set(score))
    )  # fmt: skip


@given(st.lists(st.tuples(st.integers(0, 9), st.booleans()), min_size=1, max_size=40), st.integers(2, 12))
def test_equal_mass_cuts_by_ranks(rows, bins):
    ordered = sorted(r for r, _ in rows)
    n = len(ordered)
    cuts = set()
    for k in range(1, bins):
        rank = -(-k * n // bins)
        while rank < n and ordered[rank] == ordered[rank - 1]:
            rank += 1
        cuts.add(rank)
    edges = [0, *sorted(c for c in cuts if c < n), n]
    expected = [ordered[a:b] for a, b in pairwise(edges)]
    distinct, count = np.unique(ordered, return_counts=True)
    places = calibration.mass_edges((count,), bins).tolist()
    found = [np.repeat(distinct[i:j], count[i:j]).tolist() for i, j in pairwise(places)]
    assert found == expected


@given(st.lists(st.tuples(st.integers(0, 8), st.booleans()), min_size=1, max_size=30))
def test_the_monotone_fit_is_monotone_and_best(rows):
    t = tally.make(np.array([r / 10 for r, _ in rows]), np.array([y for _, y in rows]))
    first, weight, share = reliability.isotonic(t)
    assert (np.diff(share) > 0).all()
    fitted = np.repeat(share, np.diff(np.append(first, len(t.score))))
    loss = float((t.pos * (1 - fitted) ** 2 + t.neg * fitted**2).sum())
    assert float(weight.sum()) == t.rows
    for bump in (0.02, -0.02):  # no other monotone function does better
        for i in range(len(t.score)):
            moved = np.maximum.accumulate(np.where(np.arange(len(fitted)) == i, fitted + bump, fitted))
            assert float((t.pos * (1 - moved) ** 2 + t.neg * moved**2).sum()) >= loss - 1e-9


def test_the_logistic_fit_has_no_gradient_left():
    s = two()
    t = tally.make(s.candidates[0].score, s.actual == 1)
    (a, b), _ = logistic.fit(t, fixed_slope=False)
    p = 1 / (1 + np.exp(-(a + b * logistic.logit(t.score))))
    assert abs((t.pos - (t.pos + t.neg) * p).sum()) / t.rows < 1e-12
    assert abs(((t.pos - (t.pos + t.neg) * p) * logistic.logit(t.score)).sum()) / t.rows < 1e-12
    apart = tally.make(np.array([0.1, 0.2, 0.8]), np.array([False, False, True]))
    assert "separate" in logistic.no_fit(apart)


def test_scores_outside_the_unit_are_no_probabilities():
    s = two()
    wide = replace(s, candidates=(replace(s.candidates[0], score=s.candidates[0].score * 3),))
    results = core.evaluate(wide)
    assert value(results, "roc_auc") == value(core.evaluate(s), "roc_auc")
    assert "outside 0 to 1" in part(results)["metrics"]["ece"]["why"]
    said = replace(s, candidates=(replace(s.candidates[0], ranking_only=True),))
    assert "rank only" in part(core.evaluate(said))["metrics"]["brier"]["why"]


# Cutoff rules.

SCORED = st.lists(st.tuples(st.integers(0, 6), st.booleans()), min_size=2, max_size=25)


@settings(max_examples=150)
@given(SCORED, st.sampled_from(sorted(rules.RULES)), st.integers(0, 10))
def test_rules_by_trying_every_cutoff(rows, rule, tenth):
    y, s = [p for _, p in rows], [k / 10 for k, _ in rows]
    parameters = {
        "least_cost": {"false_positive": 1 + tenth, "false_negative": 5}, "recall_at_least": {"value": tenth / 10},
        "precision_at_least": {"value": tenth / 10}, "flag_at_most": {"share": tenth / 10},
    }.get(rule, {})  # fmt: skip
    positives = sum(y)
    chosen = rules.choose(rule, parameters, tally.make(np.array(s), np.array(y)), positives, len(y) - positives)
    tried = []
    for cutoff in [math.inf, *sorted(set(s), reverse=True)]:
        tp, fp, fn, tn = brute.outcomes(y, [x >= cutoff for x in s])
        tried.append((cutoff, tp, fp, fn, tn))
    needed = {"positive": positives, "negative": len(y) - positives}
    if any(needed[name] == 0 for name in rules.RULES[rule].needs):
        assert chosen.value is None
        return
    value = parameters.get("value", parameters.get("share", 0))
    good = {
        "best_f1": lambda c: (2 * c[1] / (c[1] + c[2] + positives), c[0]),
        "best_youden": lambda c: (c[1] * (len(y) - positives) - c[2] * positives, c[0]),
        "least_cost": lambda c: (-(parameters["false_positive"] * c[2] + 5 * c[3]), c[0]) if parameters else 0,
        "recall_at_least": lambda c: (c[1] / positives >= value, c[0]),
        "precision_at_least": lambda c: (c[1] + c[2] > 0 and c[1] / (c[1] + c[2]) >= value, c[1], c[0]),
        "flag_at_most": lambda c: ((c[1] + c[2]) / len(y) <= value, -c[0]),
    }[rule]
    best = max(tried, key=good)
    if rule.endswith("at_least") and not good(best)[0]:
        assert chosen.value is None
        assert "greatest" in chosen.why
    else:
        assert chosen.value == best[0]


def test_a_rule_is_chosen_on_tuning_and_read_on_test():
    s = two()
    rule = core.Cutoff(rule="recall_at_least", parameters={"value": 0.9})
    results = core.evaluate(replace(s, candidates=(replace(s.candidates[0], cutoff=rule),)))
    cutoff = results["candidates"][0]["cutoff"]
    rows = s.splits["tuning"]
    score, y = s.candidates[0].score[rows], s.actual[rows] == 1
    assert cutoff["chosen_on"] == "tuning"
    assert (score[y] >= cutoff["value"]).mean() >= 0.9
    higher = [c for c in set(score.tolist()) if c > cutoff["value"]]
    assert all((score[y] >= c).mean() < 0.9 for c in higher)


def test_where_no_cutoff_satisfies_a_rule_every_average_says_why():
    s = two()
    impossible = core.Candidate("a", score=np.zeros(len(s.actual)), cutoff=core.Cutoff(
        rule="precision_at_least", parameters={"value": 1.0}))  # fmt: skip
    found = part(core.evaluate(replace(s, candidates=(impossible,))))
    for of in found["averages"].values():
        for m in of.values():
            assert m["value"] is None
            assert m["why"]


def test_log_loss_clips_the_probability_of_the_actual_class():
    """A score of exactly 1 for a positive row costs next to nothing, and for a negative one -ln 1e-15."""
    y = np.array([1, 1, 0, 0], dtype=np.int64)
    whole = {"all": np.ones(4, dtype=bool)}

    def loss(score):
        c = core.Candidate("a", score=np.array(score), cutoff=core.Cutoff(0.5))
        s = core.Study("s", ("no", "yes"), y, 1, whole, "all", None, (c,), SHORT)
        return core.evaluate(s)["candidates"][0]["splits"]["all"]["metrics"]["log_loss"]["value"]

    assert loss([1.0, 1.0, 0.0, 0.0]) == pytest.approx(0.0, abs=2e-15)
    assert loss([1.0, 1.0, 0.0, 1.0]) == pytest.approx(-math.log(1e-15) / 4, rel=1e-12)


def test_flagging_nothing_and_no_cutoff():
    s = two()
    nothing = core.Cutoff(rule="flag_at_most", parameters={"share": 0.0})
    never = core.Cutoff(rule="precision_at_least", parameters={"value": 1.0})
    low = np.where(s.actual == 1, 0.2, 0.7)
    candidates = (replace(s.candidates[0], cutoff=nothing), core.Candidate("n", score=low, cutoff=never))
    results = core.evaluate(replace(s, candidates=candidates, gates=(Gate("recall", at_least=0.5),)))
    assert results["candidates"][0]["cutoff"] == {
        "value": None, "flags": "nothing", "rule": "flag_at_most", "parameters": {"share": 0.0}, "chosen_on": "tuning",
    }  # fmt: skip
    assert [sum(c) for c in zip(*part(results)["matrix"], strict=True)][1] == 0
    none = part(results, 1)
    assert none["matrix"] is None
    for kind in ("macro", "weighted"):
        absent = none["averages"][kind]["recall"]
        assert (absent["value"], absent["why"]) == (None, none["metrics"]["recall"]["why"])
    assert "no cutoff satisfies precision_at_least" in none["metrics"]["recall"]["why"]
    assert none["metrics"]["prevalence"]["value"] is not None
    assert none["metrics"]["roc_auc"]["value"] == 0
    assert [g["status"] for g in results["gates"]] == ["fail", "unclear"]


# Rows without an answer.


@pytest.mark.parametrize("how", ["wrong", "left_out"])
def test_rows_without_an_answer(how):
    s = two()
    gone = np.arange(len(s.actual)) % 7 == 0
    said = np.where(gone, -1, (s.candidates[0].score >= 0.5).astype(np.int64))
    labels = core.Candidate("l", predicted=said, no_answer=how)
    scores = core.Candidate("s", score=np.where(gone, np.nan, s.candidates[0].score), cutoff=core.Cutoff(0.5),
                            no_answer=how)  # fmt: skip
    results = core.evaluate(replace(s, candidates=(labels, scores)))
    rows = s.splits["test"]
    y, p, miss = s.actual[rows] == 1, said[rows], gone[rows]
    for i in (0, 1):
        found = part(results, i)
        assert found["no_answer"] == int(miss.sum())
        m = {k: v["value"] for k, v in found["metrics"].items()}
        if how == "wrong":
            assert len(found["matrix"][0]) == 3
            assert found["rows"] == len(y)
            assert m["recall"] == (y & (p == 1)).sum() / y.sum()
            assert m["specificity"] == (~y & (p == 0)).sum() / (~y).sum()
            assert m["npv"] == (~y & (p == 0)).sum() / (p == 0).sum()
            assert m["accuracy"] == ((p == 1) & y | (p == 0) & ~y).sum() / len(y)
            assert m["fnr"] == 1 - m["recall"]
        else:
            kept = ~miss
            expected = brute.rates(y[kept].tolist(), (p[kept] == 1).tolist())
            assert found["rows"] == int(kept.sum())
            assert {k: m[k] for k in expected} == expected
    area = brute.area(y[~miss].tolist(), s.candidates[0].score[rows][~miss].tolist())
    assert part(results, 1)["metrics"]["roc_auc"]["value"] == pytest.approx(area)
    json.dumps(results, allow_nan=False)


# Weights and groups.


def test_weights_count_as_repeated_rows():
    s = two(n=120)
    weight = np.random.default_rng(0).integers(1, 4, 120).astype(float)
    repeated = np.repeat(np.arange(120), weight.astype(int))
    long = replace(
        s, actual=s.actual[repeated], splits={k: v[repeated] for k, v in s.splits.items()},
        candidates=tuple(replace(c, score=c.score[repeated]) for c in s.candidates),
    )  # fmt: skip
    a, b = core.evaluate(replace(s, weight=weight)), core.evaluate(long)
    for name, m in part(a)["metrics"].items():
        if name != "mce":  # its bins hold rows, not weights
            assert m["value"] == pytest.approx(part(b)["metrics"][name]["value"], abs=1e-9), name
    assert part(a)["matrix"] == part(b)["matrix"]
    assert part(a)["rows"] == int(s.splits["test"].sum())
    assert part(a)["metrics"]["recall"]["interval"] == "wilson_weighted"
    low, high = (part(a)["metrics"]["accuracy"][k] for k in ("low", "high"))
    plain = part(b)["metrics"]["accuracy"]
    assert high - low > plain["high"] - plain["low"]


def test_a_common_factor_changes_nothing():
    s = two(n=150)
    weight = np.random.default_rng(3).random(150) + 0.2
    a, b = (core.evaluate(replace(s, weight=w)) for w in (weight, 8 * weight))
    for name, m in part(a)["metrics"].items():
        other = part(b)["metrics"][name]
        for key in ("value", "low", "high"):
            if m.get(key) is not None and not m.get("interval", "").startswith(
                ("dirichlet", "mover_shifted", "inverted")
            ):
                assert other[key] == pytest.approx(m[key], abs=1e-9), name


def test_groups_leave_values_and_widen_intervals():
    s = two(n=400)
    pairs = np.repeat(np.arange(200), 2)
    doubled = replace(
        s, actual=s.actual[pairs], splits={"test": np.ones(400, dtype=bool)}, tune_on=None,
        candidates=tuple(replace(c, score=c.score[pairs]) for c in s.candidates),
    )  # fmt: skip
    plain, grouped = core.evaluate(doubled), core.evaluate(replace(doubled, group=pairs))
    for name in ("accuracy", "recall", "roc_auc", "average_precision", "brier", "mcc", "calibration_slope"):
        a, b = part(plain)["metrics"][name], part(grouped)["metrics"][name]
        assert a["value"] == pytest.approx(b["value"], abs=1e-12)
        assert b["interval"].endswith("_clustered")
        assert (b["high"] - b["low"]) / (a["high"] - a["low"]) == pytest.approx(math.sqrt(2), rel=0.12), name


# Slices, own metrics, gates, expected base rate.


def test_slices_count_their_rows():
    s = two()
    n = len(s.actual)
    field = Field("district", ("north", "south", "tiny"), np.where(np.arange(n) < 8, 2, np.arange(n) // 5 % 2))
    results = core.evaluate(replace(s, slices=((field,),)))
    found = {x["by"]["district"]: x for x in part(results)["slices"]}
    rows = s.splits["test"]
    y, said, code = s.actual[rows] == 1, s.candidates[0].score[rows] >= 0.5, field.codes[rows]
    for k, name in ((0, "north"), (1, "south")):
        inside = code == k
        expected = brute.rates(y[inside].tolist(), said[inside].tolist())
        assert {m: found[name]["metrics"][m]["value"] for m in expected} == expected
        rest = brute.rates(y[~inside].tolist(), said[~inside].tolist())
        d = found[name]["rest"]["recall"]
        assert d["difference"] == pytest.approx(expected["recall"] - rest["recall"])
        assert d["low"] <= d["difference"] <= d["high"]
        assert d["p"] <= d["p_adjusted"]
        assert found[name]["rest"]["roc_auc"]["test"] == "mover"
    assert found["tiny"]["rows"] == int((code == 2).sum())
    assert "fewer than 30 rows" in found["tiny"]["metrics"]["recall"]["why"]
    assert found["tiny"]["rest"] == {}


@given(st.integers(0, 8), st.integers(0, 8), st.integers(0, 8), st.integers(0, 8))
def test_hypergeometric_midp_by_summing(a, b, c, d):
    n1, n2, k = a + b, c + d, a + c
    if n1 == 0 or n2 == 0:
        return
    mass = {
        x: math.comb(n1, x) * math.comb(n2, k - x) / math.comb(n1 + n2, k)
        for x in range(k + 1)
        if x <= n1 and k - x <= n2
    }
    below = sum(m for x, m in mass.items() if x < a) + mass[a] / 2
    expected = min(1.0, 2 * min(below, 1 - below))
    assert tests.hypergeometric_midp(a, n1, c, n2) == pytest.approx(expected, abs=1e-9)


def test_own_metrics():
    s = two()
    cost = formula.parse("(missed*FN + 3*FP) / rows", ("missed",))
    price = formula.parse("sum(price, FN) / max(P, 1)", (), ("price",))
    own = (OwnMetric("cost per row", cost, "lower", {"missed": 40.0}), OwnMetric("lost", price, "lower"))
    numbers = {"price": np.arange(len(s.actual), dtype=float)}
    found = part(core.evaluate(replace(s, metrics=own, numbers=numbers)))["metrics"]
    rows = s.splits["test"]
    y, said = s.actual[rows] == 1, s.candidates[0].score[rows] >= 0.5
    _, fp, fn, _ = brute.outcomes(y.tolist(), said.tolist())
    assert found["cost per row"]["value"] == (40 * fn + 3 * fp) / len(y)
    assert found["cost per row"]["low"] < found["cost per row"]["value"] < found["cost per row"]["high"]
    assert found["lost"]["value"] == pytest.approx(numbers["price"][rows][y & ~said].sum() / y.sum())


@pytest.mark.parametrize(
    ("text", "at", "why"),
    [("FN +", 5, "too early"), ("FN + cats", 6, "unknown name"), ("(FN", 4, "expected"), ("FN FP", 4, "unexpected"),
     ("", 1, "empty"), ("sum(cat, FN)", 5, "not a numeric field"), ("__import__('os')", 1, "unknown name"),
     ("FN ** 2", 5, "unexpected"), ("(" * 300 + "1", 100, "nested")],
)  # fmt: skip
def test_a_wrong_formula_points_at_the_character(text, at, why):
    with pytest.raises(formula.FormulaError, match=why) as caught:
        formula.parse(text)
    assert caught.value.at + 1 >= at - 1
    assert abs(caught.value.at + 1 - at) <= 3


def test_a_formula_that_divides_by_zero_is_absent():
    assert formula.parse("TP / (FP - FP)").value({"TP": 3, "FP": 2}) is None
    assert formula.parse("min(2, 3, 1) - -2 * max(1, 4)").value({}) == 9


def test_gates_read_the_adverse_end():
    s = two(n=2000)
    recall = part(core.evaluate(s))["metrics"]["recall"]
    gates = (
        Gate("recall", at_least=recall["low"] - 0.001), Gate("recall", at_least=recall["value"]),
        Gate("recall", at_least=recall["value"], read_at="value"), Gate("fn", at_most=5000, on="a"),
        Gate("recall", against="b", margin=0.05), Gate("luck", at_least=1),
    )  # fmt: skip
    results = core.evaluate(replace(s, gates=gates[:-1]))
    mine = [g for g in results["gates"] if g["candidate"] == "a"]
    assert [g["status"] for g in mine[:4]] == ["pass", "fail", "pass", "pass"]
    assert mine[0]["read"] == recall["low"]
    assert mine[0]["denominator"] == int((s.actual[s.splits["test"]] == 1).sum())
    pair = next(p for p in results["pairs"] if (p["a"], p["b"]) == ("a", "b"))["metrics"]["recall"]
    assert mine[4]["read"] == pair["low"]
    assert mine[4]["needed"] == -0.05
    assert [
        g for g in results["gates"] if g["candidate"] == "b" and g["metric"] == "recall" and "worse" in g["text"]
    ] == []


def test_a_gate_over_slices_gives_one_entry_each_and_thin_is_unclear():
    s = two()
    field = Field("side", ("left", "right"), np.arange(len(s.actual)) // 10 % 2)
    few = Field("few", ("a", "b"), (np.arange(len(s.actual)) >= 12).astype(np.int64))
    gates = (
        Gate("recall", at_least=0.01, every=("side",), on="a"),
        Gate("recall", at_least=0.01, every=("few",), on="a"),
    )
    found = core.evaluate(replace(s, gates=gates, slices=((field,), (few,))))["gates"]
    assert [(g["by"], g["status"]) for g in found] == [
        ({"side": "left"}, "pass"), ({"side": "right"}, "pass"), ({"few": "a"}, "unclear"), ({"few": "b"}, "pass"),
    ]  # fmt: skip


def test_restated_for_the_base_rate_it_has_is_what_it_was():
    s = two()
    own = value(core.evaluate(s), "prevalence")
    results = core.evaluate(replace(s, expected_base_rate=(own, 0.05)))
    same, rare = part(results)["at_expected_base_rate"]
    m = part(results)["metrics"]
    for name in ("precision", "flagged_share", "npv", "average_precision"):
        assert same["metrics"][name]["value"] == pytest.approx(m[name]["value"])
    assert rare["metrics"]["precision"]["value"] < m["precision"]["value"]
    low, high = (rare["metrics"]["precision"][k] for k in ("low", "high"))
    assert low < rare["metrics"]["precision"]["value"] < high


def test_identical_candidates_are_noticed():
    s = two()
    twin = replace(s.candidates[0], name="twin")
    codes = [f["code"] for f in core.evaluate(replace(s, candidates=(s.candidates[0], twin)))["findings"]]
    assert "identical_candidates" in codes


def test_against_the_baselines():
    s = two()
    against = core.evaluate(s)["against_baseline"]["test"]["a"]
    assert set(against) == {"always no", "base rate"}
    assert against["base rate"]["roc_auc"]["difference"] == pytest.approx(value(core.evaluate(s), "roc_auc") - 0.5)
