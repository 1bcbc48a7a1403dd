"""The results part by part: each alone is what stands in the whole, and a cutoff changes only those that read it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from core.test_evaluate import study
from skarlo import core
from skarlo.core import PART_KINDS, Evaluation, Field, Gate, Part, put_together
from skarlo.core.parts import of_file


def sliced():
    s = study()
    rng = np.random.default_rng(5)
    fields = [Field(name, ("p", "q"), rng.integers(0, 2, len(s.actual))) for name in ("ward", "shift")]
    return replace(
        s, slices=((fields[0],), (fields[1],), tuple(fields)), gates=(Gate("recall", at_least=0.5, every=("ward",)),),
        expected_base_rate=(0.2,), cutoff_study=core.CutoffStudy(0.25, 2),
    )  # fmt: skip


@pytest.fixture(scope="module")
def whole():
    return core.evaluate(sliced())


def test_all_parts_together_are_the_results_file(whole):
    s = sliced()
    evaluation = Evaluation(s)
    apart = put_together({part: evaluation.part(part) for part in of_file(s.splits)})
    assert apart == whole
    assert list(apart["candidates"][0]["splits"]["test"]) == list(whole["candidates"][0]["splits"]["test"])


@pytest.mark.parametrize("kind", PART_KINDS)
def test_a_part_asked_for_alone_is_as_in_the_whole(kind, whole):
    s, splits = sliced(), ("tuning", "test")
    parts = [Part(kind, split) for split in splits] if PART_KINDS[kind].each else [Part(kind)]
    alone = Evaluation(s).results(parts)
    if not PART_KINDS[kind].each:
        keys = [k for k in alone if k != "candidates"]
        assert {k: alone[k] for k in keys} == {k: whole[k] for k in keys}
        return
    for one, all_of_it in zip(alone["candidates"], whole["candidates"], strict=True):
        for split, found in one["splits"].items():
            for key, value in found.items():
                if kind == "values":
                    metrics = all_of_it["splits"][split]["metrics"]
                    assert value == metrics[key]["value"] or value == pytest.approx(metrics[key]["value"], rel=1e-12)
                elif not PART_KINDS[kind].filed:
                    assert value
                    assert key not in all_of_it["splits"][split], "the file does not hold it"
                elif key == "per_class":
                    told = all_of_it["splits"][split][key]
                    assert all(told[label].items() >= about.items() for label, about in value.items())
                else:
                    assert value == all_of_it["splits"][split][key], (kind, key)


def test_slices_are_asked_for_list_by_list():
    s = sliced()
    evaluation = Evaluation(s)
    apart = [
        entry for names in (("ward",), ("shift",), ("ward", "shift"))
        for entry in evaluation.part(Part("slices", "test", names))["a"]["slices"]
    ]  # fmt: skip
    assert apart == evaluation.part(Part("slices", "test"))["a"]["slices"]
    assert [list(one["by"]) for one in apart] == [["ward"]] * 2 + [["shift"]] * 2 + [["ward", "shift"]] * 4


def test_a_cutoff_changes_the_parts_that_say_so_and_no_other():
    s = sliced()
    ready = core.prepare(s)
    parts = of_file(s.splits)
    at = [{p: Evaluation(ready, cutoffs=[core.Cutoff(x)] * 3 + [None]).part(p) for p in parts}
          for x in (0.3, 0.6)]  # fmt: skip
    moved = {p.kind for p in parts if at[0][p] != at[1][p]}
    assert moved <= {k for k, about in PART_KINDS.items() if about.moves}
    assert {"head", "lines", "classes", "slices", "pairs", "gates", "expected"} <= moved


@pytest.mark.parametrize(
    ("part", "why"),
    [
        (("lines",), "is of a split"),
        (("gates", "test"), "is of no split"),
        (("drawing",), "there is no part drawing"),
    ],
)
def test_what_is_no_part_is_refused(part, why):
    with pytest.raises(ValueError, match=why):
        Part(*part)


def test_what_the_study_does_not_have_is_refused():
    evaluation = Evaluation(sliced())
    with pytest.raises(KeyError, match="there is no split night"):
        evaluation.part(Part("lines", "night"))
    with pytest.raises(KeyError, match="no field nurse"):
        evaluation.part(Part("slices", "test", ("nurse",)))


def test_what_pages_show_beside_the_counts_is_of_the_rows():
    s = study(weight=np.random.default_rng(2).choice([0.5, 1.0, 2.0], 600))
    told, w = core.evaluate(s), s.weight
    balance = core.balance_of(s)
    for split, rows in s.splits.items():
        for k, label in enumerate(s.classes):
            of = rows & (s.actual == k)
            share = w[of].sum() / w[rows].sum()
            assert balance[split][label] == {"rows": int(of.sum()), "share": pytest.approx(share)}
            for c in told["candidates"]:
                assert c["splits"][split]["per_class"][label]["prevalence"]["value"] == pytest.approx(share)
        part = told["candidates"][3]["splits"][split]
        said = s.candidates[3].predicted
        assert part["errors"] == pytest.approx(w[rows & (said != s.actual)].sum())
        for k in range(2):
            of = rows & (s.actual == k)
            shares = [w[of & (said == j)].sum() / w[of].sum() for j in range(2)]
            assert part["shares"][k] == pytest.approx(shares)
