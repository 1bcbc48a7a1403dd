"""Labels in doubt and cutoffs for groups, over HTTP."""

from __future__ import annotations

import pytest

from conftest import user_named
from files import write_study
from skarlo.web.demo import bring_in
from web.test_casebook import ask
from web.test_slices import told_of


@pytest.fixture
def rows():
    found = told_of()
    for r in found[:30:3]:
        r["actual"] = "no" if r["actual"] == "yes" else "yes"
    return found


@pytest.fixture
def number(workspace, tmp_path, rows):
    return bring_in(workspace, write_study(tmp_path / "wards", rows), user_named(workspace, "ana"))


def doubt(person, number, **query):
    return ask(person, f"/studies/{number}/parts", kinds="doubt", **query)


def test_doubted_labels_and_what_would_follow(signed_in, number, rows):
    ana = signed_in("ana")
    told = doubt(ana, number, cutoffs="1:0.5").json["doubt"]
    label = {r["id"]: r["actual"] for r in rows}
    assert told["listed"]
    assert all(label[one["id"]] == one["label"] != one["other"] for one in told["listed"])
    assert all(rows[one["row"]]["id"] == one["id"] for one in told["listed"])
    north = doubt(ana, number, cutoffs="1:0.5", within="ward=North").json["doubt"]
    assert all((rows[one["row"]]["id"], rows[one["row"]]["ward"]) == (one["id"], "North") for one in north["listed"])
    few = doubt(ana, number, cutoffs="1:0.5", at_most=1, how="dropped").json["doubt"]
    assert (few["at_most"], few["how"]) == (1, "dropped")
    wide, narrow = (x["candidates"]["Scores"]["recall"] for x in (told, few))
    assert wide["high"] - wide["low"] >= narrow["high"] - narrow["low"]


def test_marked_rows_stand_in_for_those_listed(signed_in, number, rows):
    ana = signed_in("ana")
    places = [i for i, r in enumerate(rows) if r["split"] == "test"][:4]
    for place in places:
        assert (
            ana("PUT", f"/studies/{number}/rows/{place + 1}/marks", json={"mark": "odd", "on": True}).status_code == 200
        )
    told = doubt(ana, number, mark="odd", at_most=3).json["doubt"]
    assert (told["of"], told["doubted"], told["at_most"]) == ("marked", 4, 3)
    assert doubt(ana, number, mark="even").status_code == 404
    assert doubt(ana, number, how="turned").status_code == 422


def test_cutoffs_for_groups_are_read_and_never_kept(signed_in, number):
    ana = signed_in("ana")
    before = ask(ana, f"/studies/{number}").json
    told = ask(ana, f"/studies/{number}/parts", kinds="alike", split="test", fields="ward", rule="recall",
               gap_at_most=0.1, prices="1,5", cutoffs="1:0.5").json  # fmt: skip
    part = {c["name"]: c["splits"]["test"] for c in told["candidates"] if c["splits"].get("test")}
    own = part["Scores"]["alike"]["cutoffs"]
    assert own["learned_on"] == "tuning"
    assert own["gap_reached"] <= 0.1
    assert own["after"]["criteria"]["recall"]["gap"] < own["before"]["criteria"]["recall"]["gap"]
    assert "cutoffs" not in part["Labels"]["alike"]
    assert ask(ana, f"/studies/{number}").json["candidates"] == before["candidates"]
    assert ask(ana, f"/studies/{number}/parts", kinds="alike", split="test", fields="ward",
               rule="justice").status_code == 422  # fmt: skip
