"""A pinned matrix stands in the report as its view's own choices laid it out."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from core.test_evaluate import study
from core.test_features import three
from skarlo import core
from skarlo.report import render
from skarlo.report.exhibits import EXHIBITS, Reading
from skarlo.report.exhibits.grid import added, ordered, share_of
from skarlo.report.scope import Scope, candidates


def blocks(s, split="all", show=(1, 2), **own):
    evaluation = core.Evaluation(s, "none")
    results, scope, exhibit = evaluation.results(), Scope(split, show, own=own), EXHIBITS["matrix"]
    return exhibit.blocks(Reading(
        results=results, scope=scope, chosen=candidates(results, scope), tallies=dict,
        further=lambda: evaluation.results(exhibit.shows(results, scope)),
    ))  # fmt: skip


def page(made):
    macros = render.templates().get_template("blocks.html.j2").module
    return str(macros.draw(made))


def counted(s, which, i, j):
    c = s.candidates[which]
    said = c.probabilities.argmax(axis=1) if c.probabilities is not None else c.predicted
    return int(np.count_nonzero((s.actual == i) & (said == j)))


def texts(block):
    return [[[r["text"] for r in cell["rungs"]] for cell in row["cells"]] for row in block["rows"]]


def test_all_stand_together_where_they_find_room():
    s = three()
    drawn, told = blocks(s)
    assert drawn["kind"] == "rungs"
    assert texts(drawn) == [[[core.count(counted(s, w, i, j)) for w in (0, 1)] for j in range(3)] for i in range(3)]
    assert [cell["tint"] for cell in drawn["rows"][1]["cells"]] == ["", "right", ""]
    for i, row in enumerate(drawn["rows"]):
        for w in (0, 1):
            assert sum(cell["rungs"][w]["part"] for cell in row["cells"]) == pytest.approx(1)
        assert row["name"] == s.classes[i]
    assert "bars: share of the actual class" in told["text"].lower()
    shown = page([drawn, told])
    assert "actual ↓ predicted →" in shown
    assert shown.count("<rect") == 3 * 3 * 2
    alone, _ = blocks(s, show=(2,))
    assert alone["kind"] == "matrices"


def test_turned_ordered_and_as_shares_of_the_predicted_class():
    s = three()
    drawn, told = blocks(s, across="actual", order="rows", bars="predicted")
    by_rows = sorted(range(3), key=lambda k: -np.count_nonzero(s.actual == k))
    assert drawn["columns"] == [s.classes[k] for k in by_rows]
    assert [row["name"] for row in drawn["rows"]] == drawn["columns"]
    for y, j in enumerate(by_rows):
        for x, i in enumerate(by_rows):
            first, _ = drawn["rows"][y]["cells"][x]["rungs"]
            assert first["text"] == core.count(counted(s, 0, i, j))
            assert first["part"] == pytest.approx(counted(s, 0, i, j) / sum(counted(s, 0, k, j) for k in range(3)))
    assert "Rows: the predicted class; columns: the actual one." in told["text"]
    assert "predicted ↓ actual →" in page([drawn])


def test_one_less_another_tells_what_the_data_separate():
    s = three(n=900)
    said = np.where(np.arange(900) % 3 == 0, 0, s.candidates[1].predicted)
    s = replace(s, candidates=(s.candidates[0], replace(s.candidates[1], predicted=said)))
    drawn, told, averages, _ = blocks(s, mode="less", pair="B-A")
    (pair,) = core.evaluate(s)["pairs"]
    for row, kind in zip(averages["rows"], ("macro", "weighted"), strict=True):
        for cell, name in zip(row["cells"][1:], ("precision", "recall", "f1"), strict=True):
            d = pair["averages"][kind][name]
            assert cell["text"].removeprefix("+").startswith(core.shown(-d["difference"]))
            assert cell["text"].endswith(f"({core.shown(-d['high'])} to {core.shown(-d['low'])})")
            assert cell.get("edge", False) == (d["p_adjusted"] <= 0.05)
    less = core.Evaluation(s, "none").results([core.Part("cells", "all", pair=("l", "p"))])
    (cells,) = (c["splits"]["all"]["cells"] for c in less["candidates"] if "cells" in c["splits"].get("all", {}))
    apart = 0
    for i, row in enumerate(drawn["rows"]):
        for j, cell in enumerate(row["cells"]):
            gap = counted(s, 1, i, j) - counted(s, 0, i, j)
            (rung,) = cell["rungs"]
            assert rung["text"].replace("−", "-").replace("+", "") == str(gap)
            separated = cells["low"][i][j] > 0 or cells["high"][i][j] < 0
            assert ("apart" in cell["tint"]) == separated == (rung["colour"] != "none")
            assert rung["ends"] == f"{core.shown(cells['low'][i][j])} to {core.shown(cells['high'][i][j])}"
            apart += separated
    assert 0 < apart < 9
    assert [x["name"] for x in drawn["told"]] == ["l", "p"]
    assert "rows that l predicts so less those that p does" in told["text"]


def test_classes_taken_together_and_what_does_not_fit():
    s = three()
    drawn, told = blocks(s, merge="0,1,1", mode="less")
    assert len(drawn["rows"]) == len(drawn["columns"]) == 2
    both = sum(counted(s, 1, i, j) for i in (1, 2) for j in (1, 2))
    assert drawn["rows"][1]["cells"][1]["rungs"][1]["text"] == core.count(both)
    assert "are taken together" in told["text"]
    one, other, _ = blocks(s, merge="0,1,1", mode="each")
    assert [len(b["told"]) for b in (one, other)] == [1, 1]
    plain = blocks(s)
    for own in ({"merge": "0,1"}, {"merge": "0,0,0"}, {"merge": "0,1,9"}, {"mode": "moon"}, {"order": "moon"},
                {"bars": "moon"}, {"across": "moon"}, {"merge": "²,1,1"}):  # fmt: skip
        assert blocks(s, **own) == plain, own
    assert blocks(s, mode="less", pair="A-A")[0]["told"][0]["name"] == "p"


def test_rows_without_an_answer_have_a_column_of_their_own():
    s = three()
    said = s.candidates[1].predicted.copy()
    said[:30] = -1
    second = replace(s.candidates[1], predicted=said, no_answer="wrong")
    s = replace(s, candidates=(s.candidates[0], second))
    drawn, _ = blocks(s)
    assert drawn["columns"] == ["x", "y", "z", "no answer"]
    for i, row in enumerate(drawn["rows"]):
        first, second = row["cells"][3]["rungs"]
        assert (first["text"], second["text"]) == ("0", core.count(int(np.count_nonzero(s.actual[:30] == i))))
    less, *_ = blocks(s, mode="less")
    assert less["columns"][-1] == "no answer"


def test_of_two_classes_one_by_one():
    s = study()
    one, _ = blocks(s, "test", tuple(range(1, 1 + len(s.candidates))), mode="each", across="actual")
    assert one["kind"] == "matrices"
    matrix = one["matrices"][0]
    assert matrix["axes"] == "predicted ↓ actual →"
    n = core.evaluate(s)["candidates"][0]["splits"]["test"]["matrix"]
    assert [[c["count"] for c in row["cells"]] for row in matrix["rows"]] == [
        [core.count(n[i][j]) for i in range(2)] for j in range(2)
    ]  # fmt: skip


def test_orders_and_shares_by_hand():
    cells = [[5, 0, 9, 1], [0, 20, 0, 7], [4, 0, 3, 0], [0, 2, 0, 1]]
    names = ["b", "A", "d", "c"]
    assert ordered(cells, names, "study") == [0, 1, 2, 3]
    assert ordered(cells, names, "name") == [1, 0, 3, 2]
    assert ordered(cells, names, "rows") == [1, 0, 2, 3]
    assert ordered(cells, names, "taken") == [1, 3, 0, 2]
    assert ordered([[1, 0], [0, 1]], ["a", "b"], "taken") == [0, 1]
    assert [share_of(cells, 0, 2, of) for of in ("actual", "predicted", "all")] == [9 / 15, 9 / 12, 9 / 52]
    assert share_of([[0, 0], [0, 0]], 0, 1, "actual") is None
    assert added([[[1, 2], [3, 4]], [[1, 1, 5], [1, 1, 5]]]) == [[2, 3], [4, 5]]


def test_each_class_stands_below_where_the_view_had_them_open():
    s = three()
    *_, told = blocks(s, classes="yes", front="B")
    assert told["kind"] == "table"
    results = core.evaluate(s)["candidates"][1]["splits"]["all"]
    rows = [[c["text"] for c in row["cells"]] for row in told["rows"]]
    for k, label in enumerate(s.classes):
        recall = results["per_class"][label]["recall"]
        assert rows[k][:2] == [label, core.count(int(np.sum(s.actual == k)))]
        assert rows[k][3] == core.with_interval(recall)
    assert [row[0] for row in rows[3:]] == ["plain mean of the classes", "mean weighted by their rows", "all pooled"]
    assert rows[3][3] == core.with_interval(results["averages"]["macro"]["recall"])
    assert len(blocks(s)) == 2


def crowded(k=20, n=900):
    rng = np.random.default_rng(3)
    actual = rng.integers(0, k, n)
    said = [np.where(rng.random(n) < right, actual, (actual + rng.integers(1, 4, n)) % k) for right in (0.8, 0.4)]
    names = tuple(f"kind {i}" for i in range(k))
    one, other = (core.Candidate(name, predicted=p) for name, p in zip(("Net", "Guide"), said, strict=True))
    return core.Study("many", names, actual, None, {"all": np.ones(n, dtype=bool)}, "all", None, (one, other),
                      core.Settings(draws=100))  # fmt: skip


def test_more_classes_than_a_page_holds_are_tinted_and_the_worst_listed():
    s = crowded()
    first, worst, _, _, told = blocks(s, mode="each")
    assert (first["kind"], worst["kind"]) == ("figure", "table")
    cells = {(i, j): counted(s, 0, i, j) for i in range(20) for j in range(20)}
    wrong = sorted((n for (i, j), n in cells.items() if i != j), reverse=True)[:15]
    listed = [[c["text"] for c in row["cells"]] for row in worst["rows"]]
    assert [row[2] for row in listed] == [core.count(n) for n in wrong]
    for actual, predicted, n, share in listed:
        i, j = s.classes.index(actual), s.classes.index(predicted)
        assert n == core.count(cells[i, j])
        assert share == core.shown(cells[i, j] / int((s.actual == i).sum()))
    drawn = sum(n > 0 or i == j for (i, j), n in cells.items())
    assert first["svg"].count('fill="none"') >= 20  # the right ones are framed
    assert first["svg"].count("patch_") >= drawn
    assert "below each its 15 most frequent errors" in told["text"].lower()
    assert "no answer" not in first["svg"]


def test_of_many_classes_one_less_another_lists_where_they_differ_most():
    s = crowded()
    listed, told, *_ = blocks(s, mode="less", pair="A-B")
    rows = [[c["text"] for c in row["cells"]] for row in listed["rows"]]
    assert len(rows) == 15
    flags = [row[4] == "separated" for row in rows]
    assert any(flags)
    assert flags == sorted(flags, reverse=True)
    for actual, predicted, n, *_ in rows:
        i, j = s.classes.index(actual), s.classes.index(predicted)
        assert n == f"{counted(s, 0, i, j) - counted(s, 1, i, j):+,}".replace("-", "−")
    assert "first what is separated" in told["text"]
