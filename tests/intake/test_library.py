"""Skarlo as a library: the same numbers as from files."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

import skarlo
from files import STUDY, rows_of, write_study
from skarlo import core, intake


def test_the_same_numbers_as_from_files(tmp_path):
    rows = rows_of()
    path = write_study(tmp_path, rows, STUDY.replace('tune_on = "tuning"\n', "").replace("draws = 200\n", ""))
    filed = core.evaluate(intake.load(intake.read_spec(path), lambda p: intake.Source(tmp_path / p, p)))
    found = skarlo.evaluate(
        [r["actual"] for r in rows], {"Scores": [float(r["p"]) for r in rows], "Labels": [r["said"] for r in rows]},
        positive="yes", split=[r["split"] for r in rows], report_on="test",
    )  # fmt: skip
    for a, b in zip(filed["candidates"], found["candidates"], strict=True):
        assert a["splits"]["test"]["metrics"] == b["splits"]["test"]["metrics"]


def test_frames_arrays_and_series_are_alike():
    rng = np.random.default_rng(0)
    y, s = rng.integers(0, 2, 80), rng.random(80)
    frame = pl.DataFrame({"y": y, "s": s})

    class Arrow:
        """A column of some other data frame: all that is known of it is that it speaks Arrow."""

        def __init__(self, series):
            self.__arrow_c_stream__ = series.__arrow_c_stream__

    forms = [(y, s), (frame["y"], frame["s"]), (y.tolist(), s.tolist()), (Arrow(frame["y"]), Arrow(frame["s"]))]
    found = [skarlo.evaluate(t, {"m": x}, positive=1)["candidates"] for t, x in forms]
    assert found[0] == found[1] == found[2] == found[3]


def test_probabilities_of_many_classes():
    rng = np.random.default_rng(1)
    y = rng.choice(["a", "b", "c"], 90)
    p = rng.dirichlet((1, 1, 1), 90)
    table = skarlo.evaluate(y, {"m": {"c": p[:, 2], "a": p[:, 0], "b": p[:, 1]}})
    array = skarlo.evaluate(y, {"m": p})
    assert table["candidates"] == array["candidates"]


def test_it_is_shown_as_a_table_and_unfolds():
    found = skarlo.evaluate(["y", "n"] * 20, {"<b>": [0.9, 0.2] * 10 + [0.4, 0.6] * 10}, positive="y")
    assert "ROC AUC" in repr(found)
    assert "&lt;b&gt;" in found._repr_html_()
    assert "it found 10: 10 / 20 = 0.500" in found.unfold("<b>", "recall")


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        ({"truth": ["y", "n"], "candidates": {"m": [0.1, 0.2]}}, "positive is missing"),
        ({"truth": ["y", "n"], "candidates": {"m": [0.1]}, "positive": "y"}, "m has 1 row and truth has 2"),
        (
            {"truth": ["y", "n"], "candidates": {"m": [0.1, float("nan")]}, "positive": "y"},
            "row 1 is not a finite number",
        ),
        ({"truth": ["y", "n"], "candidates": {"m": ["y", "x"]}, "positive": "y"}, "row 1 answers no class of truth"),
        ({"truth": ["y", "y"], "candidates": {}, "positive": "y"}, "all rows have one actual class"),
    ],
)
def test_bad_input_is_named(arguments, said):
    with pytest.raises(intake.InputError, match=said):
        skarlo.evaluate(**arguments)
