"""Conditions named on the page: slices from then on, kept as of a day on request, taken away again."""

from __future__ import annotations

import csv
import io
import zipfile
from concurrent.futures import ThreadPoolExecutor
from urllib.parse import quote

import pytest

from conftest import user_named
from files import STUDY, write_study
from oddstudies import odd
from skarlo.web.demo import bring_in
from web.test_casebook import ask
from web.test_slices import told_of

WAIT = {"Prefer": "wait=60"}


@pytest.fixture
def rows():
    return told_of(400)


@pytest.fixture
def number(workspace, tmp_path, rows):
    toml = STUDY + 'min_slice = 1\n[conditions]\nnorth = \'ward = "North"\'\n' + (
        '[[gates]]\nmetric = "accuracy"\nat_least = 0.1\nwhere = "north"\n'
    )  # fmt: skip
    return bring_in(workspace, write_study(tmp_path / "own", rows, toml), user_named(workspace, "ana"))


def name(person, number, called, **body):
    return person("PUT", f"/studies/{number}/conditions/{called}?cutoffs=1:0.5", body, headers=WAIT)


def slices(person, number):
    told = ask(person, f"/studies/{number}/parts", kinds="slices", split="test", fields=":named", cutoffs="1:0.5").json
    return {s["by"]["condition"]: s for s in told["candidates"][0]["splits"]["test"]["slices"]}


def test_a_condition_is_named_and_one_that_is_kept_stays_what_it_was(signed_in, number, rows):
    ana = signed_in("ana")
    told = name(ana, number, "thick ones", where="girth >= 80")
    assert told.status_code == 200, told.json
    kept = name(ana, number, "missed", where='not right and actual = "yes"', keep=True, candidate=1)
    assert kept.status_code == 200, kept.json
    conditions = kept.json["conditions"]
    assert list(conditions) == ["north", "thick ones", "missed"]
    assert (conditions["thick ones"]["alone"], conditions["missed"]["alone"]) == ("girth >= 80", 'named "missed"')
    assert conditions["missed"]["where"] == 'not right(A) and actual = "yes"'  # it says whose answers are meant
    assert conditions["missed"]["kept"] is not None
    test = [r for r in rows if r["split"] == "test"]
    missed = [r for r in test if r["actual"] == "yes" and float(r["p"]) < 0.5]
    found = slices(ana, number)
    assert found["thick ones"]["rows"] == sum(float(r["girth"] or 0) >= 80 for r in test)
    assert found["missed"]["rows"] == len(missed)
    # at another cutoff the same rows, of which some are found now
    low = ask(ana, f"/studies/{number}/parts", kinds="slices", split="test", fields=":named", cutoffs="1:0.1").json
    (again,) = (s for s in low["candidates"][0]["splits"]["test"]["slices"] if s["by"]["condition"] == "missed")
    assert again["rows"] == len(missed)
    assert again["metrics"]["recall"]["value"] == sum(float(r["p"]) >= 0.1 for r in missed) / len(missed)
    # it stands in the results and leaves with the study
    results = ask(ana, f"/studies/{number}/results").json
    assert set(results["conditions"]) == {"north", "thick ones", "missed"}
    saved = ana("GET", f"/studies/{number}/export.zip")
    with zipfile.ZipFile(io.BytesIO(saved.data)) as packed:
        (file,) = (x for x in packed.namelist() if x.endswith("study.toml"))
        assert '"thick ones" = "girth >= 80"' in packed.read(file).decode()


def test_rows_that_are_kept_are_read_alone_in_every_view_at_every_cutoff(signed_in, number, rows):
    ana = signed_in("ana")
    name(ana, number, 'the "worst"', where='not right and actual = "yes"', keep=True, candidate=1)
    alone = ask(ana, f"/studies/{number}").json["conditions"]['the "worst"']["alone"]
    assert alone == 'named "the \\"worst\\""'
    missed = [r for r in rows if r["split"] == "test" and r["actual"] == "yes" and float(r["p"]) < 0.5]

    def recall(cutoff, within=alone):
        told = ask(ana, f"/studies/{number}/results", within=f"={within}", cutoffs=f"1:{cutoff}").json
        assert "picked_by_answer" in [f["code"] for f in told["findings"]]
        assert told["holdout"]["picked_by"] == [told["candidates"][0]["name"]]
        assert all(d.get("p") is None for pair in told["pairs"] for d in pair["metrics"].values())
        value = told["candidates"][0]["splits"]["test"]["metrics"]["recall"]["value"]
        return value, told["holdout"]["splits"]["test"]

    for cutoff in (0.1, 0.5):
        assert recall(cutoff) == (sum(float(r["p"]) >= cutoff for r in missed) / len(missed), len(missed))
    some = [r for r in missed if r["ward"] == "North"]
    north = recall(0.1, f'{alone} and ward = "North"')
    assert north == (sum(float(r["p"]) >= 0.1 for r in some) / len(some), len(some))
    # in the Casebook the rows are the same, and so are those that its slice opens
    page = ask(ana, f"/studies/{number}/rows", split="test", condition=alone, cutoffs="1:0.1").json
    assert page["total"] == len(missed)
    sliced = slices(ana, number)['the "worst"']
    assert (sliced["condition"], sliced["rest"]["accuracy"]["p"]) == (alone, None)
    assert "depends on the answer" in sliced["rest"]["accuracy"]["why"]
    # given to other rows, the name means these; taken away, it is said that there is none
    name(ana, number, 'the "worst"', where='actual = "yes" and girth >= 80', keep=True)
    told = ask(ana, f"/studies/{number}/results", within=f"={alone}", cutoffs="1:0.1").json
    thick = [r for r in rows if r["split"] == "test" and r["actual"] == "yes" and float(r["girth"] or 0) >= 80]
    assert told["holdout"]["splits"]["test"] == len(thick)
    assert "picked_by_answer" not in [f["code"] for f in told["findings"]]
    assert any(d.get("p") is not None for pair in told["pairs"] for d in pair["metrics"].values())
    ana("DELETE", f"/studies/{number}/conditions/the%20%22worst%22", headers=WAIT)
    gone = ana("GET", f"/studies/{number}/results?within=%3D{quote(alone)}")
    assert (gone.status_code, "no condition is named" in gone.json["detail"]) == (422, True)


def test_a_name_stands_for_a_condition_that_follows_only_where_that_could_stand(signed_in, number):
    ana = signed_in("ana")
    name(ana, number, "missed", where="not right(A)")
    for text, status in (('named "north"', 200), ('named "missed"', 422)):
        told = ana("GET", f"/studies/{number}/results?within=%3D{quote(text)}", headers=WAIT)
        assert told.status_code == status, told.json
    assert "moves with its cutoff" in told.json["detail"]
    found = ask(ana, f"/studies/{number}/rows", condition='named "north" and named "missed"').json
    assert (
        found["total"] == ask(ana, f"/studies/{number}/rows", condition='ward = "North" and not right(A)').json["total"]
    )
    refused = name(ana, number, "both", where='named "north" and named "missed"')
    assert (refused.status_code, "no other condition" in refused.text) == (422, True)


def test_a_name_is_taken_away_unless_a_gate_is_read_on_it(signed_in, number):
    ana = signed_in("ana")
    name(ana, number, "thick", where="girth >= 80")
    name(ana, number, "thick", where="girth >= 90")
    gone = ana("DELETE", f"/studies/{number}/conditions/thick", headers=WAIT)
    assert list(gone.json["conditions"]) == ["north"]
    assert ana("DELETE", f"/studies/{number}/conditions/thick").status_code == 404
    refused = ana("DELETE", f"/studies/{number}/conditions/north")
    assert (refused.status_code, "a gate is read on" in refused.text) == (422, True)


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({"where": "girth >="}, "girth"), ({"where": "bark = 3"}, "bark"), ({"where": 'mark "none"'}, "none"),
        ({"where": "girth > 1e9", "keep": True}, "no row is so"), ({"where": ""}, "at least 1"),
        ({"where": "right", "keep": True}, "whose answer"), ({"where": "right", "keep": True, "candidate": 9}, "9"),
    ],
)  # fmt: skip
def test_what_is_no_condition_is_told_and_nothing_changes(signed_in, number, body, said):
    ana = signed_in("ana")
    told = name(ana, number, "other", **body)
    assert told.status_code in (404, 422), told.json
    assert said in told.text
    assert list(ask(ana, f"/studies/{number}").json["conditions"]) == ["north"]


@pytest.mark.parametrize("kind", ["unanswered", "left_out", "weighted", "classes_only", "alone", "twelve"])
def test_of_odd_studies_what_is_named_and_marked_goes_out_and_comes_in_again(signed_in, workspace, tmp_path, kind):
    number = bring_in(workspace, odd(tmp_path / kind, kind).path, user_named(workspace, "ana"))
    ana = signed_in("ana")
    first = ask(ana, f"/studies/{number}/rows", count=1).json["rows"][0]["actual"]
    assert name(ana, number, "x" * 60, where=f'actual = "{first}"', keep=True).status_code == 200
    ana("PUT", f"/studies/{number}/marks", {"mark": "odd", "rows": [1, 2, 3]})
    ana("PUT", f"/studies/{number}/rows/2/note", {"text": "seen twice"})

    def told(study):
        split = ask(ana, f"/studies/{study}").json["holdout"]["report_on"]
        asked = ask(ana, f"/studies/{study}/parts", kinds="slices", split=split, fields=":named").json
        return {c["name"]: c["splits"].get(split, {}).get("slices") for c in asked["candidates"]}

    def read_alone(study):
        """The kept rows as the scope of every view: how many, and each candidate's accuracy on them."""
        found = ask(ana, f"/studies/{study}/results", within=f'=named "{"x" * 60}"')
        assert found.status_code == 200, found.json
        split = found.json["holdout"]["report_on"]
        of = {c["name"]: c["splits"][split]["metrics"].get("accuracy") for c in found.json["candidates"]}
        return found.json["holdout"]["rows"], of

    alone = read_alone(number)
    before = told(number)
    assert {s["by"]["condition"] for s in next(iter(before.values()))} <= {"x" * 60, "marked “odd”"}
    saved = ana("GET", f"/studies/{number}/export.zip").data
    again = ana("POST", "/imports?name=saved.zip", data=saved, content_type="application/zip", headers=WAIT)
    assert again.status_code == 201, again.json
    assert told(again.json["id"]) == before
    assert read_alone(again.json["id"]) == alone
    assert ask(ana, f"/studies/{again.json['id']}/rows", count=3).json["rows"][1]["note"]["text"] == "seen twice"


@pytest.mark.parametrize("kind", ["unanswered", "left_out", "weighted", "classes_only", "alone", "twelve", "thirty"])
def test_of_odd_studies_rows_that_one_picked_test_nothing_of_it(signed_in, workspace, tmp_path, kind):
    """On every view, in the report, and once the study was saved and brought in again."""
    number = bring_in(workspace, odd(tmp_path / kind, kind).path, user_named(workspace, "ana"))
    ana = signed_in("ana")
    kept = name(ana, number, "n" * 60, where="right", keep=True, candidate=1)
    assert kept.status_code == 200, kept.json
    within = f'=named "{"n" * 60}"'

    def read(study):
        found = ask(ana, f"/studies/{study}/results", within=within).json
        own = found["holdout"]["picked_by"]
        assert own == [found["candidates"][0]["name"]]
        for pair in found["pairs"]:
            if pair["a"] in own:
                assert all(d.get("p") is None for d in pair["metrics"].values()), pair["a"]
        split = found["holdout"]["report_on"]
        of = {c["name"]: c["splits"][split]["metrics"] for c in found["candidates"]}
        return of, found["pairs"], found["best"]

    before = read(number)
    split = ask(ana, f"/studies/{number}").json["holdout"]["report_on"]
    for view in ("roster", "matrix", "curves", "calibration", "cutoff", "slices", "head-to-head"):
        told = ask(ana, f"/studies/{number}/sentence", view=view, split=split, show=[1, 2], within=within)
        assert told.status_code == 200, (view, told.json)
        assert f"{next(iter(before[0]))} leads" not in told.json["sentence"], view
        scope = {"split": split, "show": [1], "within": {"": within[1:]}}
        assert ana("POST", f"/studies/{number}/exhibits", {"view": view, "scope": scope}).status_code in (201, 422), (
            view
        )
    page = ana("GET", f"/studies/{number}/dossier/preview")
    assert page.status_code == 200
    assert "p &lt; 0.001" not in page.data.decode()
    saved = ana("GET", f"/studies/{number}/export.zip").data
    again = ana("POST", "/imports?name=saved.zip", data=saved, content_type="application/zip", headers=WAIT)
    assert again.status_code == 201, again.json
    assert read(again.json["id"]) == before


def test_rows_that_one_picked_and_all_rows_are_read_at_once_as_each_alone(signed_in, workspace, tmp_path, rows):
    """Two like studies: one read page after page, the other by six pages at a time."""
    ana = signed_in("ana")
    like = [
        bring_in(workspace, write_study(tmp_path / str(i), rows, STUDY), user_named(workspace, "ana")) for i in (1, 2)
    ]
    for number in like:
        assert name(ana, number, "found", where="right", keep=True, candidate=1).status_code == 200
    picked = 'named "found"'
    asked = [
        {"kinds": kinds, "split": "test", **scope}
        for kinds in ("lines,classes", "slices,pairs,best", "curves,calibration")
        for scope in ({"cutoffs": "1:0.5"}, {"within": "=" + picked}, {"cutoffs": "1:0.3", "within": "=" + picked})
    ]
    alone = [ask(ana, f"/studies/{like[0]}/parts", **one).json for one in asked]
    pages = [signed_in("ana") for _ in range(4)]

    def read(i):
        return ask(pages[i % 4], f"/studies/{like[1]}/parts", **asked[i % len(asked)]).json

    with ThreadPoolExecutor(6) as pool:
        together = list(pool.map(read, range(2 * len(asked))))
    assert together == alone + alone
    saved = ana("GET", f"/studies/{like[1]}/rows.csv?split=test&condition={quote(picked)}").data.decode()
    of_all, of_picked = (told["candidates"][0]["splits"]["test"] for told in alone[:2])
    assert len(list(csv.DictReader(io.StringIO(saved)))) == of_picked["rows"] < of_all["rows"]
    assert of_picked["metrics"]["accuracy"]["value"] == 1.0
