"""Orders of rows and nearest rows, against the definitions taken row by row."""

from __future__ import annotations

import math

import numpy as np
import pytest

from skarlo import core
from skarlo.core.compare.cases import Answered, disagreement, least_sure, most_wrong, nearest

RNG = np.random.default_rng(8)


def scored(n=60, missing=4, **more):
    actual = RNG.integers(0, 2, n)
    score = np.round(RNG.random(n), 2)
    score[:missing] = np.nan
    predicted = np.where(np.isnan(score), -1, score >= 0.4).astype(np.int64)
    return Answered(actual, predicted, 1, score, more.pop("probable", True), cutoff=0.4)


def test_most_wrong_is_wrong_first_then_by_log_loss():
    a = scored()

    def key(i):
        p = a.score[i] if a.actual[i] else 1 - a.score[i]
        loss = math.inf if math.isnan(p) else -math.log(min(1 - 1e-15, max(1e-15, p)))
        return (a.predicted[i] == a.actual[i], -loss, i)

    assert most_wrong(a).tolist() == sorted(range(60), key=key)


def test_a_ranking_is_wrong_by_the_rows_between_its_score_and_the_cutoff():
    a = scored(probable=False)
    there = [s for s in a.score.tolist() if not math.isnan(s)]

    def key(i):
        s = a.score[i]
        low, high = min(s, 0.4), max(s, 0.4)
        far = math.inf if math.isnan(s) else sum(low < x < high for x in there) / len(there)
        return (a.predicted[i] == a.actual[i], -far, i)

    assert most_wrong(a).tolist() == sorted(range(60), key=key)


def test_of_several_classes_the_actual_one_counts():
    p = RNG.dirichlet(np.ones(3), 30)
    actual = RNG.integers(0, 3, 30)
    a = Answered(actual, p.argmax(axis=1), probabilities=p)
    wrong = [(p[i].argmax() == actual[i], math.log(p[i, actual[i]]), i) for i in range(30)]
    assert most_wrong(a).tolist() == [i for *_, i in sorted(wrong)]
    ends = np.sort(p, axis=1)
    margin = ends[:, 2] - ends[:, 1]
    assert least_sure(a).tolist() == sorted(range(30), key=lambda i: (margin[i], i))


def test_least_sure_is_nearest_in_rank_to_the_cutoff():
    a = scored()
    there = [s for s in a.score.tolist() if not math.isnan(s)]

    def rank(x):
        return sum(s < x for s in there) + sum(s == x for s in there) / 2

    def key(i):
        far = math.inf if math.isnan(a.score[i]) else abs(rank(a.score[i]) - rank(0.4))
        return (far, i)

    assert least_sure(a).tolist() == sorted(range(60), key=key)


def test_classes_alone_have_no_order_of_their_own():
    a = Answered(np.array([0, 1, 0]), np.array([1, 1, 0]))
    assert most_wrong(a).tolist() == [0, 1, 2]
    assert least_sure(a).tolist() == [0, 1, 2]


def test_disagreement_counts_pairs_then_spread():
    said = [RNG.integers(-1, 2, 40) for _ in range(4)]
    scores = [np.where(RNG.random(40) < 0.1, np.nan, RNG.random(40)) for _ in range(3)]

    def key(i):
        pairs = sum(said[a][i] != said[b][i] for a in range(4) for b in range(a))
        there = [s[i] for s in scores if not math.isnan(s[i])]
        return (-pairs, -(max(there) - min(there)) if len(there) > 1 else 0.0, i)

    assert disagreement(said, scores).tolist() == sorted(range(40), key=key)


def test_nearest_adds_up_fields_in_their_own_spread():
    n = 40
    girth, kind = RNG.normal(80, 20, n), RNG.integers(-1, 3, n)
    girth[:3] = np.nan
    fields = {"girth": core.Numbers(girth), "kind": core.Texts(["a", "b", "c"], kind),
              "same": core.Numbers(np.ones(n))}  # fmt: skip
    inside, among = np.arange(n) % 4 > 0, np.arange(n) % 3 > 0
    spread = np.nanstd(girth[inside], ddof=1)
    for at in (0, 5, 9):

        def far(j, at=at):
            x, y = girth[at], girth[j]
            number = (1.0 if math.isnan(x) != math.isnan(y) else 0.0) if math.isnan(x) or math.isnan(y) else (
                abs(x - y) / spread)  # fmt: skip
            return number + float(kind[at] != kind[j])

        wanted = sorted((j for j in range(n) if among[j] and j != at), key=lambda j: (round(far(j), 12), j))[:5]
        found = nearest(at, fields, among, inside)
        assert [f.row for f in found] == wanted
        for f in found:
            assert f.distance == pytest.approx(far(f.row))
            assert sum(f.parts.values()) == pytest.approx(f.distance)
            assert set(f.parts) == {"girth", "kind"}


def test_of_equal_ones_the_nearer_score_is_first_and_the_row_itself_is_none():
    x = {"k": core.Texts(["a"], np.zeros(5, dtype=np.int64))}
    every = np.ones(5, dtype=bool)
    score = np.array([0.5, 0.9, 0.6, np.nan, 0.6])
    assert [f.row for f in nearest(0, x, every, every, 9, score)] == [2, 4, 1, 3]
    assert nearest(0, x, np.arange(5) == 0, every) == []


def test_by_an_embedding_rows_lie_close_in_it_alone():
    rng = np.random.default_rng(1)
    lies, girth = rng.normal(size=(30, 4)), core.Numbers(rng.normal(size=30))
    lies[7] = np.nan
    every = np.ones(30, dtype=bool)
    found = nearest(3, {"girth": girth}, every, every, 5, embedding=lies)
    far = {i: float(np.sqrt(((lies[i] - lies[3]) ** 2).sum())) for i in range(30) if i not in (3, 7)}
    assert [n.row for n in found] == sorted(far, key=far.get)[:5]
    assert found[0].distance == pytest.approx(min(far.values()))
    assert set(found[0].parts) == {"girth"}
