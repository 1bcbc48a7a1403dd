"""Rows in an order that teaches, with marks and notes; the closest row on the other side; a filter saved as CSV."""

from __future__ import annotations

import csv
import io
import urllib.parse

import pytest

from conftest import user_named
from files import rows_of, write_csv, write_study
from skarlo.web.demo import bring_in
from web.test_slices import told_of


@pytest.fixture
def rows():
    return told_of(300)


@pytest.fixture
def number(workspace, tmp_path, rows):
    return bring_in(workspace, write_study(tmp_path / "own", rows), user_named(workspace, "ana"))


def ask(user, path, **what):
    return user("GET", f"{path}?{urllib.parse.urlencode(what, doseq=True)}")


def test_rows_come_most_wrong_first_of_those_that_are_so(signed_in, number, rows):
    ana = signed_in("ana")
    found = ask(ana, f"/studies/{number}/rows", split="test", cutoffs="1:0.5", candidate=1, sort="wrong",
                condition="predicted(A) != actual", count=1000).json  # fmt: skip
    test = [r for r in rows if r["split"] == "test"]
    wrong = [r for r in test if (float(r["p"]) >= 0.5) != (r["actual"] == "yes")]
    loss = {r["id"]: abs(float(r["p"]) - (r["actual"] == "yes")) for r in wrong}  # rises with the log loss
    assert found["total"] == len(wrong)
    told = [loss[r["fields"]["id"]] for r in found["rows"]]
    assert told == sorted(loss.values(), reverse=True)
    second = ask(ana, f"/studies/{number}/rows", split="test", cutoffs="1:0.5", candidate=1, sort="wrong",
                 condition="predicted(A) != actual", start=5, count=3).json["rows"]  # fmt: skip
    assert [r["row"] for r in second] == [r["row"] for r in found["rows"][5:8]]
    unsure = ask(
        ana, f"/studies/{number}/rows", split="test", cutoffs="1:0.5", candidate=1, sort="unsure", count=5
    ).json
    assert all(abs(r["answers"][0]["score"] - 0.5) < 0.1 for r in unsure["rows"])
    apart = ask(ana, f"/studies/{number}/rows", split="test", cutoffs="1:0.5", sort="disagreement", count=20).json
    assert all(r["answers"][0]["predicted"] != r["answers"][1]["predicted"] for r in apart["rows"])


def test_a_class_is_written_by_its_label_or_by_the_name_it_is_shown_by(signed_in, workspace, tmp_path):
    from files import STUDY

    toml = STUDY.replace("[holdout]", '[holdout]\nnames = { yes = "failed" }', 1)
    number = bring_in(workspace, write_study(tmp_path / "named", toml=toml), user_named(workspace, "ana"))
    ana = signed_in("ana")
    totals = {ask(ana, f"/studies/{number}/rows", condition=f'actual = "{x}"').json["total"] for x in ("yes", "failed")}
    assert len(totals) == 1
    assert ask(ana, f"/studies/{number}/rows", condition='actual = "other"').status_code == 422


def test_marks_and_notes_say_whose_they_are_and_are_slices(signed_in, number):
    ana, vic = signed_in("ana"), signed_in("vic")
    for row in (3, 5, 8):
        assert ana("PUT", f"/studies/{number}/rows/{row}/marks", {"mark": " bad  label "}).status_code == 200
    assert ana("PUT", f"/studies/{number}/rows/5/note", {"text": "Came down in a storm."}).status_code == 200
    assert vic("GET", f"/studies/{number}/marks").json == {"marks": {"bad label": 3}}
    found = ask(vic, f"/studies/{number}/rows", condition='mark "bad label"').json
    assert [r["row"] for r in found["rows"]] == [3, 5, 8]
    one = found["rows"][1]
    assert (one["marks"][0]["mark"], one["marks"][0]["by"]) == ("bad label", "ana")
    assert (one["note"]["text"], one["note"]["by"]) == ("Came down in a storm.", "ana")
    part = f"/studies/{number}/parts"
    asked = {"kinds": "lines", "split": "test", "within": '=not mark "bad label"'}
    before = ask(ana, part, **asked).json["candidates"][0]["splits"]["test"]["rows"]
    ana(
        "PUT", f"/studies/{number}/rows/2/marks", {"mark": "bad label"}
    )  # a row of test: what is kept is of other marks
    after = ask(ana, part, **asked).json["candidates"][0]["splits"]["test"]["rows"]
    assert after == before - 1
    ana("PUT", f"/studies/{number}/rows/5/marks", {"mark": "bad label", "on": False})
    ana("PUT", f"/studies/{number}/rows/5/note", {"text": " "})
    rows = ask(ana, f"/studies/{number}/rows", count=10).json["rows"]
    assert [r["row"] for r in rows if r["marks"]] == [2, 3, 8]
    assert rows[4]["note"] is None


@pytest.mark.parametrize(
    ("path", "body", "status"),
    [
        ("rows/99999/marks", {"mark": "x"}, 404), ("rows/1/marks", {"mark": ""}, 422),
        ("rows/1/marks", {"mark": 'a "b"'}, 422), ("rows/1/marks", {"mark": "x" * 61}, 422),
        ("rows/1/note", {"text": "x" * 4001}, 422), ("rows/99999/note", {"text": "x"}, 404),
    ],
)  # fmt: skip
def test_what_is_no_mark_is_refused(signed_in, number, path, body, status):
    assert signed_in("ana")("PUT", f"/studies/{number}/{path}", body).status_code == status
    assert signed_in("ana")("GET", f"/studies/{number}/marks").json == {"marks": {}}


def test_a_reader_marks_nothing(signed_in, number):
    for path, body in (("marks", {"mark": "x"}), ("note", {"text": "x"})):
        assert signed_in("vic")("PUT", f"/studies/{number}/rows/1/{path}", body).status_code == 403


def test_the_closest_row_on_the_other_side(signed_in, number, rows):
    ana = signed_in("ana")
    at = next(i for i, r in enumerate(rows) if r["split"] == "test" and r["girth"])
    found = ask(ana, f"/studies/{number}/rows/{at + 1}/nearest", split="test", cutoffs="1:0.5", candidate=1).json[
        "rows"
    ]
    side = float(rows[at]["p"]) >= 0.5
    assert [n["distance"] for n in found] == sorted(n["distance"] for n in found)
    assert len(found) == 5
    for n in found:
        assert (n["row"]["answers"][0]["score"] >= 0.5) is not side
        assert n["row"]["split"] == "test"
        assert set(n["parts"]) == {"ward", "girth", "seen"}
        assert sum(n["parts"].values()) == pytest.approx(n["distance"])
        assert (n["parts"]["ward"] == 0) is (n["row"]["fields"]["ward"] == rows[at]["ward"])
    assert ask(ana, f"/studies/{number}/rows/99999/nearest", candidate=1).status_code == 404
    assert ask(ana, f"/studies/{number}/rows/1/nearest", candidate=7).status_code == 404


def test_the_rows_of_a_filter_are_saved_whole(signed_in, number, rows):
    ana = signed_in("ana")
    ana("PUT", f"/studies/{number}/rows/1/note", {"text": "=HYPERLINK(1)"})
    told = ask(ana, f"/studies/{number}/rows.csv", condition='ward = "North"', cutoffs="1:0.5")
    assert told.mimetype == "text/csv"
    table = list(csv.DictReader(io.StringIO(told.text)))
    north = [r for r in rows if r["ward"] == "North"]
    assert [r["id"] for r in table] == [r["id"] for r in north]
    assert [r["Scores: predicted"] == "yes" for r in table] == [float(r["p"]) >= 0.5 for r in north]
    every = list(csv.DictReader(io.StringIO(ask(ana, f"/studies/{number}/rows.csv").text)))
    assert every[0]["note"] == "'=HYPERLINK(1)"
    assert len(every) == len(rows)


def test_a_stated_reason_stands_beside_its_answer_joined_on_id(signed_in, workspace, tmp_path):
    rows = rows_of(60)
    path = write_study(tmp_path / "why", rows)
    (path.parent / "study.toml").write_text(
        path.read_text().replace('predicted = "said"', 'predicted = "said"\nreason = "why"\nno_answer = "wrong"')
    )
    why = {r["id"]: f"it looks {r['said']}, “{r['id']}”" if i % 3 else "" for i, r in enumerate(rows)}
    answered = [{**r, "why": why[r["id"]]} for r in reversed(rows[5:])]
    write_csv(path.parent / "labels.csv", answered, ["id", "said", "why"])
    number = bring_in(workspace, path, user_named(workspace, "ana"))
    ana = signed_in("ana")
    page = ask(ana, f"/studies/{number}/rows", count=60).json
    place = {r["id"]: i for i, r in enumerate(rows, 1)}
    told = {r["row"]: r["answers"][1]["reason"] for r in page["rows"]}
    there = {r["id"] for r in answered}
    assert told == {place[x]: why[x] or None if x in there else None for x in place}
    assert all(r["answers"][0]["reason"] is None for r in page["rows"])
    saved = csv.DictReader(io.StringIO(ask(ana, f"/studies/{number}/rows.csv").text))
    assert [r["Labels: reason"] for r in saved] == [told[r["row"]] or "" for r in page["rows"]]
