"""Studies over the HTTP interface: made from uploads, read, their cutoffs kept."""

from __future__ import annotations

import json
import re

import pytest

from asking import upload, wanted
from command import skarlo
from conftest import PASSWORD, user_named
from files import rows_of, write_csv, write_study
from skarlo.core import shown
from skarlo.core.results import FORMAT
from skarlo.sample import write_limb_failure
from skarlo.web.demo import bring_in


@pytest.fixture
def files(tmp_path):
    return write_study(tmp_path / "mine").parent


def test_an_upload_says_what_its_columns_look_like(signed_in, files):
    answer = upload(signed_in("ana"), files / "holdout.csv")
    assert answer.status_code == 201
    assert answer.json["rows"] == 200
    assert answer.json["guess"]["id"]["column"] == "id"
    assert [c["name"] for c in answer.json["columns"]] == ["id", "actual", "split"]


@pytest.mark.parametrize(
    ("name", "body"), [("x.csv", b""), ("x.csv", b"a,a\n1,2\n"), ("x.exe", b"MZ"), ("x.parquet", b"no")]
)
def test_an_unreadable_upload_leaves_no_file(workspace, signed_in, name, body):
    ana = signed_in("ana")
    before = sorted(p for p in workspace.blobs.rglob("*") if p.is_file())
    answer = ana.http.post(f"/api/v1/uploads?name={name}", data=body, headers={"X-CSRFToken": ana.token})
    assert answer.status_code == 422
    assert answer.headers["Content-Type"] == "application/problem+json"
    kept = sorted(p for p in workspace.blobs.rglob("*") if p.is_file() and p.stat().st_size)
    assert kept == before


def test_a_study_from_uploads(signed_in, files):
    ana = signed_in("ana")
    ids = [upload(ana, files / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    answer = ana("POST", "/studies", wanted(*ids))
    assert answer.status_code == 201, answer.json
    study = answer.json
    assert study["balance"]["test"]["yes"]["rows"] == sum(
        r["actual"] == "yes" and r["split"] == "test" for r in rows_of()
    )
    assert study["candidates"][0]["cutoff"] == 0.4


def test_faults_are_named_and_nothing_is_kept(signed_in, tmp_path):
    rows = rows_of()
    rows[5]["p"] = "high"
    folder = write_study(tmp_path / "bad", rows).parent
    ana = signed_in("ana")
    ids = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    before = ana("GET", "/studies").json
    answer = ana("POST", "/studies", wanted(*ids))
    assert answer.status_code == 422
    (problem,) = answer.json["problems"]
    assert (problem["file"], problem["id"], problem["column"], problem["found"]) == ("scores.csv", "r0005", "p", "high")
    assert ana("GET", "/studies").json == before


def test_the_command_line_gives_the_same_numbers(workspace, signed_in, tmp_path):
    path = write_limb_failure(tmp_path / "limb")
    study = bring_in(workspace, path, user_named(workspace, "ana"))
    web = signed_in("ana")("GET", f"/studies/{study}/results").json
    done = skarlo("evaluate", path)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout) == web
    assert web["format"] == FORMAT
    assert web["holdout"]["splits"] == {"train": 3000, "tuning": 2000, "test": 4000}


def test_results_are_computed_once_and_survive_a_restart(workspace, signed_in, study_id):
    ana = signed_in("ana")
    first = ana("GET", f"/studies/{study_id}/results")
    again = ana("GET", f"/studies/{study_id}/results", headers={"If-None-Match": first.headers["ETag"]})
    assert again.status_code == 304
    kept = [workspace.read(path.read_text()) for path in (workspace.folder / "results").iterdir()]
    assert kept.count(first.data) == 1


def test_a_cutoff_is_kept_with_the_split_it_was_chosen_on(signed_in, study_id):
    ana = signed_in("ana")
    answer = ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.61, "chosen_on": "test"})
    assert answer.json["candidates"][0]["cutoff"] == 0.61
    results = ana("GET", f"/studies/{study_id}/results").json
    assert results["candidates"][0]["cutoff"] == {"value": 0.61, "rule": "by hand", "chosen_on": "test"}
    assert [f["code"] for f in results["findings"]][-1] == "cutoff_chosen_on_report_split"
    again = ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.61, "chosen_on": "tuning"}).json
    assert again["candidates"][0]["cutoff_chosen_on"] == "test", "the number was chosen there first, whoever keeps it"
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.62, "chosen_on": "tuning"})
    codes = [f["code"] for f in ana("GET", f"/studies/{study_id}/results").json["findings"]]
    assert "cutoff_chosen_on_report_split" not in codes


def test_cutoffs_in_the_address_change_the_numbers_and_nothing_kept(signed_in, study_id):
    vic = signed_in("vic")
    rows = [r for r in rows_of() if r["split"] == "test"]
    for cutoff in (0.2, 0.512, 0.9):
        found = vic("GET", f"/studies/{study_id}/results?cutoffs=1:{cutoff}").json
        matrix = found["candidates"][0]["splits"]["test"]["matrix"]
        assert matrix[1][1] == sum(r["actual"] == "yes" and float(r["p"]) >= cutoff for r in rows)
        assert matrix[0][1] == sum(r["actual"] == "no" and float(r["p"]) >= cutoff for r in rows)
    assert vic("GET", f"/studies/{study_id}").json["candidates"][0]["cutoff"] == 0.5


def test_tallies_count_every_row(signed_in, study_id):
    (tally,) = signed_in("vic")("GET", f"/studies/{study_id}/tallies?split=test").json["tallies"]
    rows = [(float(r["p"]), r["actual"] == "yes") for r in rows_of() if r["split"] == "test"]
    places = [(tally["first"] + k) / 10 ** tally["digits"] for k in range(len(tally["tp"]))]
    assert places[0] <= min(p for p, _ in rows)
    assert places[-1] > max(p for p, _ in rows)
    assert (tally["positives"], tally["negatives"]) == (sum(yes for _, yes in rows), sum(not yes for _, yes in rows))
    for cutoff, tp, fp in zip(places, tally["tp"], tally["fp"], strict=True):
        assert tp == sum(yes for p, yes in rows if p >= cutoff)
        assert fp == sum(not yes for p, yes in rows if p >= cutoff)


@pytest.mark.parametrize(
    ("path", "status"),
    [
        ("/studies/99", 404),
        ("/studies/{s}/results?cutoffs=one:half", 422),
        ("/studies/{s}/tallies?split=moon", 404),
        ("/studies/{s}/unfold?candidate=Nobody&split=test&metric=recall", 404),
        ("/studies/{s}/sentence?view=dance&split=test&show=1", 422),
        ("/studies/{s}/sentence?view=matrix&split=moon&show=1", 404),
        ("/nothing/here", 404),
        ("/revisions/99", 404),
        ("/reports/99", 404),
    ],
)
def test_problems_are_problem_details(signed_in, study_id, path, status):
    answer = signed_in("ana")("GET", path.format(s=study_id))
    assert answer.status_code == status
    assert answer.headers["Content-Type"] == "application/problem+json"
    assert answer.json["status"] == status
    assert answer.json["detail"]


@pytest.mark.parametrize("body", [{"value": "NaN"}, {"value": None}, {}, {"value": 0.5, "hat": 1}])
def test_a_cutoff_must_be_a_number(signed_in, study_id, body):
    ana = signed_in("ana")
    assert ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", body).status_code == 422
    raw = ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", data='{"value": NaN}', content_type="application/json")
    assert raw.status_code == 422
    assert ana("PUT", f"/studies/{study_id}/candidates/2/cutoff", {"value": 0.5}).status_code == 422
    assert ana("GET", f"/studies/{study_id}").json["candidates"][0]["cutoff"] == 0.5


def test_three_classes_go_to_a_signed_report(workspace, signed_in, tmp_path):
    """Roster, matrix and the curves of one class against the rest, frozen, signed and drawn; no cutoff is to show."""
    rows = [row | {"actual": "abc"[i // 3 % 3]} for i, row in enumerate(rows_of())]
    for i, row in enumerate(rows):
        row["said"] = row["actual"] if i % 4 else "abc"[i % 2]
        p = [0.15 + 0.7 * (k == row["said"]) + 0.001 * (i % 7) for k in "abc"]
        row |= {f"p_{k}": f"{x / sum(p):.6f}" for k, x in zip("abc", p, strict=True)}
    folder = write_study(tmp_path / "many", rows).parent
    answers = write_csv(folder / "p.csv", rows, ["id", "p_a", "p_b", "p_c"])
    ana, ava = signed_in("ana"), signed_in("ava")
    ids = [upload(ana, path).json["id"] for path in (folder / "holdout.csv", folder / "labels.csv", answers)]
    probable = {"upload": ids[2], "name": "P", "probabilities": {k: f"p_{k}" for k in "abc"}}
    body = wanted(*ids[:2], candidates=[{"upload": ids[1], "name": "L", "predicted": "said"}, probable])
    del body["holdout"]["positive"]
    study = ana("POST", "/studies", body).json
    assert study["holdout"]["positive"] is None
    at = f"/studies/{study['id']}"

    def sentence(view, of=""):
        return ana("GET", f"{at}/sentence?view={view}&split=test&show=1,2&of={of}")

    assert "L predicts" in sentence("matrix").json["sentence"]
    assert sentence("curves").json["sentence"].startswith("“a” against the rest. On ROC AUC, P stands at")
    assert sentence("curves", "b").json["sentence"].startswith("“b” against the rest.")
    assert sentence("curves", "moon").status_code == 404
    assert "With no answer withheld" in sentence("cutoff").json["sentence"]
    assert "of 3 classes" in ana("GET", f"{at}/dossier/draft").json["text"]
    for view, of in (("roster", ""), ("matrix", ""), ("curves", "b")):
        scope = {"split": "test", "show": [1, 2], "of": of}
        assert ana("POST", f"{at}/exhibits", {"view": view, "scope": scope, "caption": view}).status_code == 201
    assert sentence("calibration").json["sentence"].startswith("Probability of “a”.")
    largest = ana("GET", f"{at}/sentence?view=calibration&split=test&show=1,2&own=by=largest").json["sentence"]
    assert largest.startswith("The largest probability.")
    own = {"across": "actual", "order": "rows"}
    turned = {"view": "matrix", "scope": {"split": "test", "show": [2], "own": own}, "caption": "turned"}
    assert ana("POST", f"{at}/exhibits", turned).json["exhibits"][-1]["scope"]["own"] == own
    long = {"view": "matrix", "scope": {"split": "test", "show": [2], "own": {"order": "x" * 500}}}
    assert ana("POST", f"{at}/exhibits", long).status_code == 422
    withheld = {"split": "test", "show": [1, 2], "own": {"least": "A:0.6"}}
    assert ana("POST", f"{at}/exhibits", {"view": "cutoff", "scope": withheld}).status_code == 201
    assert [e["scope"]["of"] for e in ana("GET", f"{at}/dossier").json["exhibits"]] == ["", "", "b", "", ""]
    ana("PATCH", f"{at}/dossier", {"decision_candidate": "P"})
    revision = ana("POST", f"{at}/revisions")
    assert revision.status_code == 201, revision.json
    assert ava("POST", f"/revisions/{revision.json['id']}/signature", {"password": PASSWORD}).status_code == 201
    page = ava("GET", f"/reports/{revision.json['id']}").text
    results = ana("GET", f"{at}/results").json
    cells = results["candidates"][1]["splits"]["test"]["matrix"]
    (together,) = re.findall(r'<table class="rungs">(.*?)</table>', page, re.DOTALL)
    drawn = [int(n) for n in re.findall(r"<b>(\d+)</b>", together)]
    assert drawn[1::2] == [n for row in cells for n in row], "the second candidate's, below the first's"
    (turned,) = re.findall(r'<table class="matrix">(.*?)</table>', page, re.DOTALL)
    sizes = [sum(row) for row in cells]
    order = sorted(range(3), key=lambda k: (-sizes[k], k))
    lying = [int(n) for n in re.findall(r"<td[^>]*>(\d+)<small>", turned)]
    assert lying == [cells[i][j] for j in order for i in order], "as it was pinned: actual classes across, by rows"
    assert "“b” against the rest" in page
    area = results["candidates"][1]["splits"]["test"]["per_class"]["b"]["roc_auc"]["value"]
    assert shown(area) in page
    out = ana("GET", f"{at}/export.zip")
    assert out.status_code == 200
