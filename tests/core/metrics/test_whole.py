"""Every metric is whole: an entry that says all of it, and a new one is told everywhere by its entry alone."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from skarlo import core
from skarlo.core.compare.paired import WAYS
from skarlo.core.counting.table import Sampling, Table
from skarlo.core.metrics import counts
from skarlo.core.metrics.definitions import METRICS
from skarlo.core.metrics.registry import Definition
from skarlo.core.study import Field, Gate

METHODS = (Path(__file__).parents[3] / "docs" / "methods.md").read_text(encoding="utf-8")
MARKEDNESS = Definition(
    name="markedness", title="Markedness", needs="counts", better="higher", lower=-1.0,
    formula="TP / (TP + FP) + TN / (TN + FN) - 1", meaning="precision plus negative predictive value, less one",
    says="{TP} / {flagged} on {pos} plus {TN} / {passed} on {neg}, less one, is {value}.",
    expression="TP / (TP + FP) + TN / (TN + FN) - 1",
)  # fmt: skip


@pytest.mark.parametrize("d", METRICS.values(), ids=lambda d: d.name)
def test_an_entry_says_all_of_a_metric(d):
    assert d.title
    assert d.meaning
    assert d.formula
    assert d.says if d.classes != "many" else d.says_many
    assert d.paired in WAYS
    assert d.lower < d.upper
    if d.over:
        assert d.why
    assert f"{d.name}" in METHODS, "methods.md does not speak of it"
    if d.classes != "two" and "{TP}" in d.says:
        assert d.says_many, "of three classes and more there is no TP"


@given(st.lists(st.integers(0, 40), min_size=4, max_size=4).filter(any))
def test_count_metrics_lie_in_the_range_of_their_entry(cells):
    t = np.array(cells).reshape(2, 2)
    found = counts.count_metrics(Table(t, t), 1, Sampling(draws=50), {"positive": "p", "negative": "n"})
    for name, m in found.items():
        if m["value"] is not None:
            assert METRICS[name].lower <= m["value"] <= METRICS[name].upper, name


def study():
    rng = np.random.default_rng(5)
    y = (rng.random(600) < 0.4).astype(np.int64)
    scores = [np.clip(rng.normal(0.4 + k * y, 0.2), 0, 1) for k in (0.3, 0.1)]
    candidates = tuple(core.Candidate(n, score=s, cutoff=core.Cutoff(0.5)) for n, s in zip("ab", scores, strict=True))
    field = Field("f", ("u", "v"), rng.integers(0, 2, 600))
    return core.Study("s", ("no", "yes"), y, 1, {"all": np.ones(600, dtype=bool)}, "all", None, candidates,
                      core.Settings(draws=200), slices=((field,),))  # fmt: skip


def test_a_new_metric_is_one_entry():
    """Its value, interval, pairs, lead, slices, gates and sentence follow from it."""
    with METRICS.with_one_more(MARKEDNESS):
        gated = replace(study(), gates=(Gate("markedness", at_least=0.1), Gate("markedness", at_least=0.99)))
        results = core.evaluate(gated)
        m = results["candidates"][0]["splits"]["all"]["metrics"]["markedness"]
        t = np.array(results["candidates"][0]["splits"]["all"]["matrix"])
        assert m["value"] == pytest.approx(t[1, 1] / t[:, 1].sum() + t[0, 0] / t[:, 0].sum() - 1)
        assert m["low"] < m["value"] < m["high"]
        d = results["pairs"][0]["metrics"]["markedness"]
        assert d["p"] < 0.05
        assert d["test"] == "delta"
        assert results["best"]["all"]["markedness"] == {"leader": "a", "not_separated": [], "not_tested": []}
        slices = results["candidates"][0]["splits"]["all"]["slices"]
        assert all(s["rest"]["markedness"]["p"] is not None for s in slices)
        assert [g["status"] for g in results["gates"] if g["candidate"] == "a"] == ["pass", "fail"]
        told = core.unfold_path(results, "a/all/markedness")
        assert told["title"] == "Markedness"
        assert told["sentence"].startswith(f"{t[1, 1]} / {t[:, 1].sum()} on “yes” plus {t[0, 0]} / {t[:, 0].sum()}")
        assert told["formula"] == MARKEDNESS.formula
        json.dumps(results, allow_nan=False)
    assert "markedness" not in core.evaluate(study())["candidates"][0]["splits"]["all"]["metrics"]
    assert "markedness" not in METRICS.two


def test_of_three_classes_and_more_all_but_calibration_is_compared():
    rng = np.random.default_rng(3)
    y = rng.integers(0, 3, 300)
    probable = []
    for sharp in (1.5, 0.7):
        p = np.exp(rng.normal(size=(300, 3)) + sharp * np.eye(3)[y])
        probable.append(p / p.sum(axis=1, keepdims=True))
    whole = {"all": np.ones(300, dtype=bool)}
    results = core.evaluate(core.Study(
        "s", ("x", "y", "z"), y, None, whole, "all", None,
        tuple(core.Candidate(n, probabilities=p) for n, p in zip("ab", probable, strict=True)),
        core.Settings(draws=100),
    ))  # fmt: skip
    pair = results["pairs"][0]
    untested = {name for name, d in pair["metrics"].items() if d["p"] is None}
    assert untested == {"brier_skill", "ece", "ece_classwise", "ece_by_answer"}
    assert pair["metrics"]["roc_auc_macro"]["interval"] == "mover_classes"
    for kind in ("macro", "weighted"):
        for name in ("precision", "recall", "f1"):
            d = pair["averages"][kind][name]
            assert d["low"] <= d["difference"] <= d["high"]
            values = [c["splits"]["all"]["averages"][kind][name]["value"] for c in results["candidates"][:2]]
            assert d["difference"] == pytest.approx(values[0] - values[1])
    area = results["candidates"][0]["splits"]["all"]["metrics"]["roc_auc_macro"]
    assert area["low"] < area["value"] < area["high"]
