"""Numbers unfold into sentences with this study's counts."""

from __future__ import annotations

import json
from decimal import ROUND_HALF_EVEN, Decimal
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from core.test_features import three
from skarlo import core
from skarlo.core.metrics.definitions import METRICS
from skarlo.core.writing import as_set, count, shown, with_interval


@pytest.fixture(scope="module")
def results():
    actual = np.repeat([1, 0], [132, 868])
    score = np.concatenate((np.repeat([0.9, 0.1], [112, 20]), np.repeat([0.9, 0.1], [28, 840])))
    study = core.Study("trees", ("no", "yes"), actual, 1, {"all": np.ones(1000, dtype=bool)}, "all", None,
                       (core.Candidate("Boosting", score=score, cutoff=core.Cutoff(0.5)),),
                       names={"yes": "failed", "no": "intact"}, words={"fn": "missed"})  # fmt: skip
    return core.evaluate(study)


def test_sentences_carry_the_counts(results):
    said = {m: core.unfold(results, "Boosting", "all", m)["sentence"] for m in ("recall", "precision", "f1", "roc_auc")}
    assert said["recall"] == "Of the 132 rows that were “failed”, it found 112: 112 / 132 = 0.848."
    assert said["precision"] == "Of the 140 rows it predicted “failed”, 112 were: 112 / 140 = 0.800."
    assert "2 × 112 / (2 × 112 + 28 + 20)" in said["f1"]
    pairs = 112 * 840 + 0.5 * (112 * 28 + 20 * 840)
    assert f"{pairs:,.0f}" in said["roc_auc"]


def test_every_metric_unfolds(results):
    for name in results["candidates"][0]["splits"]["all"]["metrics"]:
        e = core.unfold(results, "Boosting", "all", name)
        assert e["sentence"].endswith(".")
        assert e["interval"]
        assert e["title"] == METRICS[name].title


def test_counts_unfold(results):
    e = core.unfold(results, "Boosting", "all", "fn")
    assert e["title"] == "Missed"
    assert "Boosting predicted 20 “intact” at score < 0.5: 20 / 132 = 0.152" in e["sentence"]
    assert "False negatives" in e["also"]


def test_a_number_says_which_rows_it_is_read_from(results):
    def behind(metric, of=None, told=results):
        name = told["candidates"][0]["name"]
        split = next(iter(told["candidates"][0]["splits"]))
        return tuple(core.unfold(told, name, split, metric, of)["behind"].values())

    yes, no = (results["holdout"]["classes"][k] for k in (1, 0))
    assert results["holdout"]["positive"] == yes
    assert behind("recall") == behind("fnr") == (yes, None)
    assert behind("specificity") == behind("fpr") == (no, None)
    assert behind("precision") == (None, yes)
    assert behind("npv") == (None, no)
    assert behind("fn") == (yes, no)
    assert behind("accuracy") == behind("f1") == behind("roc_auc") == behind("prevalence") == (None, None)
    many = core.evaluate(three())
    assert behind("recall", "y", many) == ("y", None)
    assert behind("precision", "y", many) == (None, "y")
    assert behind("recall", "macro", many) == behind("accuracy", None, many) == (None, None)


def test_absent_numbers_say_why(results):
    e = core.unfold(results, "always no", "all", "precision")
    assert e["sentence"] == "Not defined here: no row is predicted “yes”."
    assert e["interval"] == ""


def test_unknown_names_are_named(results):
    for where in (("Nobody", "all", "recall"), ("Boosting", "moon", "recall"), ("Boosting", "all", "luck")):
        with pytest.raises(KeyError, match=r"Nobody|moon|luck"):
            core.unfold(results, *where)


@pytest.mark.parametrize("how", [shown, as_set, count])
def test_numbers_are_written_as_the_shared_table_says(how):
    """The page is held to the same table."""
    cases = json.loads((Path(__file__).parents[2] / "data" / "shown.json").read_text())[how.__name__]
    assert [how(value) for value, _ in cases] == [text for _, text in cases]


@given(
    st.one_of(
        st.fractions(-1100, 1100), st.builds(Fraction, st.integers(-999, 999), st.sampled_from([8, 16, 400, 2000, 80]))
    )
)
def test_rounding_is_of_the_exact_value_half_to_even(value):
    """Python's own decimal arithmetic, on the double as it is, says the same."""
    x = float(value)
    exact = Decimal(x).quantize(Decimal(1).scaleb(-3 if abs(x) < 1000 else 0), ROUND_HALF_EVEN)
    said = Decimal(shown(x, ()).replace(",", "").replace("−", "-"))
    assert said == exact


def test_interval_beside_its_value():
    assert with_interval({"value": 0.5, "low": None, "high": None, "why_interval": "-"}) == "0.500"
    assert with_interval({"value": None, "why": "-"}) == "—"
