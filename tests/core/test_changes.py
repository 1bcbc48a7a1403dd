"""What changed between two results."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from skarlo import core
from skarlo.core.changes import compare, paired_changes
from skarlo.core.study import Candidate, Cutoff, Gate, Study


def study(**how):
    rng = np.random.default_rng(1)
    actual = (rng.random(300) < 0.4).astype(np.int64)
    score = np.clip(rng.random(300) * 0.7 + 0.2 * actual, 0, 1)
    made = Candidate(
        "Forest", score=score, cutoff=Cutoff(0.5), version="1", made_with={"trees": 100, "depth": {"most": 4}}
    )
    return Study(
        "t", ("no", "yes"), actual, 1, {"all": np.ones(300, dtype=bool)}, "all", None, (made,), sha256="aa",
        gates=(Gate("recall", at_least=0.35),),
    )  # fmt: skip


def later(old):
    c = replace(old.candidates[0], cutoff=Cutoff(0.7), version="2", made_with={"trees": 200, "depth": {"most": 4}})
    extra = Candidate("Rule", predicted=np.zeros(300, dtype=np.int64))
    return replace(old, candidates=(c, extra))


def test_the_same_is_nothing():
    results = core.evaluate(study())
    found = compare(results, results)
    assert not any(found[k] for k in ("study", "added", "removed", "candidates", "gates", "findings_gone"))


def test_all_that_changed_and_nothing_else():
    old, new = study(), later(study())
    before, after = core.evaluate(old), core.evaluate(new)
    found = compare(before, after, paired_changes(old, new))
    assert (found["added"], found["removed"], found["study"]) == (["Rule"], [], [])
    (forest,) = found["candidates"]
    assert [(c["what"], c["before"], c["after"]) for c in forest["made"]] == [
        ("version", "1", "2"), ("made_with.trees", 100, 200), ("cutoff.value", 0.5, 0.7),
    ]  # fmt: skip
    metrics = {m["metric"]: m for m in forest["splits"]["all"]["metrics"]}
    assert "roc_auc" not in metrics, "no cutoff moves it"
    was, now = (r["candidates"][0]["splits"]["all"] for r in (before, after))
    recall = metrics["recall"]
    assert recall["moved_by"] == now["metrics"]["recall"]["value"] - was["metrics"]["recall"]["value"] < 0
    assert recall["paired"]["difference"] == pytest.approx(recall["moved_by"])
    assert recall["paired"]["test"] == "mcnemar_midp"
    assert recall["paired"]["low"] < recall["moved_by"] < recall["paired"]["high"] < 0
    assert np.array_equal(forest["splits"]["all"]["matrix"], np.subtract(now["matrix"], was["matrix"]))
    gates = {(g["candidate"]): (g["before"], g["after"]) for g in found["gates"]}
    assert gates == {"Forest": ("pass", "fail"), "Rule": (None, "fail")}
    assert "one_class_only" in [f["code"] for f in found["findings_new"]]


def test_other_rows_are_not_paired():
    with pytest.raises(ValueError, match="same rows"):
        paired_changes(study(), replace(study(), sha256="bb"))
