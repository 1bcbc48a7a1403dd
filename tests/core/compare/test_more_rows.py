"""About how many more rows: checked by making as many and looking again."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare.more_rows import Standing, clearing, reaching, rounded
from skarlo.core.study import Candidate, Gate, Study


def study(times=1, gates=()):
    """200 rows of which 80 are positive, as often as asked; the first candidate is a little better."""
    block = np.array([0] * 120 + [1] * 80)
    first = block.copy()
    first[:20], first[120:135] = 1, 0
    second = block.copy()
    second[10:35], second[128:147] = 1, 0
    rows = np.tile(block, times)
    return Study(
        "t", ("no", "yes"), rows, 1, {"all": np.ones(len(rows), dtype=bool)}, "all", None,
        (Candidate("A", predicted=np.tile(first, times)), Candidate("B", predicted=np.tile(second, times))),
        gates=tuple(gates),
    )  # fmt: skip


def grown(more):
    return -(-(200 + more) // 200)


@pytest.mark.parametrize("metric", ["accuracy", "f1", "precision", "specificity"])
def test_with_as_many_more_rows_a_pair_is_told_apart(metric):
    found = core.evaluate(study())["pairs"][0]["metrics"][metric]
    assert found["low"] < 0 < found["high"]
    more = found["more_rows"]["rows"]
    assert core.evaluate(study(2 * grown(more)))["pairs"][0]["metrics"][metric]["low"] > 0
    half = core.evaluate(study(max(1, grown(more) // 3)))["pairs"][0]["metrics"][metric]
    assert half["low"] <= 0, "a third of that would have done"


def test_of_the_class_that_matters():
    pair = core.evaluate(study())["pairs"][0]["metrics"]
    assert "of" not in pair["accuracy"]["more_rows"]
    assert pair["f1"]["more_rows"]["of"] == "yes"
    assert pair["specificity"]["more_rows"]["of"] == "no"
    share = pair["f1"]["more_rows"]["of_rows"] / pair["f1"]["more_rows"]["rows"]
    assert share == pytest.approx(0.4, abs=0.05)


def test_a_gate_that_only_its_interval_fails():
    gates = [Gate("recall", at_least=0.75), Gate("fpr", at_most=0.2), Gate("recall", at_least=0.9),
             Gate("recall", against="B", margin=0.02)]  # fmt: skip
    missed, wide, hopeless, against = (g for g in core.evaluate(study(1, gates))["gates"] if g["candidate"] == "A")
    assert missed["status"] == wide["status"] == "fail"
    for gate, which in ((missed, 0), (wide, 1)):
        again = core.evaluate(study(2 * grown(gate["more_rows"]["rows"]), gates))["gates"]
        assert [g["status"] for g in again if g["candidate"] == "A"][which] == "pass"
    assert "more_rows" not in hopeless
    assert against["status"] == "fail"
    assert against["more_rows"]["of"] == "yes"


def test_thin_and_settled_and_equal():
    at = Standing(100, (90, 10), ("no", "yes"))
    assert reaching(10, 4, at, "precision") == {"rows": 150, "of": "yes", "of_rows": 15}
    assert reaching(10, 12, at, "precision") is None
    assert clearing(0.1, 0.05, at, "recall") is None
    assert clearing(0.0, 0.05, at, "recall") is None
    assert clearing(1e-9, 1.0, at, "recall") is None, "beyond counting"
    assert rounded(987.0) == 990
