"""Labels in doubt and cutoffs for groups, over HTTP."""

from __future__ import annotations

import pytest

from conftest import user_named
from files import write_study
from skarlo import core
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


def test_a_decision_may_ask_for_cutoffs_by_group_and_says_so_where_it_is_signed(signed_in, number, workspace):
    ana, ava = signed_in("ana"), signed_in("ava")
    at = f"/studies/{number}"
    groups = {"by": ["ward"], "rule": "recall", "gap_at_most": 0.05, "prices": [1.0, 4.0]}
    change = {"decision_candidate": "Scores", "decision_cutoff": 0.5, "decision_groups": groups}
    told = ana("PATCH", f"{at}/dossier", change)
    assert told.status_code == 200, told.json
    assert (told.json["decision_groups"], told.json["decision_cutoff"]) == (groups, 0.5)
    assert told.json["decision_grouped"] == "a cutoff of its own for each group by ward, found alike, to within 0.05"
    asked = {"split": "test", "fields": "ward", "rule": "recall", "gap_at_most": 0.05, "prices": "1,4"}
    read = ask(ana, f"{at}/parts", kinds="alike", cutoffs="1:0.5", **asked).json
    cutoffs = read["candidates"][0]["splits"]["test"]["alike"]["cutoffs"]
    ana("POST", f"{at}/exhibits", {"view": "matrix", "scope": {"split": "test", "show": [1]}})
    page = ana("GET", f"{at}/dossier/preview", headers={"Prefer": "wait=60"}).text
    assert (
        "with a cutoff of its own for each group by ward, found alike, to within 0.05; every other row at cutoff ≥ 0.5"
        in page
    )
    for group, one in cutoffs["by_group"].items():
        assert f"<td>{group}</td><td>≥\u00a0{core.shown(one['value'])}</td>" in page
    assert f"{core.count(cutoffs['changed']['rows'])} rows would get another answer" in page
    # what is frozen holds the numbers, whatever the decision says later
    frozen = ana("POST", f"{at}/revisions", headers={"Prefer": "wait=60"}).json
    assert ana("PATCH", f"{at}/dossier", {"decision_groups": None}).json["decision_grouped"] == ""
    assert ana("GET", f"{at}/dossier").json["decision_cutoff"] == 0.5
    signed = ava("GET", f"/reports/{frozen['id']}").text
    assert "with a cutoff of its own for each group by ward" in signed
    assert all(f"≥\u00a0{core.shown(one['value'])}</td>" in signed for one in cutoffs["by_group"].values())


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"by": ["nothing"], "rule": "recall"}, "there is no field nothing"),
        ({"by": ["ward"], "rule": "mcc"}, "recall"),
        ({"by": [], "rule": "recall"}, "at least 1"),
        ({"by": ["ward"], "rule": "recall", "prices": [1, -2]}, "greater than or equal to 0"),
    ],
)
def test_cutoffs_by_group_that_there_are_not_are_refused(signed_in, number, change, said):
    ana = signed_in("ana")
    told = ana("PATCH", f"/studies/{number}/dossier", {"decision_candidate": "Scores", "decision_groups": change})
    assert told.status_code in (404, 422)
    assert said in told.text
    assert ana("GET", f"/studies/{number}/dossier").json["decision_candidate"] is None


def test_classes_alone_have_no_cutoffs_by_group_and_another_candidate_has_none_yet(signed_in, number):
    ana = signed_in("ana")
    at, groups = f"/studies/{number}/dossier", {"by": ["ward"], "rule": "flagged_share"}
    refused = ana("PATCH", at, {"decision_candidate": "Labels", "decision_groups": groups})
    assert (refused.status_code, "Labels has no cutoff" in refused.text) == (422, True)
    ana("PATCH", at, {"decision_candidate": "Scores", "decision_groups": groups})
    assert ana("PATCH", at, {"decision_candidate": "Labels"}).json["decision_groups"] is None
