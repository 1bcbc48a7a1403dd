"""Drafted sentences claim no more than the tests allow."""

from __future__ import annotations

import copy

import pytest

from files import write_study
from skarlo import core, intake
from skarlo.core import letter
from skarlo.report import drafting
from skarlo.report.exhibits import EXHIBITS, sentence
from skarlo.report.scope import Scope


@pytest.fixture(scope="module")
def results(tmp_path_factory):
    study = write_study(tmp_path_factory.mktemp("s"))
    return core.evaluate(intake.load(intake.read_spec(study), lambda p: intake.Source(study.parent / p, p)))


BOTH = Scope("test", (1, 2))


def test_a_lead_that_the_data_cannot_support_is_no_lead(results):
    tied = copy.deepcopy(results)
    first, other = sorted(("Scores", "Labels"), key=lambda n: -value(tied, n))
    best = tied["best"]["test"]["f1"] = {"leader": first, "not_separated": [other], "not_tested": []}
    said = drafting.lead(tied, BOTH, "f1")
    assert f"On F1, {first} is highest at" in said
    assert f"but this data cannot separate it from {other}" in said
    assert "leads" not in said
    best["not_separated"] = []
    assert f"{first} leads at" in drafting.lead(tied, BOTH, "f1")
    best["not_tested"] = [other]
    said = drafting.lead(tied, BOTH, "f1")
    assert "leads" not in said
    assert said.endswith("; not tested")


def value(results, name):
    c = next(c for c in results["candidates"] if c["name"] == name)
    return c["splits"]["test"]["metrics"]["f1"]["value"]


def test_on_other_splits_no_one_leads(results):
    for metric in ("f1", "accuracy"):
        said = drafting.lead(results, Scope("tuning", (1, 2)), metric)
        assert "leads" not in said
        assert "highest value" in said


def test_every_view_has_its_sentence(results):
    for view in EXHIBITS:
        for show in ((1,), (2,), (1, 2)):
            assert sentence(view, results, Scope("test", show)).endswith(".")
        assert sentence(view, results, Scope("test", ())) == "No candidate is switched on."
    assert "classes only" in sentence("curves", results, Scope("test", (2,)))


def with_p(results, p, difference=-0.01):
    """The same results, where every adjusted p says one thing and none is on the edge of another rule."""
    told = copy.deepcopy(results)
    told["best"]["test"] = {}
    for pair in told["pairs"]:
        for d in pair["metrics"].values():
            d["p_adjusted"] = p
    for against in told["against_baseline"]["test"].values():
        for metrics in against.values():
            for d in metrics.values():
                d |= {"p_adjusted": p, "difference": difference}
    return told


@pytest.mark.parametrize(("p", "told"), [(0.001, True), (0.05, True), (0.051, False), (0.5, False), (None, False)])
def test_what_is_said_of_two_rests_on_the_level_of_the_study(results, p, told):
    both = Scope("test", (1, 2))
    found = with_p(results, p)
    assert ("leads at" in drafting.lead(found, both, "f1")) == told
    assert ("Accuracy misleads" in sentence("roster", found, both)) == told
    better = with_p(results, p, difference=0.01)
    better["best"] = copy.deepcopy(results["best"])
    for lead in better["best"]["test"].values():
        lead |= {"not_separated": [], "not_tested": []}
    assert ("is not shown to be better than" not in drafting.lead(better, both, "f1")) == told


def many(cells):
    """Results of one candidate over three classes with these counts."""
    part = {"rows": sum(map(sum, cells)), "no_answer": 0, "matrix": cells, "metrics": {}, "per_class": {}}
    return {
        "holdout": {"positive": None, "classes": ["x", "y", "z"], "report_on": "test", "names": {}},
        "settings": {"confidence": 0.95, "min_slice": 20},
        "candidates": [{"name": "A", "gives": "probabilities", "splits": {"test": part}, "cutoff": None}],
    }


@pytest.mark.parametrize(
    ("cells", "said"),
    [
        ([[50, 30, 2], [1, 40, 3], [0, 2, 60]], "and most often takes “x” for “y” (30 rows)"),
        ([[50, 6, 2], [1, 40, 5], [0, 2, 60]], "among its errors, it takes “x” for “y” (6 rows) and “y” for “z” (5"),
        ([[50, 9, 0], [9, 40, 0], [0, 0, 60]], "among its errors, it takes"),
        ([[50, 1, 0], [0, 40, 0], [0, 0, 60]], "and takes “x” for “y” (1 row)"),
        ([[50, 0, 0], [0, 40, 0], [0, 0, 60]], "predicts 150 of 150 test rows right."),
    ],
)
def test_most_often_is_said_where_one_count_stands_out(cells, said):
    assert said in sentence("matrix", many(cells), Scope("test", (1,)))


def test_letters():
    assert [letter(i) for i in (1, 2, 26, 27, 28)] == ["A", "B", "Z", "AA", "AB"]


@pytest.mark.parametrize(
    ("within", "where"),
    [
        ({"ward": "North", "girth": ""}, "ward is North and girth is absent"),
        ({"": 'girth >= 80 or ward = "North"'}, 'girth >= 80 or ward = "North"'),
        ({"": 'named "the \\"worst\\" of all"'}, '“the "worst" of all” holds'),
        ({"": 'named "a" and named "b"'}, 'named "a" and named "b"'),
        ({"ward": "North", "": 'named "seen"'}, "ward is North and “seen” holds"),
    ],
)
def test_rows_are_said_in_words(within, where):
    assert Scope("test", (1,), within=within).where == where
