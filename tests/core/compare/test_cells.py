"""Cells compared: predicted against actual shares, one matrix less another, classes taken together; all by counting."""

from __future__ import annotations

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare import cells
from skarlo.core.counting.answers import Answers
from skarlo.core.metrics.panel import Reading
from skarlo.core.stats.tests import holm, mcnemar_midp, paired_interval

CLASSES = ("ash", "elm", "oak")
READING = Reading(CLASSES, None, core.Settings(draws=200))


def rows(n=240, seed=2, right=0.6):
    rng = np.random.default_rng(seed)
    actual = rng.choice(3, n, p=[0.5, 0.3, 0.2])
    return actual, np.where(rng.random(n) < right, actual, rng.integers(0, 3, n))


def of(actual, predicted, **about):
    return Answers(3, None, actual, predicted=predicted, **about)


def study(*predicted, actual, **about):
    candidates = tuple(core.Candidate(f"c{i}", predicted=p, **about) for i, p in enumerate(predicted))
    every = np.ones(len(actual), dtype=bool)
    return core.Study("q", CLASSES, actual, None, {"all": every}, "all", None, candidates, core.Settings(draws=200))


def test_a_gap_is_of_the_same_rows_with_holm_over_the_classes():
    actual, said = rows()
    found = cells.share_gaps(of(actual, said), READING)
    counted = []
    for k in range(3):
        p, a = said == k, actual == k
        counted.append([int(x.sum()) for x in (p & a, p & ~a, ~p & a, ~p & ~a)])
    adjusted = holm([mcnemar_midp(b, c) for _, b, c, _ in counted])
    for k, label in enumerate(CLASSES):
        both, one, other, neither = counted[k]
        assert found[label]["value"] == pytest.approx((one - other) / 240)
        assert (found[label]["low"], found[label]["high"]) == pytest.approx(
            paired_interval(both, one, other, neither, 0.95)
        )
        assert found[label]["p_adjusted"] == pytest.approx(adjusted[k])


def test_a_gap_is_over_the_rows_with_an_answer_and_stands_in_the_results():
    actual, said = rows()
    said[:40] = -1
    alone = cells.share_gaps(of(actual[40:], said[40:]), READING)
    found = core.evaluate(study(said, actual=actual, no_answer="wrong"), "none")
    per_class = found["candidates"][0]["splits"]["all"]["per_class"]
    assert {label: one["share_gap"] for label, one in per_class.items()} == alone
    told = core.unfold(found, "c0", "all", "share_gap", of="ash")
    assert told["sentence"].startswith(f"Of 200 answers of c0, {(said[40:] == 0).sum()} are “ash”")
    assert "method 10" in told["interval"]
    none = cells.share_gaps(of(actual, np.full(240, -1)), READING)
    assert none["ash"] == {"value": None, "why": cells.NO_ROWS}


def test_rows_that_weigh_nothing_are_no_rows():
    actual, said = rows()
    found = cells.share_gaps(of(actual, said, weight=np.zeros(240)), READING)
    assert found["ash"] == {"value": None, "why": cells.NO_ROWS}


def test_weights_of_one_give_the_same_gap_and_groups_widen_it():
    actual, said = rows()
    plain, weighted, grouped = (
        cells.share_gaps(of(actual, said, **about), READING)["ash"]
        for about in ({}, {"weight": np.ones(240)}, {"group": np.arange(240) // 12})
    )
    assert weighted["value"] == pytest.approx(plain["value"])
    assert grouped["value"] == pytest.approx(plain["value"])
    assert grouped["low"] < grouped["value"] < grouped["high"]


def test_one_matrix_less_another_cell_by_cell():
    actual, first = rows()
    second = rows(seed=9, right=0.4)[1]
    first[:10] = -1
    s = study(first, second, actual=actual, no_answer="wrong")
    found = core.Evaluation(s, "none").part(core.Part("cells", "all", pair=("c0", "c1")))["c0"]["cells"]
    assert (found["against"], found["rows"]) == ("c1", 240)
    ps = []
    for i in range(3):
        mine = actual == i
        for j in (0, 1, 2, -1):
            a, b = first[mine] == j, second[mine] == j
            only_a, only_b = int((a & ~b).sum()), int((~a & b).sum())
            ps.append(mcnemar_midp(only_a, only_b))
            assert found["counts"][i][j] == a.sum() - b.sum()
            assert found["difference"][i][j] == pytest.approx((only_a - only_b) / mine.sum())
            low, high = found["low"][i][j], found["high"][i][j]
            ends = paired_interval(int((a & b).sum()), only_a, only_b, int((~a & ~b).sum()), 1 - 0.05 / 12)
            assert (low, high) == pytest.approx(ends)
    assert [p for row in found["p_adjusted"] for p in row] == pytest.approx(holm(ps))


def test_rows_that_one_leaves_out_are_in_neither():
    actual, first = rows()
    first[:30] = -1
    s = study(first, rows(seed=9)[1], actual=actual, no_answer="left_out")
    found = core.Evaluation(s, "none").part(core.Part("cells", "all", pair=("c0", "c1")))["c0"]["cells"]
    assert found["rows"] == 210
    assert np.sum(found["counts"]) == 0


def test_a_pair_is_of_two_candidates_of_the_study():
    actual, said = rows()
    with pytest.raises(KeyError, match="a pair is of two"):
        core.Evaluation(study(said, actual=actual), "none").part(core.Part("cells", "all", pair=("c0", "nobody")))


def test_classes_taken_together_are_counted_on_the_mapped_rows():
    actual, said = rows()
    s = study(said, actual=actual)
    told = core.Evaluation(s, "none").results([core.Part("merged", "all", merge=(0, 1, 1))])
    found = told["candidates"][0]["splits"]["all"]["merged"]
    assert found["classes"] == ["ash", "elm + oak"]
    both = [(int(y > 0), int(p > 0)) for y, p in zip(actual, said, strict=True)]
    assert found["matrix"] == [[both.count((i, j)) for j in (0, 1)] for i in (0, 1)]
    assert found["metrics"]["accuracy"]["value"] == pytest.approx(np.mean([y == p for y, p in both]))
    assert found["per_class"]["elm + oak"]["recall"]["value"] == pytest.approx(
        found["matrix"][1][1] / sum(found["matrix"][1])
    )


def test_of_probabilities_the_largest_of_the_added_ones_is_predicted():
    p = np.array([[0.4, 0.3, 0.3], [0.5, 0.3, 0.2], [0.1, 0.2, 0.7]])
    one = core.Candidate("net", probabilities=p)
    every = np.ones(3, dtype=bool)
    s = core.Study(
        "q", CLASSES, np.array([0, 0, 2]), None, {"all": every}, "all", None, (one,), core.Settings(draws=50)
    )
    assert core.evaluate(s, "none")["candidates"][0]["splits"]["all"]["matrix"][0] == [2, 0, 0]
    found = core.Evaluation(s, "none").part(core.Part("merged", "all", merge=(0, 1, 1)))["net"]["merged"]
    assert found["matrix"] == [[1, 1], [0, 1]]


@pytest.mark.parametrize("groups", [(0, 0, 0), (0, 2, 2), (0, 1), ()])
def test_groups_with_a_gap_are_refused(groups):
    actual, said = rows()
    with pytest.raises(ValueError, match="from 0 without a gap"):
        core.merged(study(said, actual=actual), groups)
