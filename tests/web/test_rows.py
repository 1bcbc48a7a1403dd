"""The rows of a study: each with its fields and all answers, found by what is known of them, sorted, page by page."""

from __future__ import annotations

import csv
import io
import urllib.parse

import pytest

from conftest import user_named
from files import rows_of, write_study
from oddstudies import KINDS, odd
from skarlo.web.demo import bring_in


@pytest.fixture
def study(workspace, tmp_path):
    rows = rows_of(200)
    return bring_in(workspace, write_study(tmp_path / "own", rows), user_named(workspace, "ana")), rows


def asked(client, number, **query):
    return client("GET", f"/studies/{number}/rows?{urllib.parse.urlencode(query, doseq=True)}")


def test_rows_are_those_of_the_files_with_all_answers(signed_in, study):
    number, rows = study
    found = asked(signed_in("ana"), number, count=1000).json
    assert found["total"] == len(rows)
    by_id = {r["id"]: r for r in rows}
    for one in found["rows"]:
        r = by_id[one["fields"]["id"]]
        scores, labels = one["answers"]
        assert (one["actual"], one["split"]) == (r["actual"], r["split"])
        assert scores["score"] == float(r["p"])
        assert scores["predicted"] == ("yes" if float(r["p"]) >= 0.5 else "no")
        assert labels["predicted"] == r["said"]
    assert [r["row"] for r in found["rows"]] == list(range(1, len(rows) + 1))


def test_a_place_leads_to_the_answer_in_its_own_file(workspace, signed_in, tmp_path):
    path = write_study(tmp_path / "own", rows_of(60))
    files = {f.stem: list(csv.DictReader(io.StringIO(f.read_text()))) for f in path.parent.glob("*.csv")}
    number = bring_in(workspace, path, user_named(workspace, "ana"))
    (answers,) = [t for name, t in files.items() if "p" in t[0] and "actual" not in t[0]]
    for one in asked(signed_in("ana"), number).json["rows"]:
        told = answers[one["answers"][0]["place"] - 1]
        assert told["id"] == one["fields"]["id"]
        assert float(told["p"]) == one["answers"][0]["score"]


def test_a_cell_of_the_matrix_is_so_many_rows(signed_in, study):
    number, _ = study
    ana = signed_in("ana")
    for cutoffs in ("", "1:0.3"):
        results = ana("GET", f"/studies/{number}/results?cutoffs={cutoffs}").json
        for position, candidate in enumerate(results["candidates"][:2], 1):
            for actual, cells in zip(("no", "yes"), candidate["splits"]["test"]["matrix"], strict=True):
                for predicted, n in zip(("no", "yes"), cells, strict=True):
                    said = asked(ana, number, split="test", actual=actual, candidate=position, predicted=predicted,
                                 cutoffs=cutoffs).json  # fmt: skip
                    assert said["total"] == n
                    assert {r["actual"] for r in said["rows"]} <= {actual}


@pytest.mark.parametrize("kind", KINDS)
def test_rows_of_odd_studies_are_as_many_as_the_results_say(workspace, signed_in, tmp_path, kind):
    number = bring_in(workspace, odd(tmp_path / kind, kind).path, user_named(workspace, "ana"))
    ana = signed_in("ana")
    results = ana("GET", f"/studies/{number}/results").json
    split, classes = results["holdout"]["report_on"], results["holdout"]["classes"]
    own = [c for c in results["candidates"] if c["gives"] != "baseline"]
    for position, c in list(enumerate(own, 1))[:3]:
        part = c["splits"][split]
        without = asked(ana, number, split=split, candidate=position, predicted="").json["total"]
        assert without == part["no_answer"]
        for label in classes:
            said = asked(ana, number, split=split, candidate=position, predicted=label).json["total"]
            assert said == part["per_class"][label]["predicted_rows"]


def test_rows_are_sorted_filtered_and_come_page_by_page(signed_in, study):
    number, rows = study
    ana = signed_in("ana")
    first = asked(ana, number, candidate=1, sort="score", down=True, count=7).json["rows"]
    second = asked(ana, number, candidate=1, sort="score", down=True, start=7, count=7).json["rows"]
    scores = [r["answers"][0]["score"] for r in first + second]
    assert scores == sorted((float(r["p"]) for r in rows), reverse=True)[:14]
    name, value = "split", rows[0]["split"]
    here = asked(ana, number, within=f"{name}={value}", count=1000).json
    assert here["total"] == sum(r[name] == value for r in rows)
    assert {r["fields"][name] for r in here["rows"]} == {value}
    last = asked(ana, number, down=True, count=1).json["rows"]
    assert last[0]["row"] == len(rows)


def test_rows_are_read_back_after_a_restart_and_made_again_where_they_are_gone(workspace, signed_in, study, app):
    number, _ = study
    before = asked(signed_in("ana"), number).json
    app.extensions["skarlo-evaluator"].__init__(workspace)
    assert asked(signed_in("ana"), number).json == before
    for path in (workspace.folder / "rows").iterdir():
        path.unlink()
    assert asked(signed_in("ana"), number).json == before


@pytest.mark.parametrize(
    ("query", "status", "said"),
    [
        ({"split": "night"}, 404, "there is no split night"),
        ({"actual": "maybe"}, 404, "there is no class maybe"),
        ({"within": "moon=full"}, 404, "there is no field moon"),
        ({"within": "moon"}, 422, "within"),
        ({"predicted": "yes"}, 422, "say whose answer"),
        ({"candidate": 9, "predicted": "yes"}, 404, "no candidate at position 9"),
        ({"sort": "field:moon"}, 404, "there is no field moon"),
        ({"sort": "score", "candidate": 2}, 404, "gives no score"),
        ({"count": 100000}, 422, "1000"),
        ({"start": -1}, 422, ""),
    ],
)
def test_what_is_not_there_is_refused(signed_in, study, query, status, said):
    answer = asked(signed_in("ana"), study[0], **query)
    assert answer.status_code == status
    assert said in answer.text
