"""A slice in the scope: every view, number and exhibit is of its rows, as if there were no others."""

from __future__ import annotations

import json
import urllib.parse

import pytest

from conftest import PASSWORD, user_named
from files import STUDY, load, rows_of, write_study
from skarlo import core
from skarlo.web.demo import bring_in

WARDS = ("North, upper", "South = old", "East")


ALL_TOLD = STUDY + "min_slice = 1\n"


def told(rows):
    return [{**r, "ward": WARDS[i % 7 % 3], "floor": str(i % 2)} for i, r in enumerate(rows)]


@pytest.fixture
def study(workspace, tmp_path):
    rows = told(rows_of(400))
    return bring_in(workspace, write_study(tmp_path / "own", rows, ALL_TOLD), user_named(workspace, "ana")), rows


def query(**what):
    return urllib.parse.urlencode(what, doseq=True)


@pytest.mark.parametrize("within", [{"ward": WARDS[0]}, {"ward": WARDS[1]}, {"ward": "East", "floor": "1"}])
def test_a_slice_is_read_as_a_study_of_its_rows_alone(signed_in, study, tmp_path, within):
    number, rows = study
    here = [r for r in rows if all(r[k] == v for k, v in within.items())]
    alone = core.evaluate(load(write_study(tmp_path / "alone", here, ALL_TOLD)))
    ana, said = signed_in("ana"), [f"{k}={v}" for k, v in within.items()]
    found = ana("GET", f"/studies/{number}/results?{query(within=said)}").json
    assert found["holdout"]["rows"] == len(here)
    for one, other in zip(found["candidates"], json.loads(json.dumps(alone))["candidates"], strict=True):
        assert one["splits"] == other["splits"]
    for one, other in zip(found["pairs"], json.loads(json.dumps(alone))["pairs"], strict=True):
        assert one == other
    part = ana("GET", f"/studies/{number}/parts?{query(kinds='lines', split='test', within=said)}").json
    assert part["candidates"][0]["splits"]["test"]["matrix"] == alone["candidates"][0]["splits"]["test"]["matrix"]
    unfolded = ana("GET", f"/studies/{number}/unfold?" + query(
        candidate="Scores", split="test", metric="recall", within=said)).json  # fmt: skip
    assert unfolded["metric"] == part["candidates"][0]["splits"]["test"]["metrics"]["recall"]
    tally = ana("GET", f"/studies/{number}/tallies?{query(split='test', within=said)}").json["tallies"][0]
    assert tally["positives"] == sum(r["actual"] == "yes" and r["split"] == "test" for r in here)
    in_rows = ana("GET", f"/studies/{number}/rows?{query(split='test', within=said)}").json
    assert in_rows["total"] == part["candidates"][0]["splits"]["test"]["rows"]


@pytest.mark.parametrize(
    ("condition", "who", "holds"),
    [
        ("score(A) between 0.3 and 0.6", "Scores", lambda r: 0.3 <= float(r["p"]) <= 0.6),
        (
            'predicted("Labels") = "yes" and score(A) < 0.5',
            "Labels",
            lambda r: r["said"] == "yes" and float(r["p"]) < 0.5,
        ),
        ("not right(B)", "Labels", lambda r: r["said"] and r["said"] != r["actual"]),
    ],
)
def test_rows_picked_by_an_answer_that_no_cutoff_makes(signed_in, study, tmp_path, condition, who, holds):
    number, rows = study
    here = [r for r in rows if holds(r)]
    alone = json.loads(json.dumps(core.evaluate(load(write_study(tmp_path / "alone", here, ALL_TOLD)))))
    found = signed_in("ana")("GET", f"/studies/{number}/results?{query(within=f'={condition}')}").json
    assert found["holdout"]["rows"] == len(here)
    for one, other in zip(found["candidates"], alone["candidates"], strict=True):
        assert one["splits"] == other["splits"]
    (noticed,) = (f for f in found["findings"] if f["code"] == "picked_by_answer")
    assert who in noticed["where"]["candidates"] and who in noticed["message"]


def test_a_sentence_says_which_rows_it_is_of(signed_in, study):
    number, _ = study
    ana, said = signed_in("ana"), f"ward={WARDS[0]}"
    for view in ("roster", "matrix", "curves", "cutoff"):
        whole, part = (
            ana("GET", f"/studies/{number}/sentence?{query(view=view, split='test', show=[1, 2], within=w)}").json
            for w in ([], [said])
        )
        assert f"here ward is {WARDS[0]}" in part["sentence"]
        assert "ward" not in whole["sentence"]


def test_a_slice_is_pinned_and_stands_so_in_the_signed_page(signed_in, study):
    number, rows = study
    ana = signed_in("ana")
    scope = {"split": "test", "show": [1, 2], "within": {"ward": "East"}}
    for view in ("roster", "cutoff"):
        pinned = ana("POST", f"/studies/{number}/exhibits", {"view": view, "scope": scope})
        assert pinned.status_code == 201
    assert pinned.json["exhibits"][0]["scope"]["within"] == {"ward": "East"}
    ana("PATCH", f"/studies/{number}/dossier", {"decision_candidate": "Scores"})
    revision = ana("POST", f"/studies/{number}/revisions").json["id"]
    assert signed_in("ava")("POST", f"/revisions/{revision}/signature", {"password": PASSWORD}).status_code == 201
    page = ana("GET", f"/reports/{revision}").text
    n = sum(r["ward"] == "East" and r["split"] == "test" for r in rows)
    assert f"The {n} test rows where ward is East. These rows were picked out" in page
    assert "Where ward is East: " in page
    content = ana("GET", f"/revisions/{revision}/content").json
    assert {f["where"].get("in") for f in content["findings"] if f["code"] == "baseline_not_beaten"} >= {None}
    for f in content["findings"]:
        assert ("in" in f["where"]) == f["message"].startswith("where ward is East: ")


@pytest.mark.parametrize(
    ("within", "status", "said"),
    [
        (["ward=Moon"], 404, "no row has ward “Moon”"),
        (["moon=1"], 404, "there is no field moon"),
        (["ward"], 422, "within"),
        (["=x"], 422, "within"),
    ],
)
def test_a_slice_that_is_not_there_is_refused(signed_in, study, within, status, said):
    answer = signed_in("ana")("GET", f"/studies/{study[0]}/results?{query(within=within)}")
    assert answer.status_code == status
    assert said in answer.text


def test_a_slice_that_is_not_there_cannot_be_pinned(signed_in, study):
    scope = {"split": "test", "show": [1], "within": {"ward": "Moon"}}
    answer = signed_in("ana")("POST", f"/studies/{study[0]}/exhibits", {"view": "roster", "scope": scope})
    assert answer.status_code == 404
    assert "no row has ward" in answer.text


def test_of_a_slice_with_few_rows_only_counts_are_told(workspace, signed_in, tmp_path):
    rows = [{**r, "ward": "Tiny" if i % 40 == 1 else "Rest"} for i, r in enumerate(rows_of(400))]
    number = bring_in(workspace, write_study(tmp_path / "own", rows), user_named(workspace, "ana"))
    ana, said = signed_in("ana"), ["ward=Tiny"]
    here = [r for r in rows if r["ward"] == "Tiny" and r["split"] == "test"]
    found = ana("GET", f"/studies/{number}/results?{query(within=said)}").json
    part = found["candidates"][0]["splits"]["test"]
    assert (part["rows"], sum(map(sum, part["matrix"]))) == (len(here), len(here))
    assert {m["value"] for m in part["metrics"].values()} == {None}
    assert {m["why"] for m in part["metrics"].values()} == {"the slice has fewer than 30 rows"}
    assert {x for row in part["shares"] for x in row} == {None}
    assert not {"roc", "pr", "calibration", "net_benefit"} & set(part)
    assert found["best"]["test"] == {}
    assert {d["why"].split(": ")[1] for d in found["pairs"][0]["metrics"].values()} == {
        "the slice has fewer than 30 rows"
    }
    for view, of in (
        ("roster", "counts alone"),
        ("curves", "counts alone"),
        ("matrix", "misses"),
        ("cutoff", "missed"),
    ):
        asked = query(view=view, split="test", show=[1, 2], within=said)
        sentence = ana("GET", f"/studies/{number}/sentence?{asked}").json["sentence"]
        assert ("counts alone" in sentence) == (of == "counts alone"), sentence
    scope = {"split": "test", "show": [1, 2], "within": {"ward": "Tiny"}}
    for view in ("roster", "matrix", "curves", "cutoff"):
        assert ana("POST", f"/studies/{number}/exhibits", {"view": view, "scope": scope}).status_code == 201
    page = ana("GET", f"/studies/{number}/dossier/preview").text
    assert page.count("fewer than 30") >= 2
    assert 'title="the slice has fewer than 30 rows"' in page
    whole = ana("GET", f"/studies/{number}/results").json["candidates"][0]["splits"]["test"]
    assert whole["metrics"]["recall"]["value"] is not None, "of all rows everything is told"
