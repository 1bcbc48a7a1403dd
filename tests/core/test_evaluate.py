"""A whole study: results against counts by hand, and what must leave them as they are."""

from __future__ import annotations

import json
from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest

import brute
from skarlo import core
from skarlo.core.counting import curves


def study(n=600, seed=4, **changes):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < 0.2).astype(np.int64)
    scores = [np.round(1 / (1 + np.exp(2 - k * actual - rng.normal(size=n))), 3) for k in (1.8, 1.7, 0.6)]
    said = (rng.random(n) < 0.15 + 0.4 * actual).astype(np.int64)
    candidates = (
        *(core.Candidate(name, score=s, cutoff=core.Cutoff(0.3)) for name, s in zip("abc", scores, strict=True)),
        core.Candidate("labels", predicted=said, runs_now=True),
    )
    where = np.arange(n) % 3
    splits = {"test": where > 0, "tuning": where == 0}
    return replace(core.Study("a question", ("no", "yes"), actual, 1, splits, "test", "tuning", candidates), **changes)


def numbers(results):
    return {
        (c["name"], split, name): m["value"]
        for c in results["candidates"] for split, part in c["splits"].items() for name, m in part["metrics"].items()
    }  # fmt: skip


def test_every_number_against_the_rows():
    s = study()
    results = core.evaluate(s)
    for candidate, entry in zip(s.candidates, results["candidates"], strict=False):
        for split, rows in s.splits.items():
            actual = [bool(a) for a in s.actual[rows]]
            score = None if candidate.score is None else candidate.score[rows].tolist()
            predicted = [x >= 0.3 for x in score] if score else [bool(p) for p in candidate.predicted[rows]]
            found = entry["splits"][split]["metrics"]
            tp, fp, fn, tn = brute.outcomes(actual, predicted)
            assert entry["splits"][split]["matrix"] == [[tn, fp], [fn, tp]]
            for name, value in brute.rates(actual, predicted).items():
                assert found[name]["value"] == value
            if score:
                assert found["roc_auc"]["value"] == pytest.approx(brute.area(actual, score), abs=1e-12)
                assert found["brier"]["value"] == pytest.approx(brute.brier(actual, score), abs=1e-12)
            else:
                assert found["roc_auc"]["value"] is None
                assert "classes only" in found["roc_auc"]["why"]


def test_same_input_same_bytes_and_order_of_rows_changes_nothing():
    s = study()
    first = json.dumps(core.evaluate(s, "full"))
    assert json.dumps(core.evaluate(s, "full")) == first
    order = np.random.default_rng(0).permutation(len(s.actual))
    moved = replace(
        s, actual=s.actual[order], splits={k: v[order] for k, v in s.splits.items()},
        candidates=tuple(
            replace(c, score=None if c.score is None else c.score[order],
                    predicted=None if c.predicted is None else c.predicted[order]) for c in s.candidates
        ),
    )  # fmt: skip
    assert numbers(core.evaluate(moved, "full")) == numbers(core.evaluate(s, "full"))


def test_other_candidates_change_no_number_of_one():
    s = study()
    alone = numbers(core.evaluate(replace(s, candidates=s.candidates[:1])))
    together = numbers(core.evaluate(s))
    assert all(together[key] == value for key, value in alone.items() if key[0] == "a")


def test_strict_json_without_nan():
    json.dumps(core.evaluate(study()), allow_nan=False)
    one_class = study(actual=np.zeros(600, dtype=np.int64))
    text = json.dumps(core.evaluate(one_class), allow_nan=False)
    assert '"value": null, "why"' in text


def test_pairs_and_the_best_set():
    results = core.evaluate(study(n=3000))
    best = results["best"]["test"]["roc_auc"]
    assert best["leader"] in ("a", "b")
    assert "c" not in best["not_separated"]
    assert "flagged_share" not in results["best"]["test"]
    pair = next(p for p in results["pairs"] if (p["a"], p["b"]) == ("a", "c"))
    d = pair["metrics"]["roc_auc"]
    assert d["low_adjusted"] <= d["low"] <= d["difference"] <= d["high"] <= d["high_adjusted"]
    assert d["p"] <= d["p_adjusted"]
    labels = next(p for p in results["pairs"] if (p["a"], p["b"]) == ("a", "labels"))
    assert labels["metrics"]["roc_auc"]["difference"] is None
    assert "labels" in labels["metrics"]["roc_auc"]["why"]


def test_baselines_stand_last_and_lead_nothing():
    results = core.evaluate(study())
    assert [c["name"] for c in results["candidates"][-2:]] == ["always no", "base rate"]
    assert results["candidates"][-2]["splits"]["test"]["metrics"]["recall"]["value"] == 0
    assert results["candidates"][-1]["splits"]["test"]["metrics"]["roc_auc"]["value"] == 0.5
    assert all("always" not in lead["leader"] for lead in results["best"]["test"].values())


def test_findings_speak_up():
    s = study()
    peeked = replace(s.candidates[0], cutoff=core.Cutoff(0.3, "test"))
    silent = replace(s.candidates[1], cutoff=core.Cutoff(2.0))
    turned = replace(s.candidates[2], score=1 - s.candidates[0].score)
    codes = {f["code"] for f in core.evaluate(replace(s, candidates=(peeked, silent, turned)))["findings"]}
    assert codes == {
        "cutoff_chosen_on_report_split", "one_class_only", "area_below_half", "baseline_not_beaten",
        "accuracy_rests_on_imbalance", "null_precision_counted_as_zero",
    }  # fmt: skip


def test_compact_curves_stay_within_the_tolerance():
    s = study(n=4000)
    full = core.evaluate(s, "full")["candidates"][0]["splits"]["test"]["roc"]
    compact = core.evaluate(s, "compact")["candidates"][0]["splits"]["test"]["roc"]
    assert (compact["fpr"][0], compact["tpr"][0], compact["cutoff"][0]) == (0, 0, None)
    assert (compact["fpr"][-1], compact["tpr"][-1]) == (1, 1)
    kept = curves.keep(np.array(full["fpr"]), np.array(full["tpr"]))
    for a, b in pairwise(kept):
        x, y = np.array(full["fpr"][a : b + 1]), np.array(full["tpr"][a : b + 1])
        length = np.hypot(x[-1] - x[0], y[-1] - y[0])
        off = np.abs((x[-1] - x[0]) * (y[0] - y) - (x[0] - x) * (y[-1] - y[0])) / length
        assert off.max() <= 1e-4
    assert "roc" not in core.evaluate(s, "none")["candidates"][0]["splits"]["test"]


def test_a_positive_class_that_stands_first():
    s = study()
    turned = replace(s, classes=("yes", "no"), actual=1 - s.actual, positive=0,
                     candidates=tuple(c for c in s.candidates if c.score is not None))  # fmt: skip
    a, b = core.evaluate(turned), core.evaluate(s)
    drawn = ("mcc", "kappa")  # the draws are a function of the counts in their order
    metrics = [
        {k: m for k, m in r["candidates"][0]["splits"]["test"]["metrics"].items() if k not in drawn} for r in (a, b)
    ]
    assert metrics[0] == metrics[1]
    tn, fp, fn, tp = (x for row in b["candidates"][0]["splits"]["test"]["matrix"] for x in row)
    assert a["candidates"][0]["splits"]["test"]["matrix"] == [[tp, fn], [fp, tn]]
