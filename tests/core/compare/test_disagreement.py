"""Who of two is right where they differ, counted row by row; the answers and scores held against each other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from core.test_features import three
from skarlo import core
from skarlo.core.stats.intervals import wilson


def told(s, a, b, split="all"):
    evaluation = core.Evaluation(s, "none")
    return evaluation.part(core.Part("disagreement", split, pair=(a, b)))[a]["disagreement"]


def two(n=500, seed=1, missing=0, **more):
    rng = np.random.default_rng(seed)
    actual = (rng.random(n) < 0.4).astype(np.int64)
    scores = [np.round(np.clip(rng.normal(0.3 + 0.3 * actual, 0.2), 0, 1), 2) for _ in range(2)]
    scores[0][:missing] = np.nan
    every = {"all": np.ones(n, dtype=bool)}
    candidates = tuple(core.Candidate(name, score=x, cutoff=core.Cutoff(0.45), no_answer="wrong")
                       for name, x in zip(("one", "other"), scores, strict=True))  # fmt: skip
    return core.Study("q", ("no", "yes"), actual, 1, every, "all", None, candidates, core.Settings(draws=400), **more)


@pytest.mark.parametrize("missing", [0, 30])
def test_each_row_is_counted_once(missing):
    s = two(missing=missing)
    found = told(s, "one", "other")
    said = [np.where(np.isnan(c.score), -1, c.score >= 0.45).astype(int) for c in s.candidates]
    for k, label in enumerate(s.classes):
        n = dict.fromkeys(
            ("both_right", "only_a", "only_b", "both_wrong_alike", "both_wrong_otherwise", "no_answer"), 0
        )
        for y, p, q in zip(s.actual.tolist(), said[0].tolist(), said[1].tolist(), strict=True):
            if y != k:
                continue
            kind = ("no_answer" if -1 in (p, q) else "both_right" if p == q == y else "only_a" if p == y else
                    "only_b" if q == y else "both_wrong_alike" if p == q else "both_wrong_otherwise")  # fmt: skip
            n[kind] += 1
        assert {key: found["by_class"][label][key] for key in n} == n
    one, other = (sum(c[key] for c in found["by_class"].values()) for key in ("only_a", "only_b"))
    assert (found["only_a"], found["only_b"]) == (one, other)
    share = found["only_a_share"]
    assert share["value"] == pytest.approx(one / (one + other))
    assert (share["low"], share["high"]) == pytest.approx(wilson(one, one + other, 0.95))
    assert share["p"] == core.mcnemar_midp(one, other)
    assert found["rows"] == 500


def test_answers_and_scores_held_against_each_other():
    s = two()
    found = told(s, "one", "other")
    p, q = (c.score >= 0.45 for c in s.candidates)
    agree, chance = (p == q).mean(), p.mean() * q.mean() + (1 - p.mean()) * (1 - q.mean())
    assert found["kappa"]["value"] == pytest.approx((agree - chance) / (1 - chance))
    assert found["kappa"]["low"] < found["kappa"]["value"] < found["kappa"]["high"]

    def ranks(x):
        return np.array([(x < v).sum() + ((x == v).sum() + 1) / 2 for v in x])

    a, b = (ranks(c.score) for c in s.candidates)
    assert found["spearman"]["value"] == pytest.approx(np.corrcoef(a, b)[0, 1])
    points = found["points"]
    assert (points["of"], len(points["a"])) == (500, 500)
    assert points["a"] == s.candidates[0].score.tolist()


def test_turned_round_it_is_the_same_of_the_other():
    s = two()
    one, other = told(s, "one", "other"), told(s, "other", "one")
    for label in s.classes:
        assert one["by_class"][label]["only_a"] == other["by_class"][label]["only_b"]
    assert one["only_a_share"]["value"] == pytest.approx(1 - other["only_a_share"]["value"])
    assert other["against"] == "one"


def test_of_three_classes_wrong_alike_and_otherwise():
    s = three()
    a, b = (c.name for c in s.candidates[:2])
    found = told(s, a, b)
    said = [c.probabilities.argmax(axis=1) if c.probabilities is not None else c.predicted for c in s.candidates[:2]]
    wrong = (said[0] != s.actual) & (said[1] != s.actual)
    alike = sum(c["both_wrong_alike"] for c in found["by_class"].values())
    assert alike == (wrong & (said[0] == said[1])).sum()
    assert sum(c["both_wrong_otherwise"] for c in found["by_class"].values()) == (wrong & (said[0] != said[1])).sum()
    assert "spearman" not in found


def test_rows_that_belong_together_have_no_test_of_counts():
    found = told(two(group=np.arange(500) // 5), "one", "other")
    assert found["only_a_share"]["value"] is not None
    assert found["only_a_share"]["low"] is None
    assert "p" not in found["only_a_share"]


def test_two_that_never_differ():
    s = two()
    same = core.Candidate("again", score=s.candidates[0].score, cutoff=core.Cutoff(0.45))
    from dataclasses import replace

    found = told(replace(s, candidates=(s.candidates[0], same)), "one", "again")
    assert found["only_a_share"]["value"] is None
    assert found["kappa"]["value"] == 1
    assert found["spearman"]["value"] == pytest.approx(1)


@pytest.mark.parametrize("missing", [0, 30])
@pytest.mark.parametrize("weighted", [False, True])
def test_at_equal_flags_the_lowest_cutoff_that_flags_no_more(missing, weighted):
    weight = np.random.default_rng(8).choice([0.5, 1.0, 2.5], 500) if weighted else None
    s = two(missing=missing, weight=weight)
    one, other = s.candidates
    w = np.ones(500) if weight is None else weight
    for a, b in ((one, other), (other, one)):
        found = told(s, a.name, b.name)["equal_flags"]
        most = w[a.score >= 0.45].sum()
        fits = [c for c in np.unique(b.score[~np.isnan(b.score)]) if w[b.score >= c].sum() <= most + 1e-9]
        assert found["first"] == pytest.approx(most)
        assert found["cutoff"] == min(fits)
        assert found["flags"] == pytest.approx(w[b.score >= min(fits)].sum())


def test_who_would_have_to_flag_nothing_has_no_cutoff_at_equal_flags():
    s = two()
    none = core.Candidate("none", score=np.zeros(500), cutoff=core.Cutoff(0.5))
    s = replace(s, candidates=(s.candidates[0], none))
    assert told(s, "one", "none")["equal_flags"] == {"cutoff": None, "flags": 0.0, "first": pytest.approx(
        float((s.candidates[0].score >= 0.45).sum()))}  # fmt: skip
    assert told(s, "none", "one")["equal_flags"]["first"] == 0.0
