"""What was found by attacking: content that must outlive any request, and requests that must be refused in words."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from datetime import timedelta

import polars as pl
import pytest
from sqlmodel import func, select

from asking import upload, wanted
from conftest import PASSWORD, user_named
from files import STUDY, rows_of, write_csv, write_study
from skarlo.studies import catalog, deleting
from skarlo.studies import workspace as workspace_module
from skarlo.studies.records import EventRecord, RevisionRecord, StudyRecord, now
from skarlo.web.demo import bring_in


def import_of(client, data, name="saved.zip"):
    return client.http.post(f"/api/v1/imports?name={name}", data=data, headers={"X-CSRFToken": client.token})


def test_the_content_of_a_report_is_not_destroyed_by_importing_it(signed_in, submitted):
    """The wrong file, chosen where a saved study is asked for, has the bytes of what was frozen."""
    _, revision = submitted
    ana = signed_in("ana")
    content = ana("GET", f"/revisions/{revision}/content").data
    assert import_of(ana, content).status_code == 422
    assert ana("GET", f"/revisions/{revision}/content").data == content
    assert ana("GET", f"/reports/{revision}").status_code == 200


@pytest.mark.parametrize("name", ["scores.csv", "holdout.csv"])
def test_nothing_is_frozen_from_a_damaged_file(workspace, signed_in, study_id, name):
    ana = signed_in("ana")
    pin = {"view": "matrix", "scope": {"split": "test", "show": [1]}}
    assert ana("POST", f"/studies/{study_id}/exhibits", pin).status_code == 201
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    told = ana("GET", f"/studies/{study_id}").json
    candidates = {c["file"]: c["sha256"] for c in told["candidates"]}
    sha256 = candidates.get(name) or told["holdout"]["sha256"]
    path = workspace.blob(sha256)
    was = path.read_bytes()
    path.write_bytes(was.replace(b"r0001", b"r9999"))
    refused = ana("POST", f"/studies/{study_id}/revisions")
    assert refused.status_code == 409
    assert f"{name} is damaged" in refused.json["detail"]
    assert ana("GET", f"/studies/{study_id}/dossier").json["revisions"] == []
    path.write_bytes(was)
    assert ana("POST", f"/studies/{study_id}/revisions").status_code == 201


def test_a_cutoff_keeps_where_it_was_chosen_on_every_page(signed_in, study_id):
    """Chosen on the test rows, pinned and decided; that another was kept on tuning since changes nothing of it."""
    ana = signed_in("ana")

    def keep(value, on):
        body = {"value": value, "chosen_on": on}
        return ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", body)

    assert keep(0.2345, "test").status_code == 200
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "cutoff", "scope": {"split": "test", "show": [1]}})
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    assert keep(0.5, "tuning").status_code == 200
    assert keep(0.2345, "tuning").status_code == 200  # the number comes back: how it was found stays known
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert page.count("≥ 0.2345") >= 2
    assert "chosen by hand on the test rows" in page.split("</section>")[0]
    assert "chosen by hand on the tuning rows" not in page
    refused = keep(0.3, "moon")
    assert refused.status_code == 422
    assert "there is no split moon; one of test, tuning" in refused.json["detail"]


def test_a_cutoff_in_an_exhibit_that_nobody_kept_counts_as_seen_on_the_rows_shown(signed_in, study_id):
    ana = signed_in("ana")
    scope = {"split": "test", "show": [1], "cutoffs": {"1": 0.31}}
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "matrix", "scope": scope})
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores", "decision_cutoff": 0.31})
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert "≥ 0.31, chosen by hand on the test rows" in page
    told = ana("GET", f"/studies/{study_id}/dossier").json
    assert told["decision_chosen"] == "chosen by hand on the test rows"


def test_where_exhibits_and_decision_differ_the_report_says_so(signed_in, study_id):
    ana = signed_in("ana")
    scope = {"split": "test", "show": [1], "cutoffs": {"1": 0.18}}
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "matrix", "scope": scope})
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores", "decision_cutoff": 0.183})
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "cutoff", "scope": scope})
    (differs,) = ana("GET", f"/studies/{study_id}/dossier").json["differs"]
    assert differs.startswith("exhibits 1 and 2 show Scores")
    assert "0.18" in differs
    assert "0.183" in differs
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert differs[1:] in page  # it begins a sentence there


@pytest.mark.parametrize("act", ["caption", "argument", "cutoff"])
def test_who_wrote_part_of_a_revision_does_not_sign_it(signed_in, study_id, act):
    """An admin may write and may sign, and not both of one revision, whoever pressed the button."""
    ana, ada = signed_in("ana"), signed_in("ada")
    pin = {"view": "matrix", "scope": {"split": "test", "show": [1]}}
    exhibit = ana("POST", f"/studies/{study_id}/exhibits", pin).json["exhibits"][0]["id"]
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    if act == "caption":
        ada("PATCH", f"/studies/{study_id}/exhibits/{exhibit}", {"caption": "mine"})
    elif act == "argument":
        ada("PATCH", f"/studies/{study_id}/dossier", {"summary": "mine"})
    else:
        ada("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.4, "chosen_on": "tuning"})
    revision = ana("POST", f"/studies/{study_id}/revisions").json["id"]
    for path, body in (("signature", {"password": PASSWORD}), ("return", {"reason": "no"})):
        refused = ada("POST", f"/revisions/{revision}/{path}", body)
        assert refused.status_code == 403
        assert "wrote part of a revision" in refused.json["detail"]
    assert signed_in("ava")("POST", f"/revisions/{revision}/signature", {"password": PASSWORD}).status_code == 201


def test_two_people_at_one_dossier(signed_in, study_id):
    ana, ben = signed_in("ana"), signed_in("ben")
    path = f"/studies/{study_id}/dossier"
    tags = [who("GET", path).headers["ETag"] for who in (ana, ben)]
    first = ana("PATCH", path, {"summary": "three paragraphs"}, headers={"If-Match": tags[0]})
    assert first.status_code == 200
    late = ben("PATCH", path, {"summary": "mine alone"}, headers={"If-Match": tags[1]})
    assert late.status_code == 412
    assert "someone else changed the dossier meanwhile" in late.json["detail"]
    assert ben("GET", path).json["summary"] == "three paragraphs"
    again = ben("PATCH", path, {"heading": "Both"}, headers={"If-Match": ben("GET", path).headers["ETag"]})
    assert (again.json["summary"], again.json["heading"]) == ("three paragraphs", "Both")
    bare = ben.http.patch(f"/api/v1{path}", json={"summary": "x"}, headers={"X-CSRFToken": ben.token})
    assert bare.status_code == 428


def test_what_is_written_leaves_its_line_in_the_trail(workspace, signed_in, submitted):
    study, _ = submitted
    ana = signed_in("ana")
    ana("PATCH", f"/studies/{study}/dossier", {"heading": "H", "summary": "S", "decision_note": "N"})
    exhibit = ana("GET", f"/studies/{study}/dossier").json["exhibits"][0]["id"]
    ana("PATCH", f"/studies/{study}/exhibits/{exhibit}", {"caption": "C"})
    ana("PUT", f"/studies/{study}/exhibits", {"order": [exhibit]})
    with workspace.reading() as records:
        actions = [e.action for e in records.exec(select(EventRecord).where(EventRecord.study_id == study))]
    for action in ("heading changed", "argument changed", "decision changed", "caption changed", "exhibits ordered"):
        assert action in actions, actions


# Requests that once ended in 500.

DEEP = b'{"a":' * 50_000 + b"1" + b"}" * 50_000
BIG = 1 << 70


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "said"),
    [
        ("GET", f"/studies/{BIG}", None, 422, "less than or equal"),
        ("GET", f"/revisions/{BIG}", None, 422, "less than or equal"),
        ("DELETE", f"/studies/1/exhibits/{BIG}", None, 422, "less than or equal"),
        ("PUT", f"/studies/1/candidates/{BIG}/cutoff", b'{"value": 0.4, "chosen_on": "test"}', 422, "less than"),
        ("PATCH", "/studies/1/dossier", b'{"summary": null}', 422, "summary"),
        ("PATCH", "/studies/1/dossier", b'{"heading": null}', 422, "heading"),
        ("PATCH", "/studies/1/dossier", b'{"summary": "\\ud800"}', 422, "half of a character"),
        ("POST", "/session", DEEP, 422, "nested too deeply"),
        ("POST", "/session", b'{"name": ', 400, "is not JSON"),
        ("PUT", "/studies/1/candidates/1/cutoff", b'{"value": 1e999, "chosen_on": "test"}', 422, "finite"),
    ],
)  # fmt: skip
def test_odd_requests_are_refused_in_words(signed_in, study_id, method, path, body, status, said):
    assert study_id == 1
    ana = signed_in("ana")
    tag = ana("GET", "/studies/1/dossier").headers["ETag"]
    answer = ana(method, path, data=body, content_type="application/json", headers={"If-Match": tag})
    assert answer.status_code == status, answer.text
    assert said in answer.json["detail"]


def test_a_study_file_with_an_endless_integer_is_named(signed_in):
    ana = signed_in("ana")
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as box:
        box.writestr("study.toml", STUDY + f"seed = {'9' * 4400}\n")
    answer = import_of(ana, out.getvalue())
    assert answer.status_code == 422
    assert "study.toml" in answer.json["problems"][0]["line"]


def test_a_damaged_zip_is_named(workspace, signed_in, tmp_path):
    """Whole at both ends, and its bytes in the middle are others."""
    ana = signed_in("ana")
    number = bring_in(workspace, write_study(tmp_path / "own"), user_named(workspace, "ana"))
    out = bytearray(ana("GET", f"/studies/{number}/export.zip").data)
    with zipfile.ZipFile(io.BytesIO(bytes(out))) as box:
        biggest = max(box.infolist(), key=lambda i: i.compress_size)
    at = biggest.header_offset + 100
    for i in range(at, at + 200):
        out[i] ^= 0x55
    answer = import_of(ana, bytes(out))
    assert answer.status_code == 422, answer.text
    with workspace.reading() as records:
        assert records.exec(select(func.count()).select_from(StudyRecord)).one() == 1


def test_a_study_of_many_classes_with_a_decision_is_previewed_and_not_frozen(workspace, signed_in, tmp_path):
    rows = rows_of()
    for i, r in enumerate(rows):
        r["actual"] = ["yes", "no", "maybe"][i % 3]
        r["said"] = ["yes", "no", "maybe"][(i // 2) % 3]
    toml = STUDY.split("[[candidates]]")[0].replace('positive = "yes"\n', "") + (
        '[[candidates]]\nname = "Labels"\npath = "labels.csv"\npredicted = "said"\n'
    )
    number = bring_in(workspace, write_study(tmp_path / "three", rows, toml), user_named(workspace, "ana"))
    ana = signed_in("ana")
    decided = ana("PATCH", f"/studies/{number}/dossier", {"decision_candidate": "Labels"})
    assert decided.status_code == 200
    assert ana("GET", f"/studies/{number}/dossier/preview").status_code == 200
    assert ana("POST", f"/studies/{number}/revisions").status_code == 422


def test_a_full_disk_is_called_that(signed_in, tmp_path, monkeypatch):
    ana = signed_in("ana")

    def full(_):
        raise OSError(28, "No space left on device")

    path = write_csv(tmp_path / "h.csv", rows_of(20), ["id", "actual", "split"])
    monkeypatch.setattr(workspace_module.os, "fsync", full)
    answer = upload(ana, path)
    assert answer.status_code == 507
    assert "disk" in answer.json["detail"]
    monkeypatch.undo()
    assert upload(ana, path).status_code == 201


def test_a_panic_of_a_library_ends_the_job_and_the_next_one_is_done(app, signed_in, tmp_path, monkeypatch):
    """A panic is no Exception: nobody may wait for it for ever, nor follow the dead job."""
    ana = signed_in("ana")
    rows = rows_of(60)
    ids = [
        upload(ana, write_csv(tmp_path / name, rows, columns)).json["id"]
        for name, columns in (("h.csv", ["id", "actual", "split"]), ("s.csv", ["id", "p"]))
    ]
    read = catalog.read_study

    def panics(*_, **__):
        raise pl.exceptions.PanicException("index out of bounds")

    monkeypatch.setattr(catalog, "read_study", panics)
    failed = ana("POST", "/studies", wanted(*ids))
    assert failed.status_code == 500
    assert "panic" not in failed.text.lower()
    monkeypatch.setattr(catalog, "read_study", read)
    assert ana("POST", "/studies", wanted(*ids)).status_code == 201


def test_a_file_sent_again_while_the_first_is_cleared_stays(workspace, signed_in, tmp_path):
    """The same bytes twice, the first broken off while it is looked at: the second is there."""
    ana = signed_in("ana")
    path = write_csv(tmp_path / "h.csv", rows_of(50), ["id", "actual", "split"])
    bad = tmp_path / "bad.csv"
    bad.write_bytes(zlib.compress(path.read_bytes())[:40])
    first = upload(ana, path)
    assert upload(ana, bad).status_code == 422
    with workspace.receive([path.read_bytes()]) as incoming:
        pass  # never accepted: dropped, as when a client goes away
    assert not incoming.path.exists()
    again = upload(ana, path)
    assert again.status_code == 201
    assert again.json["sha256"] == first.json["sha256"]
    assert workspace.blob(first.json["sha256"]).exists()


def test_what_relies_on_a_report_stays_when_the_trash_is_emptied(workspace, signed_in, submitted):
    """However it came to be marked: the clearing skips it and says so, and the server starts."""
    study, revision = submitted
    with workspace.writing() as records:
        record = records.get(StudyRecord, study)
        record.deleted = now() - timedelta(days=40)
        records.add(record)
    with workspace.writing() as records:
        gone, stayed = deleting.purge(records)
    assert (gone, stayed) == (0, [f"study {study}"])
    with workspace.reading() as records:
        assert records.get(RevisionRecord, revision) is not None
    assert json.loads(signed_in("vic")("GET", f"/revisions/{revision}").data)["number"] == 1
