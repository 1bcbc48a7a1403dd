"""From the dossier to a signed revision, and what a frozen one promises."""

from __future__ import annotations

import hashlib
import json
import re
import sqlite3

import pytest

from conftest import PASSWORD
from skarlo.report import markdown


def pin(client, study, view, **changes):
    scope = {"split": "test", "show": [1, 2]} | changes
    return client("POST", f"/studies/{study}/exhibits", {"view": view, "scope": scope, "caption": f"about {view}"})


def test_the_fingerprint_is_that_of_the_content(workspace, signed_in, submitted):
    _, revision = submitted
    vic = signed_in("vic")
    told = vic("GET", f"/revisions/{revision}").json
    content = vic("GET", f"/revisions/{revision}/content").data
    assert hashlib.sha256(content).hexdigest() == told["sha256"]
    frozen = json.loads(content)
    assert frozen["author"] == "ana"
    assert frozen["decision"]["candidate"] == "Scores"
    shas = {i["file"]: i["sha256"] for i in frozen["inputs"]}
    assert set(shas) == {"holdout.csv", "scores.csv", "labels.csv"}
    for sha in shas.values():
        assert hashlib.sha256(workspace.blob(sha).read_bytes()).hexdigest() == sha


def test_a_frozen_revision_does_not_follow_the_dossier(signed_in, submitted):
    study, revision = submitted
    ana = signed_in("ana")
    before = ana("GET", f"/reports/{revision}").data
    ana("PATCH", f"/studies/{study}/dossier", {"summary": "changed later", "heading": "Another"})
    ana("PUT", f"/studies/{study}/candidates/1/cutoff", {"value": 0.9, "chosen_on": "tuning"})
    pin(ana, study, "matrix")
    assert ana("GET", f"/reports/{revision}").data == before


@pytest.mark.parametrize("statement", [
    "UPDATE revision SET sha256 = 'x'", "DELETE FROM revision", "UPDATE event SET action = 'x'", "DELETE FROM event",
])  # fmt: skip
def test_nobody_changes_it_in_the_records_either(workspace, submitted, statement):
    with (
        sqlite3.connect(workspace.folder / "skarlo.db") as records,
        pytest.raises(sqlite3.DatabaseError, match="never"),
    ):
        records.execute(statement)


def test_a_damaged_content_is_noticed(workspace, signed_in, submitted):
    study, revision = submitted
    vic = signed_in("vic")
    path = workspace.blob(vic("GET", f"/revisions/{revision}").json["sha256"])
    path.write_bytes(path.read_bytes().replace(b"Who leads", b"Who loses"))
    for answer in (vic("GET", f"/reports/{revision}"), vic("GET", f"/revisions/{revision}/content"),
                   signed_in("ava")("POST", f"/revisions/{revision}/signature", {"password": PASSWORD})):  # fmt: skip
        assert answer.status_code == 409
        assert f"revision 1 of study {study} is damaged" in answer.json["detail"]
    assert vic("GET", f"/revisions/{revision}").json["stamp"] == "waiting"


def test_sign_with_the_password(signed_in, submitted):
    study, revision = submitted
    ava = signed_in("ava")
    wrong = ava("POST", f"/revisions/{revision}/signature", {"password": "not mine"})
    assert (wrong.status_code, wrong.json["field"]) == (403, "password")
    signed = ava("POST", f"/revisions/{revision}/signature", {"password": PASSWORD})
    assert signed.json["stamp"] == "signed"
    assert signed.json["verdict"]["by"] == "ava"
    assert ava("POST", f"/revisions/{revision}/return", {"reason": "too late"}).status_code == 409
    page = ava("GET", f"/reports/{revision}").text
    assert 'class="stamp signed"' in page
    assert ava("GET", "/studies").json["studies"][0]["stamp"] == "signed"
    assert study == ava("GET", "/studies").json["studies"][0]["id"]


def test_return_with_a_reason_leads_to_the_next_revision(signed_in, submitted):
    study, first = submitted
    ana, ava = signed_in("ana"), signed_in("ava")
    assert ana("POST", f"/studies/{study}/revisions").status_code == 409  # one waits
    assert ava("POST", f"/revisions/{first}/return", {"reason": "  "}).status_code == 422
    back = ava("POST", f"/revisions/{first}/return", {"reason": "Say what <b>Harbour</b> costs"})
    assert back.json["stamp"] == "returned"
    assert "Say what &lt;b&gt;Harbour" in ana("GET", f"/reports/{first}").text
    second = ana("POST", f"/studies/{study}/revisions").json
    assert second["number"] == 2
    frozen = json.loads(ana("GET", f"/revisions/{second['id']}/content").data)
    assert frozen["previous"] == back.json["sha256"]


def test_nothing_to_submit_is_said(signed_in, study_id):
    ana = signed_in("ana")
    assert "exhibit" in ana("POST", f"/studies/{study_id}/revisions").json["detail"]
    pin(ana, study_id, "matrix")
    assert "decision" in ana("POST", f"/studies/{study_id}/revisions").json["detail"]
    wrong = ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Nobody"})
    assert wrong.status_code == 422


def test_exhibits_are_ordered_captioned_and_removed(signed_in, study_id):
    ana = signed_in("ana")
    for view in ("roster", "matrix", "curves", "cutoff"):
        dossier = pin(ana, study_id, view).json
    ids = [e["id"] for e in dossier["exhibits"]]
    turned = ana("PUT", f"/studies/{study_id}/exhibits", {"order": ids[::-1]}).json
    assert [e["view"] for e in turned["exhibits"]] == ["cutoff", "curves", "matrix", "roster"]
    assert ana("PUT", f"/studies/{study_id}/exhibits", {"order": ids[:2]}).status_code == 422
    assert (
        ana("PATCH", f"/studies/{study_id}/exhibits/{ids[0]}", {"caption": "first"}).json["exhibits"][3]["caption"]
        == "first"
    )
    left = ana("DELETE", f"/studies/{study_id}/exhibits/{ids[2]}").json
    assert [e["view"] for e in left["exhibits"]] == ["cutoff", "matrix", "roster"]
    back = ana("POST", f"/studies/{study_id}/exhibits",
               {"view": "curves", "scope": {"split": "test", "show": [1]}, "position": 1}).json  # fmt: skip
    assert [e["view"] for e in back["exhibits"]] == ["cutoff", "curves", "matrix", "roster"]
    assert ana("DELETE", f"/studies/{study_id}/exhibits/999").status_code == 404
    assert pin(ana, study_id, "matrix", show=[9]).status_code == 422
    assert pin(ana, study_id, "matrix", split="moon").status_code == 404


def test_an_exhibit_keeps_the_cutoffs_it_was_pinned_with(signed_in, study_id):
    ana = signed_in("ana")
    pin(ana, study_id, "matrix", cutoffs={"1": 0.25})
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.75, "chosen_on": "tuning"})
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert re.search(r"≥ 0\.25\b", page)
    assert "≥ 0.75" not in page


def test_the_page_needs_no_network_and_no_script(signed_in, study_id):
    ana = signed_in("ana")
    for view in ("roster", "matrix", "curves", "cutoff"):
        pin(ana, study_id, view)
    hostile = "# Loud\n<script>alert(1)</script> [x](javascript:alert(1)) ![p](http://elsewhere.example/p.png) **bold**"
    ana("PATCH", f"/studies/{study_id}/dossier", {"summary": hostile, "heading": "<img src=x onerror=alert(1)>"})
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert "<script" not in page
    assert "<strong>bold</strong>" in page
    assert not re.search(r"\son\w+=", re.sub(r"&lt;.*?&gt;", "", page))
    assert "javascript:" not in page.replace("[x](javascript:alert(1))", "")
    addresses = re.findall(r'(?:src|href)="([^"]+)"', page)
    assert all(a.startswith(("#", "data:")) for a in addresses), addresses
    assert " style=" not in page
    assert page.count("<svg") >= 4


def test_a_cutoff_chosen_on_test_is_said_on_every_page(signed_in, study_id):
    ana = signed_in("ana")
    pin(ana, study_id, "roster")
    assert 'class="every-page"' not in ana("GET", f"/studies/{study_id}/dossier/preview").text
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.6, "chosen_on": "test"})
    pin(ana, study_id, "matrix")
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.4, "chosen_on": "tuning"})
    revision = ana("POST", f"/studies/{study_id}/revisions").json["id"]
    for page in (ana("GET", f"/studies/{study_id}/dossier/preview").text, ana("GET", f"/reports/{revision}").text):
        assert 'class="every-page"' in page
        assert "cutoff 0.6 of Scores was chosen on the test rows it is reported on" in page, (
            "that of the second exhibit"
        )


def test_markdown_headings_stay_under_the_reports_own():
    assert markdown.to_html("# One\n\ntext") == "<h3>One</h3>\n<p>text</p>\n"
    assert "<table>" in markdown.to_html("| a | b |\n|---|---|\n| 1 | 2 |")
