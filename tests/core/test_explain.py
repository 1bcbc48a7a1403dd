"""Numbers unfold into sentences with this study's counts."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from skarlo import core
from skarlo.core.definitions import METRICS
from skarlo.core.shown import shown, with_interval


@pytest.fixture(scope="module")
def results():
    actual = np.repeat([1, 0], [132, 868])
    score = np.concatenate((np.repeat([0.9, 0.1], [112, 20]), np.repeat([0.9, 0.1], [28, 840])))
    study = core.Study("trees", ("no", "yes"), actual, 1, {"all": np.ones(1000, dtype=bool)}, "all", None,
                       (core.Candidate("Boosting", score=score, cutoff=core.Cutoff(0.5)),),
                       names={"yes": "failed", "no": "held"}, words={"fn": "missed"})  # fmt: skip
    return core.evaluate(study)


def test_sentences_carry_the_counts(results):
    said = {
        m: core.explain(results, "Boosting", "all", m)["sentence"] for m in ("recall", "precision", "f1", "roc_auc")
    }
    assert said["recall"] == "Of the 132 rows that were “failed”, it called 112 so: 112 / 132 = 0.848."
    assert said["precision"] == "Of the 140 rows it called “failed”, 112 were: 112 / 140 = 0.800."
    assert "2 × 112 / (2 × 112 + 28 + 20)" in said["f1"]
    pairs = 112 * 840 + 0.5 * (112 * 28 + 20 * 840)
    assert f"{pairs:,.0f}" in said["roc_auc"]


def test_every_metric_unfolds(results):
    for name in results["candidates"][0]["splits"]["all"]["metrics"]:
        e = core.explain(results, "Boosting", "all", name)
        assert e["sentence"].endswith(".")
        assert e["interval"]
        assert e["title"] == METRICS[name].title


def test_counts_unfold(results):
    e = core.explain(results, "Boosting", "all", "fn")
    assert e["title"] == "Missed"
    assert "called 20 “held” at score < 0.500: 20 / 132 = 0.152" in e["sentence"]
    assert "False negatives" in e["also"]


def test_absent_numbers_say_why(results):
    e = core.explain(results, "always no", "all", "precision")
    assert e["sentence"] == "There is no such number here: no row is predicted yes."
    assert e["interval"] == ""


def test_unknown_names_are_named(results):
    for where in (("Nobody", "all", "recall"), ("Boosting", "moon", "recall"), ("Boosting", "all", "luck")):
        with pytest.raises(KeyError, match=r"Nobody|moon|luck"):
            core.explain(results, *where)


def test_numbers_never_round_onto_a_bound():
    cases = json.loads((Path(__file__).parent.parent / "data" / "shown.json").read_text())
    for value, text in cases:
        assert shown(value) == text


def test_interval_beside_its_value():
    assert with_interval({"value": 0.5, "low": None, "high": None, "why_interval": "-"}) == "0.500"
    assert with_interval({"value": None, "why": "-"}) == "—"
