"""Versions of candidates, deletion and taking it back, over the HTTP interface."""

from __future__ import annotations

import json
from datetime import timedelta

import pytest
from sqlmodel import select

from asking import upload
from files import rows_of, write_csv
from skarlo.studies import deleting
from skarlo.studies.records import CandidateRecord, EventRecord, StudyRecord, VersionRecord, now


def better(folder, rows=None):
    """A file of answers whose scores are nearer the truth."""
    if rows is None:
        rows = [{**r, "p": 0.9 if r["actual"] == "yes" else 0.1 + i / 1e4} for i, r in enumerate(rows_of())]
    return write_csv(folder / "better.csv", rows, ["id", "p"])


@pytest.fixture
def ana(signed_in):
    return signed_in("ana")


def area(client, study_id):
    first = client("GET", f"/studies/{study_id}/results").json["candidates"][0]
    return first["splits"]["test"]["metrics"]["roc_auc"]["value"]


def test_a_new_file_is_a_new_version_and_the_older_stays(ana, study_id, tmp_path):
    before = area(ana, study_id)
    sent = upload(ana, better(tmp_path)).json["id"]
    made = {"code": "a1b2c3", "rows learned from": {"yes": 90, "no": 210}}
    answer = ana("POST", f"/studies/{study_id}/candidates/1/versions",
                 {"upload": sent, "note": " learned from the spring rows ", "made_with": made, "version": "2026-11",
                  "price_per_1000": 0, "latency_ms": 12.5})  # fmt: skip
    assert answer.status_code == 201
    first = answer.json["candidates"][0]
    assert first["version_number"] == 2
    assert [(v["number"], v["file"], v["note"], v["by"]) for v in first["versions"]] == [
        (1, "scores.csv", "", "ana"),
        (2, "better.csv", "learned from the spring rows", "ana"),
    ]
    assert area(ana, study_id) == 1.0 > before
    told = ana("GET", f"/studies/{study_id}/results").json["candidates"][0]
    assert (told["version"], told["made_with"]) == ("2026-11", made)
    assert (told["price_per_1000"], told["latency_ms"]) == (0, 12.5)

    back = ana("PUT", f"/studies/{study_id}/candidates/1/versions/1")
    assert back.json["candidates"][0]["version_number"] == 1
    assert area(ana, study_id) == before
    assert ana("GET", f"/studies/{study_id}/results").json["candidates"][0]["version"] is None


def test_an_older_version_is_compared_as_a_candidate_of_its_own(ana, study_id, tmp_path):
    before = ana("GET", f"/studies/{study_id}/results").json["candidates"][0]
    sent = upload(ana, better(tmp_path)).json["id"]
    ana("POST", f"/studies/{study_id}/candidates/1/versions", {"upload": sent, "made_with": {"trees": 90}})
    at = f"/studies/{study_id}/candidates/1/versions"
    assert ana("POST", f"{at}/2/candidate").status_code == 422, "it is the one that is evaluated"
    assert ana("POST", f"{at}/9/candidate").status_code == 404
    answer = ana("POST", f"{at}/1/candidate")
    assert answer.status_code == 201
    now, _, older = ana("GET", f"/studies/{study_id}/results").json["candidates"][:3]
    assert (now["name"], older["name"]) == ("Scores", "Scores, version 1")
    assert older["splits"] == before["splits"], "the numbers are what they were"
    assert older["cutoff"]["value"] == now["cutoff"]["value"]
    assert older["made_with"]["earlier_version_of"] == "Scores"
    asked = f"/studies/{study_id}/parts?kinds=disagreement&split=test&pair=1,3"
    told = ana("GET", asked, headers={"Prefer": "wait=60"}).json["candidates"][0]["splits"]["test"]["disagreement"]
    mended, broken = told["only_a"], told["only_b"]
    accuracy = [c["splits"]["test"]["metrics"]["accuracy"]["value"] for c in (now, older)]
    assert mended > 0
    assert (mended - broken) / told["rows"] == pytest.approx(accuracy[0] - accuracy[1])
    assert ana("POST", f"{at}/1/candidate").status_code == 422, "it is there already"


def one_more(client, study_id, path, **said):
    sent = upload(client, path).json["id"]
    return client("POST", f"/studies/{study_id}/candidates",
                  {"upload": sent, "name": "Better", "score": "p", "cutoff": 0.6, **said})  # fmt: skip


def test_one_more_candidate_joins_the_study(ana, study_id, tmp_path):
    before = ana("GET", f"/studies/{study_id}/results").json
    answer = one_more(ana, study_id, better(tmp_path), runs_now=True)
    assert answer.status_code == 201
    assert [(c["letter"], c["name"], c["runs_now"]) for c in answer.json["candidates"]] == [
        ("A", "Scores", False), ("B", "Labels", False), ("C", "Better", True),
    ]  # fmt: skip
    after = ana("GET", f"/studies/{study_id}/results").json
    assert after["candidates"][2]["cutoff"]["value"] == 0.6
    assert after["candidates"][:2] == before["candidates"][:2], "the others are as they were"
    assert len(after["pairs"]) == 3
    assert [v["number"] for v in answer.json["candidates"][2]["versions"]] == [1]


def test_a_letter_and_a_name_are_never_given_twice(ana, study_id, tmp_path):
    assert one_more(ana, study_id, better(tmp_path)).status_code == 201
    again = one_more(ana, study_id, better(tmp_path))
    assert (again.status_code, again.json["field"]) == (422, "name")
    assert ana("DELETE", f"/studies/{study_id}/candidates/3").status_code == 200
    deleted = one_more(ana, study_id, better(tmp_path))
    assert "it was deleted" in deleted.json["detail"]
    other = one_more(ana, study_id, better(tmp_path), name="Best")
    assert [c["letter"] for c in other.json["candidates"]] == ["A", "B", "D"]


def test_a_candidate_that_does_not_fit_leaves_the_study_as_it_was(ana, signed_in, study_id, tmp_path):
    before = ana("GET", f"/studies/{study_id}").json
    short = better(tmp_path, [{**r, "p": 0.5} for r in rows_of()[:50]])
    refused = one_more(ana, study_id, short, runs_now=True)
    assert refused.status_code == 422
    assert refused.json["count"] == 150
    assert "has no answer for this hold-out row" in refused.json["problems"][0]["message"]
    assert ana("GET", f"/studies/{study_id}").json == before
    assert one_more(ana, 99, better(tmp_path)).status_code == 404
    vic = signed_in("vic")
    assert vic("POST", f"/studies/{study_id}/candidates", {"upload": 1, "name": "x"}).status_code == 403


def test_what_a_version_leaves_out_stays_and_what_it_says_to_be_none_goes(ana, study_id, tmp_path):
    def kept(**said):
        rows = [{**r, "why": "so", "eur": "0.002"} for r in rows_of()]
        sent = upload(ana, write_csv(tmp_path / "priced.csv", rows, ["id", "p", "why", "eur"])).json["id"]
        answer = ana("POST", f"/studies/{study_id}/candidates/1/versions", {"upload": sent, **said})
        assert answer.status_code == 201, answer.json
        columns = answer.json["candidates"][0]["columns"]
        return {k: v for k, v in columns.items() if k in ("reason", "price", "price_per_1000")}

    def price():
        return ana("GET", f"/studies/{study_id}/results").json["candidates"][0].get("price_per_1000")

    assert kept(reason="why", price="eur") == {"reason": "why", "price": "eur"}
    assert price() == pytest.approx(2.0)
    assert kept() == {"reason": "why", "price": "eur"}
    assert kept(price_per_1000=3.5) == {"reason": "why", "price_per_1000": 3.5}
    assert price() == 3.5
    assert kept(reason="", price="") == {"price_per_1000": 3.5}


def test_a_version_that_does_not_join_changes_nothing(ana, study_id, tmp_path):
    before = ana("GET", f"/studies/{study_id}").json
    rows = [{**r, "id": f"x{r['id']}"} for r in rows_of()]
    sent = upload(ana, better(tmp_path, rows)).json["id"]
    answer = ana("POST", f"/studies/{study_id}/candidates/1/versions", {"upload": sent})
    assert answer.status_code == 422
    assert "not in the hold-out" in answer.text
    assert ana("GET", f"/studies/{study_id}").json == before


def test_a_version_may_answer_in_another_way(ana, study_id, tmp_path):
    sent = upload(ana, write_csv(tmp_path / "said.csv", rows_of(), ["id", "said"])).json["id"]
    answer = ana("POST", f"/studies/{study_id}/candidates/1/versions", {"upload": sent, "predicted": "said"})
    first = answer.json["candidates"][0]
    assert (first["gives"], first["cutoff"]) == ("classes", None)
    again = ana("PUT", f"/studies/{study_id}/candidates/1/versions/1").json["candidates"][0]
    assert (again["gives"], again["cutoff"]) == ("scores", 0.5)


def test_a_version_is_deleted_and_taken_back(ana, study_id, tmp_path):
    sent = upload(ana, better(tmp_path)).json["id"]
    ana("POST", f"/studies/{study_id}/candidates/1/versions", {"upload": sent})
    assert (
        "is evaluated here; evaluate another first"
        in ana("DELETE", f"/studies/{study_id}/candidates/1/versions/2").json["detail"]
    )
    left = ana("DELETE", f"/studies/{study_id}/candidates/1/versions/1").json["candidates"][0]
    assert [v["number"] for v in left["versions"]] == [2]
    assert ana("PUT", f"/studies/{study_id}/candidates/1/versions/1").status_code == 404
    (line,) = ana("GET", "/deleted").json["deleted"]
    assert (line["kind"], line["name"]) == ("version", "Scores, version 1")
    assert ana("POST", f"/deleted/version/{line['id']}/restore").json == {"study_id": study_id}
    third = ana("POST", f"/studies/{study_id}/candidates/1/versions", {"upload": sent}).json["candidates"][0]
    assert [v["number"] for v in third["versions"]] == [1, 2, 3]


def test_a_candidate_is_deleted_and_the_others_keep_their_letters(ana, study_id):
    whole = ana("GET", f"/studies/{study_id}/results").json
    left = ana("DELETE", f"/studies/{study_id}/candidates/1").json
    assert [(c["letter"], c["name"]) for c in left["candidates"]] == [("B", "Labels")]
    sentence = ana("GET", f"/studies/{study_id}/sentence?view=roster&split=test&show=2").json["sentence"]
    assert "Labels" in sentence
    assert "keeps at least one" in ana("DELETE", f"/studies/{study_id}/candidates/2").json["detail"]
    scope = {"split": "test", "show": [2], "cutoffs": {}}
    pinned = ana("POST", f"/studies/{study_id}/exhibits", {"view": "matrix", "scope": scope, "caption": ""})
    assert pinned.status_code == 201
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert "Labels" in page
    assert ana("GET", f"/studies/{study_id}/tallies?split=test").json["tallies"] == []
    (line,) = ana("GET", "/deleted").json["deleted"]
    ana("POST", f"/deleted/candidate/{line['id']}/restore")
    assert ana("GET", f"/studies/{study_id}/results").json == whole
    assert "stands in exhibit 1" in ana("DELETE", f"/studies/{study_id}/candidates/2").json["detail"]
    ana("PATCH", f"/studies/{study_id}/dossier", {"decision_candidate": "Scores"})
    assert "decision is for Scores" in ana("DELETE", f"/studies/{study_id}/candidates/1").json["detail"]


def test_a_study_is_deleted_and_taken_back_within_thirty_days(ana, study_id, workspace):
    whole = ana("GET", f"/studies/{study_id}").json
    assert ana("DELETE", f"/studies/{study_id}").json == {"studies": []}
    assert ana("GET", f"/studies/{study_id}").status_code == 404
    assert ana("GET", f"/studies/{study_id}/results").status_code == 404
    (line,) = ana("GET", "/deleted").json["deleted"]
    assert (line["kind"], line["study_id"]) == ("study", study_id)
    with workspace.writing() as records:
        assert deleting.purge(records, now() + timedelta(days=29)) == (0, [])
    assert ana("POST", f"/deleted/study/{study_id}/restore").status_code == 200
    assert ana("GET", f"/studies/{study_id}").json == whole
    assert ana("POST", f"/deleted/study/{study_id}/restore").status_code == 404
    ana("DELETE", f"/studies/{study_id}")
    with workspace.writing() as records:
        assert deleting.purge(records, now() + timedelta(days=31)) == (1, [])
    with workspace.writing() as records:
        assert records.get(StudyRecord, study_id) is None
        assert not records.exec(select(CandidateRecord)).all()
        assert not records.exec(select(VersionRecord)).all()
        assert records.exec(select(EventRecord)).all()
    assert ana("GET", "/deleted").json == {"deleted": []}


def test_a_study_with_a_frozen_report_is_kept(ana, study_id):
    scope = {"split": "test", "show": [1], "cutoffs": {}}
    ana("POST", f"/studies/{study_id}/exhibits", {"view": "roster", "scope": scope, "caption": ""})
    decision = {"decision_candidate": "Scores", "decision_cutoff": 0.5}
    ana("PATCH", f"/studies/{study_id}/dossier", {"heading": "h", "summary": "s", **decision})
    assert ana("POST", f"/studies/{study_id}/revisions").status_code == 201
    assert "was frozen is kept" in ana("DELETE", f"/studies/{study_id}").json["detail"]


def test_viewers_and_approvers_delete_nothing(signed_in, study_id):
    for name in ("vic", "ava"):
        client = signed_in(name)
        for method, path in (
            ("DELETE", f"/studies/{study_id}"), ("DELETE", f"/studies/{study_id}/candidates/1"), ("GET", "/deleted"),
            ("POST", "/deleted/study/1/restore"), ("PUT", f"/studies/{study_id}/candidates/1/versions/1"),
        ):  # fmt: skip
            assert client(method, path).status_code == 403


@pytest.mark.parametrize(
    ("data", "found"),
    [
        (b'layers = 2\ntrained = 2026-03-01\n[prompt]\nwording = "Is it urgent?"\n',
         {"layers": 2, "trained": "2026-03-01", "prompt": {"wording": "Is it urgent?"}}),
        (b'{"layers": 2, "rows": {"yes": 3}}', {"layers": 2, "rows": {"yes": 3}}),
        (b'{"layers": NaN}', "NaN is not a number of JSON"),
        (b'{"layers": ', "neither TOML nor JSON"),
        (b"layers: 2", "is not TOML"),
        (b"\xff\xfe", "not UTF-8"),
    ],
)  # fmt: skip
def test_how_it_was_made_is_read_from_toml_or_json(ana, data, found):
    answer = ana.http.post("/api/v1/made-with?name=made.toml", data=data, headers={"X-CSRFToken": ana.token})
    if isinstance(found, dict):
        assert answer.json == {"made_with": found}
    else:
        assert answer.status_code == 422
        assert found in answer.text


def test_several_uploads_become_one_hold_out(ana, tmp_path):
    rows = rows_of()
    sent = {}
    for split in ("test", "tuning"):
        path = write_csv(tmp_path / f"{split}.csv", [r for r in rows if r["split"] == split], ["id", "actual"])
        sent[split] = upload(ana, path).json["id"]
    made = ana("POST", "/uploads/stack", {"parts": sent})
    assert made.status_code == 201
    assert made.json["rows"] == 200
    assert made.json["guess"]["split"]["column"] == "split"
    odd = upload(ana, write_csv(tmp_path / "odd.csv", rows, ["id", "said"])).json["id"]
    wrong = ana("POST", "/uploads/stack", {"parts": {"test": sent["test"], "odd": odd}})
    assert wrong.status_code == 422
    assert "there is no such column, and test.csv has it" in json.dumps(wrong.json)


def test_a_new_version_of_probabilities_keeps_its_columns(ana, tmp_path):
    rows = [
        {"id": f"r{i}", "actual": "abc"[i % 3], "a": 0.5, "b": 0.3 if i % 2 else 0.2, "c": 0.2 if i % 2 else 0.3}
        for i in range(60)
    ]
    holdout = upload(ana, write_csv(tmp_path / "holdout.csv", rows, ["id", "actual"])).json["id"]
    answers = [upload(ana, write_csv(tmp_path / n, rows, ["id", "a", "b", "c"])).json["id"] for n in ("1.csv", "2.csv")]
    columns = {k: k for k in "abc"}
    study = ana("POST", "/studies", {
        "title": "Three", "holdout": {"upload": holdout, "id": "id", "truth": "actual"},
        "candidates": [{"upload": answers[0], "name": "P", "probabilities": columns}],
    }).json  # fmt: skip
    found = ana("POST", f"/studies/{study['id']}/candidates/1/versions", {"upload": answers[1], "note": "again"})
    first = found.json["candidates"][0]
    assert (first["gives"], first["version_number"]) == ("probabilities", 2)
    assert first["columns"]["probabilities"] == columns
