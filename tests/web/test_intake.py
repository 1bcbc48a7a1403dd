"""A look at what came in over the HTTP interface: joins against brute force, fields, rows without an answer."""

from __future__ import annotations

import csv
import io
import random
import tomllib
import zipfile

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from asking import upload, wanted
from files import rows_of, write_csv, write_study
from skarlo.intake.joining import SETS, match

IDS = st.sampled_from(["a", "b", "c", "d", "é", ""])


def by_hand(rows, answers):
    """The four sets by looking at each id."""
    return {
        "matched": [i for i in rows if answers.count(i) == 1],
        "missing": [i for i in rows if i not in answers],
        "extra": [i for k, i in enumerate(answers) if i not in rows and i not in answers[:k]],
        "doubled": [i for k, i in enumerate(answers) if answers.count(i) > 1 and i not in answers[:k]],
    }


@given(st.lists(IDS, unique=True), st.lists(IDS))
def test_a_join_by_brute_force(rows, answers):
    found = match(pl.Series(rows, dtype=pl.String), pl.Series(answers, dtype=pl.String))
    assert {name: getattr(found, name).to_list() for name in SETS} == by_hand(rows, answers)
    assert found.counts() == {name: len(ids) for name, ids in by_hand(rows, answers).items()}


def test_a_join_of_uploads_and_its_sets(signed_in, tmp_path):
    rows = rows_of()
    rng = random.Random(3)
    answers = [r for r in rows if rng.random() < 0.9]
    answers += [answers[0], {"id": "=stranger", "p": "0.5"}]
    folder = tmp_path / "x"
    write_study(folder, rows)
    write_csv(folder / "some.csv", answers, ["id", "p"])
    ana = signed_in("ana")
    holdout, some = (upload(ana, folder / name).json["id"] for name in ("holdout.csv", "some.csv"))
    query = f"holdout={holdout}&holdout_id=id&answers={some}&answers_id=id"
    expected = by_hand([r["id"] for r in rows], [r["id"] for r in answers])
    assert ana("GET", f"/joins?{query}").json == {name: len(ids) for name, ids in expected.items()}
    for which, ids in expected.items():
        answer = ana("GET", f"/joins/{which}.csv?{query}")
        assert answer.mimetype == "text/csv"
        assert [row["id"] for row in csv.DictReader(io.StringIO(answer.text))] == ids
    assert ana("GET", f"/joins?{query.replace('answers_id=id', 'answers_id=key')}").status_code == 422
    assert signed_in("ben")("GET", f"/joins?{query}").status_code == 404, "another's uploads"


def test_what_is_shown_when_a_row_is_read_leaves_with_the_study(signed_in, tmp_path):
    rows = [
        {**r, "note": f"a tree by the river, numbered {i}", "e1": i / 7, "e2": -i / 7} for i, r in enumerate(rows_of())
    ]
    folder = write_study(tmp_path / "x").parent
    write_csv(folder / "holdout.csv", rows, ["id", "actual", "split", "note", "e1", "e2"])
    ana = signed_in("ana")
    sent = upload(ana, folder / "holdout.csv").json
    assert (sent["guess"]["text"]["column"], sent["guess"]["embedding"]["column"]) == ("note", "e1")
    asked = wanted(sent["id"], upload(ana, folder / "scores.csv").json["id"])
    asked["holdout"]["show"] = {"text": "note", "embedding": ["e1", "e2"]}
    made = ana("POST", "/studies", asked).json
    assert made["mapping"]["show"] == {"text": "note", "embedding": ["e1", "e2"]}
    packed = zipfile.ZipFile(io.BytesIO(ana("GET", f"/studies/{made['id']}/export.zip").data))
    told = tomllib.loads(packed.read("mine/study.toml").decode())
    assert told["holdout"]["show"] == {"text": "note", "embedding": ["e1", "e2"]}
    asked["holdout"]["show"] = {"picture": "photo"}
    refused = ana("POST", "/studies", asked)
    assert refused.status_code == 422
    assert refused.json["problems"][0]["message"] == "there is no such column for the picture to show"


def test_rows_without_an_answer_are_treated_as_one_decides(signed_in, tmp_path):
    rows = rows_of()
    folder = write_study(tmp_path / "x", rows).parent
    write_csv(folder / "scores.csv", rows[10:], ["id", "p"])
    ana = signed_in("ana")
    ids = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    body = wanted(*ids)
    assert ana("POST", "/studies", body).status_code == 422
    body["candidates"][0]["no_answer"] = "wrong"
    study = ana("POST", "/studies", body).json
    found = ana("GET", f"/studies/{study['id']}/fields").json
    assert (found["joins"][0]["matched"], found["joins"][0]["missing"]) == (190, 10)
    assert found["joins"][0]["first_missing"] == [r["id"] for r in rows[:10]]
    part = ana("GET", f"/studies/{study['id']}/results").json["candidates"][0]["splits"]["test"]
    assert part["no_answer"] == sum(r["split"] == "test" for r in rows[:10])


def test_slices_groups_and_weights_are_said_when_a_study_is_made(signed_in, tmp_path):
    rows = [r | {"soil": "clay" if i % 4 else "sand", "street": f"s{i // 4}", "w": str(1 + i % 2)}
            for i, r in enumerate(rows_of())]  # fmt: skip
    folder = write_study(tmp_path / "x", rows).parent
    write_csv(folder / "holdout.csv", rows, ["id", "actual", "split", "soil", "street", "w"])
    ana = signed_in("ana")
    ids = [upload(ana, folder / name).json["id"] for name in ("holdout.csv", "scores.csv")]
    body = wanted(*ids)
    body["holdout"] |= {"slices": [["soil"]], "group": "street", "weight": "w"}
    study = ana("POST", "/studies", body).json
    part = ana("GET", f"/studies/{study['id']}/results").json["candidates"][0]["splits"]["test"]
    assert [s["by"] for s in part["slices"]] == [{"soil": "clay"}, {"soil": "sand"}]
    assert part["metrics"]["recall"]["interval"] == "wilson_weighted_clustered"
    fields = {f["name"]: f for f in ana("GET", f"/studies/{study['id']}/fields").json["fields"]}
    assert set(fields) == {"soil", "street"}
    assert fields["soil"]["kind"] == "category"
    assert sum(map(sum, (bar["rows"] for bar in fields["soil"]["bars"]))) == 200


def test_a_warning_is_answered_and_the_word_goes_into_the_report(signed_in, study_id):
    ana = signed_in("ana")
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 0.4, "chosen_on": "test"})
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 7.0, "chosen_on": "tuning"})
    findings = ana("GET", f"/studies/{study_id}/findings").json["findings"]
    warning = next(f for f in findings if f["code"] == "one_class_only")
    note = next(f for f in findings if f["level"] == "note")
    path = f"/studies/{study_id}/findings"
    assert ana("PUT", f"{path}/{note['key']}", {"text": "x"}).status_code == 422
    assert ana("PUT", f"{path}/nothing", {"text": "x"}).status_code == 404
    said = ana("PUT", f"{path}/{warning['key']}", {"text": "It is <b>off</b> until May."}).json["findings"]
    assert next(f for f in said if f["key"] == warning["key"])["word"] == "It is <b>off</b> until May."
    page = ana("GET", f"/studies/{study_id}/dossier/preview").text
    assert "<b>ana:</b> It is &lt;b&gt;off&lt;/b&gt; until May." in page

    # The word is on what the finding is about: it stays when a number in it moves, and goes when it is taken back.
    ana("PUT", f"/studies/{study_id}/candidates/1/cutoff", {"value": 8.0, "chosen_on": "tuning"})
    again = ana("GET", path).json["findings"]
    assert next(f for f in again if f["code"] == "one_class_only")["by"] == "ana"
    taken_back = ana("PUT", f"{path}/{warning['key']}", {"text": " "}).json["findings"]
    assert not any("word" in f and f["word"] for f in taken_back)
