"""A pinned roster stands in the report with the metrics that were chosen, and as it was read."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from core.test_evaluate import study
from skarlo import core
from skarlo.report.exhibits import EXHIBITS, Reading
from skarlo.report.scope import Scope, candidates


@pytest.fixture(scope="module")
def two():
    s = study()
    n = len(s.actual)
    told = core.Candidate("told", predicted=np.where(np.arange(n) % 5 == 0, 1 - s.actual, s.actual))
    early = np.arange(n) % 2 == 0
    return replace(s, candidates=(s.candidates[0], told), splits={"test": early, "train": ~early}, report_on="test",
                   tune_on=None)  # fmt: skip


def frozen(s, split="test", **own):
    evaluation, exhibit = core.Evaluation(s, "none"), EXHIBITS["roster"]
    results, scope = evaluation.results(), Scope(split, (1, 2), own=own)
    (table, note) = exhibit.blocks(Reading(
        results=results, scope=scope, chosen=candidates(results, scope), tallies=dict,
        further=lambda: evaluation.results(exhibit.shows(results, scope)),
    ))  # fmt: skip
    return results, [c["text"] for c in table["head"]], table["rows"], note["text"]


def test_the_metrics_that_were_chosen_in_their_order(two):
    results, head, rows, _ = frozen(two, metrics="recall,moon,brier,recall")
    assert head == ["Candidate", "Recall", "Brier score ↓"]
    m = results["candidates"][0]["splits"]["test"]["metrics"]
    assert [c["text"] for c in rows[0]["cells"][1:]] == [core.shown(m[x]["value"]) for x in ("recall", "brier")]
    _, usual, *_ = frozen(two, metrics="moon")
    assert usual == frozen(two)[1]
    assert len(usual) == 1 + len(core.HEADLINE)


@pytest.mark.parametrize(("against", "sign"), [("B", 1), ("A", -1)])
def test_differences_from_one_of_them(two, against, sign):
    results, head, rows, told = frozen(two, read="differences", against=against, metrics="recall,precision")
    (pair,) = results["pairs"]
    other = 0 if against == "B" else 1
    assert head[0] == f"Less {two.candidates[1 - other].name}"
    assert rows[1 - other]["cells"][1]["text"] == "reference"
    for k, name in enumerate(("recall", "precision"), 1):
        d = pair["metrics"][name]
        cell = rows[other]["cells"][k]
        ends = sorted(sign * d[end] for end in ("low", "high"))
        assert cell["text"].startswith(core.shown(sign * d["difference"])) or cell["text"].startswith("+")
        assert cell["text"].endswith(f"({core.shown(ends[0])} to {core.shown(ends[1])})")
        assert cell.get("edge", False) == (d["p_adjusted"] <= 0.05)
    assert "paired differences" in told.lower()


def test_a_difference_without_a_test_says_so(two):
    _, _, rows, _ = frozen(two, read="differences", against="B", metrics="recall,flagged_share")
    assert [c.get("note") for c in rows[0]["cells"][1:]] == [None, "not tested"]
    _, _, rows, _ = frozen(replace(two, picked_by=("told",)), read="differences", against="B", metrics="recall")
    cell = rows[0]["cells"][1]
    assert (cell.get("note"), "edge" in cell) == ("not tested", False)
    assert " to " in cell["text"]


def test_differences_are_of_the_reported_rows_alone(two):
    assert frozen(two, "train", read="differences")[1][0] == "Candidate"


def test_splits_side_by_side_with_their_gap(two):
    results, head, rows, told = frozen(two, read="splits", metrics="recall")
    assert head == ["Candidate", "rows", "Recall"]
    assert [row["cells"][1]["text"] for row in rows] == ["train", "test"] * 2
    for i in range(2):
        value = {x: results["candidates"][i]["splits"][x]["metrics"]["recall"] for x in ("train", "test")}
        train, test = (row["cells"][2] for row in rows[2 * i : 2 * i + 2])
        assert train["text"] == core.with_interval(value["train"])
        gap = value["train"]["value"] - value["test"]["value"]
        assert core.shown(gap) in train["below"]
        assert "below" not in test
    assert "less that on test" in told
