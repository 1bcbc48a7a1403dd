"""Figures of the report show what the rows say, exactly at the cutoff too."""

from __future__ import annotations

import re

import numpy as np
import pytest
from matplotlib.figure import Figure

from files import load, write_study
from skarlo import core
from skarlo.report import figures
from skarlo.report.scope import Scope, candidates


@pytest.mark.parametrize("cutoff", [0.35, 0.352, 0.5])
def test_what_stands_exactly_at_the_cutoff_is_coloured_as_it_is_counted(tmp_path, cutoff):
    rows = [
        {"id": f"r{i}", "actual": "yes" if i % 2 else "no", "split": "test" if i % 4 < 2 else "tuning",
         "p": f"{(0.35, 0.352, 0.5, 0.9)[i % 7 % 4]}", "said": "yes" if i % 3 else "no"} for i in range(200)
    ]  # fmt: skip
    study = load(write_study(tmp_path, rows))
    results = core.evaluate(study, cutoffs=[core.Cutoff(cutoff), None])
    (c,) = candidates(results, Scope("test", (1,)))
    tally = core.prepare(study).on_split(0, "test").judged.tally
    ax = Figure().subplots()
    figures._strip(ax, c, tally, np.linspace(0, 1, 41))
    heights = {}
    for bar in ax.patches:
        key = (bar.get_facecolor(), bar.get_height() > 0)
        heights[key] = heights.get(key, 0.0) + abs(bar.get_height())
    m = c.part["metrics"]
    wanted = sorted(m[name]["value"] for name in ("recall", "fnr", "fpr", "specificity") if m[name]["value"])
    assert sorted(h for h in heights.values() if h) == pytest.approx(wanted)


def test_every_mark_of_a_figure_is_drawn_from_what_stands_in_it(tmp_path):
    results = core.evaluate(load(write_study(tmp_path)))
    chosen = [c for c in candidates(results, Scope("test", (1, 2))) if "roc" in c.part]
    roc = chosen[0].part["roc"]
    drawn = {"roc": (roc["fpr"], roc["tpr"])}
    line = figures.Line("A", "#123456", "-", drawn, {"roc": 0.7}, {"roc": (0.2, 0.6)})
    for svg in (figures.curves([line], ("roc",), 0.3, ""), figures.reliability(chosen, "yes", "")):
        named = re.findall(r'<use[^>]* href="#([^"]+)"', svg)
        assert len(named) > 10
        assert set(named) <= set(re.findall(r' id="([^"]+)"', svg))
        assert svg.count("<use") == len(named)
        assert "xlink" not in svg
