"""A study goes out and comes in over the HTTP interface."""

from __future__ import annotations

import io
import zipfile
from pathlib import PurePosixPath

import pytest

from files import STUDY
from skarlo.studies.records import StudyRecord


def bring(client, data, name="study.zip"):
    return client.http.post(f"/api/v1/imports?name={name}", data=data, headers={"X-CSRFToken": client.token})


def blobs(workspace):
    return {p.name for p in workspace.blobs.rglob("*") if p.is_file()}


def test_out_and_in_again_is_the_same_study(workspace, signed_in, study_id):
    ana = signed_in("ana")
    kept = ana("GET", f"/studies/{study_id}/results")
    before = blobs(workspace) - workspace.named_by_results()
    out = ana("GET", f"/studies/{study_id}/export.zip")
    assert out.mimetype == "application/zip"
    assert "small.zip" in out.headers["Content-Disposition"]
    again = bring(ana, out.data)
    assert again.status_code == 201, again.json
    assert again.json["id"] != study_id
    assert again.json["title"] == "Small"
    assert ana("GET", f"/studies/{again.json['id']}/results").data == kept.data
    assert blobs(workspace) - workspace.named_by_results() == before, "the same files are kept once, and the zip is not"


def test_a_study_with_odd_letters_in_its_name_can_be_saved(signed_in, study_id, workspace):
    ana = signed_in("ana")
    with workspace.writing() as records:
        record = records.get(StudyRecord, study_id)
        record.title = 'Kůň; "x"/../\u202e <b>'
        records.add(record)
    out = ana("GET", f"/studies/{study_id}/export.zip")
    assert out.status_code == 200
    assert "\n" not in out.headers["Content-Disposition"]
    with zipfile.ZipFile(io.BytesIO(out.data)) as box:
        assert all(".." not in PurePosixPath(n).parts and not n.startswith("/") for n in box.namelist())
    assert bring(ana, out.data).json["title"] == 'Kůň; "x"/../\u202e <b>'


@pytest.mark.parametrize(
    ("files", "said"),
    [
        (None, "is not a zip that can be read"),
        ({"readme.txt": "x"}, "holds no study.toml"),
        ({"study.toml": STUDY}, "is named by the study file and is not in the zip"),
        ({"study.toml": STUDY, "holdout.csv": "id,actual,split\n1,yes,test\n", "scores.csv": "id,p\n1,0.5\n",
          "labels.csv": "id,said\n1,yes\n"}, "all rows have one actual class"),
    ],
)  # fmt: skip
def test_what_cannot_be_brought_in_is_said(workspace, signed_in, files, said):
    ana = signed_in("ana")
    data = io.BytesIO(b"no zip" if files is None else b"")
    if files is not None:
        with zipfile.ZipFile(data, "w") as box:
            for name, text in files.items():
                box.writestr(name, text)
    answer = bring(ana, data.getvalue())
    assert answer.status_code == 422
    assert any(said in p["line"] for p in answer.json["problems"])
    assert ana("GET", "/studies").json["studies"] == []
