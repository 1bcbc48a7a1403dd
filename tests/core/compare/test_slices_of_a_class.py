"""Of several classes, how one of them fares in each group: counted row by row."""

from __future__ import annotations

import numpy as np
import pytest

from core.test_features import three
from one_field import of_fields
from skarlo import core


@pytest.mark.parametrize("label", ["x", "y", "z"])
@pytest.mark.parametrize("no_answer", ["wrong", "left_out"])
def test_each_group_of_one_class_against_the_rest(label, no_answer):
    rng = np.random.default_rng(4)
    s = three(600)
    p = s.candidates[0].probabilities.copy()
    p[rng.permutation(600)[:40]] = np.nan
    s = three(600, candidates=(core.Candidate("P", probabilities=p, no_answer=no_answer),))
    field = core.Field("site", ("east", "west"), rng.integers(0, 2, 600))
    ready = core.prepare(s, of_fields(field))
    part = core.Part("slices", "all", fields=("site",), of=label)
    found = core.Evaluation(ready, "none").part(part)["P"]["slices"]
    k, said = s.classes.index(label), np.where(np.isnan(p[:, 0]), -1, np.nan_to_num(p).argmax(axis=1))
    judged = np.ones(600, dtype=bool) if no_answer == "wrong" else said >= 0

    def rates(inside):
        tp = np.sum(inside & (s.actual == k) & (said == k))
        of, flagged = np.sum(inside & (s.actual == k)), np.sum(inside & (said == k))
        return {"recall": tp / of, "precision": tp / flagged, "f1": 2 * tp / (of + flagged)}

    for g, one in enumerate(found):
        inside = judged & (field.codes == g)
        assert one["by"] == {"site": field.values[g]}
        assert one["actual"][label] == np.sum(inside & (s.actual == k))
        here, rest = rates(inside), rates(judged & (field.codes != g))
        for name, value in here.items():
            assert one["metrics"][name]["value"] == pytest.approx(value)
            assert one["rest"][name]["difference"] == pytest.approx(value - rest[name])
            assert 0 <= one["rest"][name]["p"] <= one["rest"][name]["p_adjusted"] <= 1


def test_without_a_class_they_are_of_all_classes_and_another_class_there_is_not():
    s = three(300)
    field = core.Field("site", ("east", "west"), np.arange(300) % 2)
    whole = core.Evaluation(core.prepare(s, of_fields(field)), "none").part(
        core.Part("slices", "all", fields=("site",))
    )
    (first, _) = next(iter(whole.values()))["slices"]
    assert "recall" not in first["metrics"]
    assert set(first["actual"]) == set(s.classes)
    with pytest.raises(KeyError, match="no class w"):
        core.Evaluation(core.prepare(s, of_fields(field)), "none").part(
            core.Part("slices", "all", fields=("site",), of="w")
        )
