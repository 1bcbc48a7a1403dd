"""Figures of the report show what the rows say, exactly at the cutoff too."""

from __future__ import annotations

import re

import numpy as np
import pytest
from matplotlib.figure import Figure

from files import load, write_study
from skarlo import core
from skarlo.report import blocks, figures
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
    figures._strip(ax, c, tally, np.linspace(0, 1, 41), rooted=False)
    heights = {}
    for bars in ax.patches:
        for y in (corners[:, 1] for corners in bars.get_path().to_polygons()):
            key = (bars.get_facecolor(), y.mean() > 0)
            heights[key] = heights.get(key, 0.0) + np.ptp(y)
    m = c.part["metrics"]
    wanted = sorted(m[name]["value"] for name in ("recall", "fnr", "fpr", "specificity") if m[name]["value"])
    assert sorted(h for h in heights.values() if h) == pytest.approx(wanted)


def test_a_rooted_bar_is_as_tall_as_the_root_of_its_share_and_its_parts_keep_their_proportion(tmp_path):
    study = load(write_study(tmp_path))
    results = core.evaluate(study, cutoffs=[core.Cutoff(0.52), None])
    (c,) = candidates(results, Scope("test", (1,)))
    tally = core.prepare(study).on_split(0, "test").judged.tally

    def drawn(rooted):
        """By side and bar: how much of it each colour has."""
        ax, found = Figure().subplots(), {}
        figures._strip(ax, c, tally, np.linspace(0, 1, 11), rooted)
        for bars in ax.patches:
            for corners in bars.get_path().to_polygons():
                key = (corners[:, 1].mean() > 0, round(corners[:, 0].min(), 6))
                found.setdefault(key, {})[bars.get_facecolor()] = np.ptp(corners[:, 1])
        return found

    plain, rooted = drawn(False), drawn(True)
    assert plain.keys() == rooted.keys()
    assert any(len(parts) == 2 for parts in plain.values())
    for key, parts in plain.items():
        whole = sum(parts.values())
        assert rooted[key] == pytest.approx({colour: size / whole**0.5 for colour, size in parts.items()})


def test_strips_of_many_begin_where_those_of_one_do(tmp_path):
    study = load(write_study(tmp_path))
    (c,) = candidates(core.evaluate(study, cutoffs=[core.Cutoff(0.5), None]), Scope("test", (1,)))
    tally = core.prepare(study).on_split(0, "test").judged.tally

    def begins(many):
        """Where the line of the first cutoff begins, from above."""
        svg = figures.strips([(c, tally)] * many, rooted=True)
        paths = re.findall(r'd="M ([\d.]+) ([\d.]+)\s+L ([\d.]+) ([\d.]+)\s*"', svg)
        return min(min(float(y), float(to)) for x, y, at, to in paths if x == at and abs(float(y) - float(to)) > 20)

    assert begins(30) == pytest.approx(begins(1), abs=1)


def test_a_sentence_that_asks_has_no_full_stop():
    assert [blocks.whole(s) for s in ("is it so?", "it is")] == ["Is it so?", "It is."]


def test_bars_cover_what_each_would_by_itself():
    ax = Figure().subplots()
    figures._bars(ax, np.array([0.0, 1.0, 2.0]), np.array([0.5, 1.0, 0.5]), np.array([2.0, 0.0, -3.0]), 1.0, "red")
    (bars,) = ax.patches
    drawn = [(*corners.min(axis=0), *corners.max(axis=0)) for corners in bars.get_path().to_polygons()]
    assert drawn == [(0.0, 1.0, 0.5, 3.0), (2.0, -2.0, 2.5, 1.0)]  # the one of no height is not there
    low, high = ax.get_ylim()
    assert (low < -2, high > 3) == (True, True)
    figures._bars(ax, np.zeros(2), 0.5, np.zeros(2), 0.0, "red")
    assert ax.patches[1].get_path().to_polygons() == []


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
