"""Drafted sentences claim no more than the tests allow."""

from __future__ import annotations

import copy

import pytest

from files import write_study
from skarlo import core, intake
from skarlo.report import drafting
from skarlo.report.scope import Scope, letter


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
    for view in ("roster", "matrix", "curves", "cutoff"):
        for show in ((1,), (2,), (1, 2)):
            assert drafting.sentence(view, results, Scope("test", show)).endswith(".")
        assert drafting.sentence(view, results, Scope("test", ())) == "No candidate is switched on."
    assert "classes only" in drafting.sentence("curves", results, Scope("test", (2,)))


def test_letters():
    assert [letter(i) for i in (1, 2, 26, 27, 28)] == ["A", "B", "Z", "AA", "AB"]
