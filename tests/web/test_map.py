"""The map over HTTP: where each row lies, and some rows against the others."""

from __future__ import annotations

import json
import statistics
import struct

import numpy as np
import pytest

import brute
from conftest import user_named
from files import write_study
from skarlo.web.demo import bring_in
from web.test_casebook import ask
from web.test_slices import told_of

COLUMNS = (
    ("row", "<u4"),
    ("x", "<f4"),
    ("y", "<f4"),
    ("by", "<u2"),
    ("actual", "u1"),
    ("said", "u1"),
    ("differ", "u1"),
)


@pytest.fixture
def rows():
    return [{**r, "lean": f"{(i * 37) % 100}"} for i, r in enumerate(told_of())]


@pytest.fixture
def number(workspace, tmp_path, rows):
    return bring_in(workspace, write_study(tmp_path / "wards", rows), user_named(workspace, "ana"))


def placed(person, number, **query):
    told = ask(person, f"/studies/{number}/map", split="test", **query)
    assert told.status_code == 200, told.json
    (size,) = struct.unpack("<I", told.data[:4])
    about, at, out = json.loads(told.data[4 : 4 + size]), 4 + size, {}
    for name, kind in COLUMNS:
        out[name] = np.frombuffer(told.data, kind, about["placed"], at)
        at += out[name].nbytes
    assert at == len(told.data)
    return about, out


def test_by_two_fields_every_row_lies_where_it_says(signed_in, number, rows):
    about, at = placed(
        signed_in("ana"), number, x="field:girth", y="field:ward", candidate=1, cutoffs="1:0.5", by="ward"
    )
    there = [(i, r) for i, r in enumerate(rows) if r["split"] == "test" and r["girth"]]
    assert about["rows"] == sum(r["split"] == "test" for r in rows)
    assert at["row"].tolist() == [i + 1 for i, _ in there]
    assert at["x"].tolist() == pytest.approx([float(r["girth"]) for _, r in there])
    assert about["y"]["categories"] == ["Harbour", "North", "South"]
    assert [about["y"]["categories"][round(float(y))] for y in at["y"]] == [r["ward"] for _, r in there]
    assert [about["values"][v] for v in at["by"]] == [r["ward"] for _, r in there]
    assert [about["classes"][k] for k in at["actual"]] == [r["actual"] for _, r in there]
    assert at["said"].tolist() == [int(float(r["p"]) >= 0.5) for _, r in there]
    assert at["differ"].tolist() == [int((float(r["p"]) >= 0.5) != (r["said"] == "yes")) for _, r in there]


def test_by_components_places_stay_whatever_is_filtered(signed_in, number, rows):
    ana = signed_in("ana")
    about, at = placed(ana, number)
    assert 0 < about["share"][1] <= about["share"][0]
    assert set(about["loadings"]) == {"girth", "lean"}
    assert about["filled"]["girth"] == sum(r["split"] == "test" and not r["girth"] for r in rows)
    one, some = placed(ana, number, within="ward=North")
    assert one["rows"] == sum(r["split"] == "test" and r["ward"] == "North" for r in rows)
    place = dict(zip(at["row"].tolist(), at["x"].tolist(), strict=True))
    assert [place[r] for r in some["row"].tolist()] == some["x"].tolist()
    _, by_score = placed(ana, number, x="score:A", y="field:girth")
    assert by_score["x"][0] == pytest.approx(float(rows[by_score["row"][0] - 1]["p"]))


@pytest.mark.parametrize(
    ("asked", "status"),
    [
        ({"x": "components", "y": "field:ward"}, 422),
        ({"x": "score:B", "y": "field:ward"}, 422),
        ({"x": "field:nowhere", "y": "field:ward"}, 404),
        ({"x": "nowhere", "y": "field:ward"}, 422),
        ({"candidate": 9}, 404),
    ],
)
def test_what_cannot_be_placed_is_refused(signed_in, number, asked, status):
    assert ask(signed_in("ana"), f"/studies/{number}/map", split="test", **asked).status_code == status


def test_some_rows_are_compared_with_the_others_and_marked_at_once(signed_in, number, rows):
    ana = signed_in("ana")
    test = [(i + 1, r) for i, r in enumerate(rows) if r["split"] == "test"]
    chosen = [i for i, r in test if r["ward"] == "Harbour"]
    told = ana("POST", f"/studies/{number}/inside?split=test&cutoffs=1:0.5", json={"rows": chosen})
    assert told.status_code == 200, told.json
    scores = told.json["candidates"]["Scores"]
    assert scores["rows"] == len(chosen)

    def recall(inside):
        of = [r for i, r in test if (i in set(chosen)) is inside]
        return brute.rates([r["actual"] == "yes" for r in of], [float(r["p"]) >= 0.5 for r in of])["recall"]

    d = scores["rest"]["recall"]
    assert d["difference"] == pytest.approx(recall(True) - recall(False))
    assert (d["p"], d["why"]) == (None, "chosen after it was seen")
    assert d["low"] < d["difference"] < d["high"]
    first = told.json["telling"][0]
    assert (first["field"], first["value"], first["inside"], first["outside"]) == ("ward", "Harbour", 1.0, 0.0)
    girth = next(t for t in told.json["telling"] if t["field"] == "girth")
    assert girth["inside"] == pytest.approx(statistics.median(float(rows[i - 1]["girth"]) for i in chosen
                                                             if rows[i - 1]["girth"]))  # fmt: skip
    marks = ana("PUT", f"/studies/{number}/marks", json={"mark": "harbour", "rows": chosen})
    assert marks.json["marks"] == {"harbour": len(chosen)}
    assert ana("PUT", f"/studies/{number}/marks", json={"mark": "harbour", "rows": chosen[:3]}).json == marks.json
    assert ana("PUT", f"/studies/{number}/marks", json={"mark": "far", "rows": [10**6]}).status_code == 404
    assert signed_in("vic")("PUT", f"/studies/{number}/marks", json={"mark": "x", "rows": [1]}).status_code == 403
    page = ask(ana, f"/studies/{number}/rows", split="test", condition='mark "harbour"').json
    assert page["total"] == len(chosen)
