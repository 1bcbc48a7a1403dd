"""Rows that a candidate's own answers picked out: its numbers have intervals there, and no test; those of the others
are tested among themselves, as if it were not there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from skarlo import core
from skarlo.core.evaluation import SEARCHES
from skarlo.core.study import Field, SearchStudy
from skarlo.core.worst import Asked

RNG = np.random.default_rng(4)
ROWS = 900
ACTUAL = (RNG.random(ROWS) < 0.4).astype(np.int64)
WARD = Field("ward", ("North", "South", "East"), RNG.integers(0, 3, ROWS))
TEXTS = core.Texts(list(WARD.values), WARD.codes)
FIELDS = core.FieldsOf(
    lambda name: TEXTS, lambda name: WARD, lambda name, rows: core.search_field(name, TEXTS, "text", rows),
    lambda: ["ward"], list,
)  # fmt: skip
WHY = "these rows were picked by answers of A"


def score(lift):
    return np.clip(0.35 + lift * (ACTUAL - 0.4) + 0.2 * RNG.normal(size=ROWS), 0.0, 1.0)


PLAIN = core.Study(
    "picked", ("no", "yes"), ACTUAL, 1, {"all": np.ones(ROWS, dtype=bool)}, "all", None,
    tuple(core.Candidate(n, score=score(x), cutoff=core.Cutoff(0.4)) for n, x in (("A", 0.5), ("B", 0.3), ("C", 0.1))),
    settings=core.Settings(draws=100), slices=((WARD,),),
)  # fmt: skip
PICKED = replace(PLAIN, picked_by=("A",))


def pair(results, a, b):
    return next(p["metrics"] for p in results["pairs"] if (p["a"], p["b"]) == (a, b))


@pytest.fixture(scope="module")
def both():
    return core.evaluate(PLAIN, "none"), core.evaluate(PICKED, "none")


def test_a_pair_with_it_has_an_interval_and_no_p(both):
    plain, picked = both
    for name, d in pair(picked, "A", "B").items():
        before = pair(plain, "A", "B")[name]
        assert (d["difference"], d.get("low"), d.get("high")) == (
            before["difference"], before.get("low"), before.get("high")
        )  # fmt: skip
        if before.get("p") is not None:
            assert (d["p"], d["p_adjusted"], d["why"]) == (None, None, WHY), name
            assert "more_rows" not in d
    against = picked["against_baseline"]["all"]
    (baseline,) = (name for name, of in against["A"].items() if of["roc_auc"]["difference"] is not None)
    told = against["A"][baseline]["roc_auc"]
    assert (told["p"], told["why"]) == (None, WHY)
    assert against["B"][baseline]["roc_auc"]["p"] is not None


def test_a_difference_from_it_unfolds_with_why_it_is_not_tested(both):
    plain, picked = both
    told = core.unfold_path(picked, "A - B/roc_auc")
    assert told["interval"].endswith(f"Not tested: {WHY}.")
    assert "95 % interval" in told["interval"]
    assert "Not tested" not in core.unfold_path(plain, "A - B/roc_auc")["interval"]


def test_the_others_are_adjusted_as_if_it_were_not_there(both):
    _, picked = both
    two = core.evaluate(replace(PLAIN, candidates=PLAIN.candidates[1:]), "none")
    for name in ("accuracy", "roc_auc", "brier", "recall"):
        mine, theirs = pair(picked, "B", "C")[name], pair(two, "B", "C")[name]
        assert mine["p_adjusted"] == theirs["p_adjusted"] == mine["p"]
        assert (mine["low_adjusted"], mine["high_adjusted"]) == (theirs["low_adjusted"], theirs["high_adjusted"])
    lead = picked["best"]["all"]["roc_auc"]
    assert (lead["leader"], lead["not_separated"]) == ("A", [])
    assert "B" in lead["not_tested"]


def test_its_groups_are_not_tested_and_a_search_is_refused(both):
    _, picked = both
    for c in picked["candidates"][:3]:
        rest = c["splits"]["all"]["slices"][0]["rest"]
        for name in ("recall", "roc_auc", "brier"):
            if c["name"] == "A":
                assert (rest[name]["p"], rest[name]["why"]) == (None, WHY)
                assert rest[name]["low"] is not None
            else:
                assert rest[name]["p"] is not None
    evaluation = core.Evaluation(core.prepare(replace(PICKED, search=(SearchStudy(None, "recall"),)), FIELDS))
    with pytest.raises(ValueError, match="none of its slices can be told as worse"):
        evaluation.searched(Asked("A", "recall"))
    first, second, _ = evaluation.search(SEARCHES)
    assert WHY in first["why"]
    assert second["looked_at"] == 3


def test_whether_its_groups_are_treated_alike_is_told_without_a_test():
    evaluation = core.Evaluation(core.prepare(PICKED, FIELDS), "none")
    for c in evaluation.part(core.Part("alike", "all", fields=("ward",))).items():
        name, told = c
        for criterion in told["alike"]["criteria"].values():
            if criterion["gap"] is not None:
                assert ("p" in criterion) is (name != "A")
                assert criterion["low"] <= criterion["gap"] <= criterion["high"]
                assert (criterion.get("why") == WHY) is (name == "A")


def test_who_is_right_where_two_differ_is_told_without_a_test():
    evaluation = core.Evaluation(core.prepare(PICKED, FIELDS), "none")
    for names in (("A", "B"), ("B", "A"), ("B", "C")):
        tested = "A" not in names
        where = {"split": "all", "pair": names}
        (told,) = evaluation.part(core.Part("disagreement", **where)).values()
        assert ("p" in told["disagreement"]["only_a_share"]) is tested
        (less,) = evaluation.part(core.Part("cells", **where)).values()
        assert any(p is not None for row in less["cells"]["p_adjusted"] for p in row) is tested
        assert all(x is not None for end in ("low", "high") for row in less["cells"][end] for x in row)
        (over,) = evaluation.part(core.Part("across", fields=("ward",), **where)).values()
        of = over["across"]["metrics"]["accuracy"]
        assert (of["unlike"] is not None) is tested
        assert all((s["difference"]["p"] is not None) is tested for s in of["slices"])


def test_it_is_said_once_and_in_the_head(both):
    plain, picked = both
    (said,) = (f for f in picked["findings"] if f["code"] == "picked_by_answer")
    assert said["message"].startswith(f"{WHY}: that bends its numbers here")
    assert picked["holdout"]["picked_by"] == ["A"]
    assert "picked_by" not in plain["holdout"]
    two = core.evaluate(replace(PLAIN, picked_by=("A", "C")), "none")
    assert "answers of A and C: that bends their numbers" in str(two["findings"])
    assert all(d.get("p") is None for p in two["pairs"] for d in p["metrics"].values())
