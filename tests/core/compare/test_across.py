"""Where the difference of two lies, against each group by itself and a sum over all of them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.special import chdtrc

from one_field import of_fields
from skarlo import core
from skarlo.core import Evaluation, Part


def study(**more):
    rng = np.random.default_rng(2)
    n = 900
    actual, ward = (rng.random(n) < 0.4).astype(np.int64), rng.choice(4, n, p=[0.4, 0.3, 0.28, 0.02])
    score = [np.clip(0.3 + 0.3 * actual + noise * rng.normal(size=n) - 0.15 * (ward == k) * actual, 0, 1)
             for noise, k in ((0.15, 9), (0.2, 1))]  # fmt: skip
    both = tuple(core.Candidate(name, score=s, cutoff=core.Cutoff(0.45)) for name, s in zip("ab", score, strict=True))
    whole = np.ones(n, dtype=bool)
    s = core.Study("q", ("no", "yes"), actual, 1, {"all": whole}, "all", None, both)
    return replace(s, **more), core.Field("ward", ("n", "e", "s", "few"), ward)


def told(s, field, pair=("a", "b")):
    found = Evaluation(core.prepare(s, of_fields(field)), "none").part(Part("across", "all", ("ward",), pair=pair))
    return found[pair[0]]["across"]


@pytest.mark.parametrize("metric", ["accuracy", "recall", "specificity"])
def test_each_group_is_compared_by_itself_and_the_parts_add_up(metric):
    s, field = study()
    found = told(s, field)["metrics"][metric]
    right = [(c.score >= 0.45) == s.actual for c in s.candidates]
    rows = {"accuracy": np.ones(900, dtype=bool), "recall": s.actual == 1, "specificity": s.actual == 0}[metric]
    parts, q = [], []
    for g, one in enumerate(found["slices"]):
        inside = (field.codes == g) & rows
        b, c = (int((inside & right[i] & ~right[1 - i]).sum()) for i in (0, 1))
        n = int(inside.sum())
        assert (one["group"], one["denominator"]) == (field.values[g], n)
        assert one["part"] == pytest.approx((b - c) / rows.sum())
        parts.append(one["part"])
        if one["rows"] >= 30:
            assert one["difference"]["difference"] == pytest.approx((b - c) / n)
            assert one["difference"]["p_adjusted"] >= one["difference"]["p"]
            v = ((b + c + 1) - (b - c) ** 2 / (n + 2)) / (n + 2) ** 2
            q.append(((b - c) / n, 1 / v))
        else:
            assert one["difference"]["difference"] is None
    whole = sum(r[rows].mean() * sign for r, sign in zip(right, (1, -1), strict=True))
    assert sum(parts) == pytest.approx(whole)
    mean = sum(d * w for d, w in q) / sum(w for _, w in q)
    wanted = sum(w * (d - mean) ** 2 for d, w in q)
    assert found["unlike"] == {"q": pytest.approx(wanted), "degrees": 2, "p": pytest.approx(chdtrc(2, wanted))}


def test_the_planted_group_is_where_it_lies_and_others_have_no_part():
    s, field = study()
    found = told(s, field)["metrics"]
    worst = max(found["recall"]["slices"], key=lambda one: one["part"])
    assert worst["group"] == "e"
    assert found["recall"]["unlike"]["p"] < 0.05
    assert all("part" not in one for one in found["f1"]["slices"])
    assert found["f1"]["unlike"] is None


def test_rows_left_out_and_weights():
    s, field = study()
    score = s.candidates[0].score.copy()
    score[:100] = np.nan
    left = replace(s.candidates[0], score=score, no_answer="left_out")
    found = told(replace(s, candidates=(left, s.candidates[1])), field)["metrics"]["accuracy"]
    assert sum(one["rows"] for one in found["slices"]) == 800
    weighted = told(study(weight=np.linspace(0.5, 2, 900))[0], field)["metrics"]["accuracy"]
    assert weighted["unlike"] is None
    assert weighted["slices"][0]["difference"]["difference"] is not None
