"""Rows, the map and a search pinned: the report shows what the views show, and says what can no longer be shown."""

from __future__ import annotations

import re

import pytest

from conftest import user_named
from files import write_study
from skarlo import core
from skarlo.report.package import build, gather
from skarlo.studies.evaluating import Evaluator
from skarlo.web.demo import bring_in
from web.test_casebook import ask
from web.test_slices import told_of

CONDITION = 'predicted != actual and ward = "Harbour"'


@pytest.fixture
def rows():
    return [{**r, "lean": f"{(i * 37) % 100}"} for i, r in enumerate(told_of())]


@pytest.fixture
def number(workspace, tmp_path, rows):
    return bring_in(workspace, write_study(tmp_path / "own", rows), user_named(workspace, "ana"))


@pytest.fixture
def pinned(workspace, signed_in, number):
    """Pin a view with its own choices; the exhibit as it would be frozen, and the draft it stands in."""

    def pin(view, **own):
        ana = signed_in("ana")
        scope = {"split": "test", "show": [1, 2], "cutoffs": {"1": 0.5}, "own": own}
        assert ana("POST", f"/studies/{number}/exhibits", {"view": view, "scope": scope}).status_code == 201
        return frozen(workspace, number)

    return pin


def frozen(workspace, number):
    evaluator = Evaluator(workspace)
    with workspace.reading() as records:
        draft = gather(evaluator, records, number)
    return build(evaluator, draft)["exhibits"][-1], draft


def texts(table):
    return [[cell["text"] for cell in row["cells"]] for row in table["rows"]]


def wrong(rows, ward):
    """The test rows of a ward on which the scores err."""
    there = (r for r in rows if r["split"] == "test" and r["ward"] == ward)
    return [r for r in there if (float(r["p"]) >= 0.5) != (r["actual"] == "yes")]


def test_the_first_rows_stand_in_their_order_with_every_answer(pinned, rows):
    exhibit, _ = pinned("casebook", q=CONDITION, front="A")
    expected = sorted(wrong(rows, "Harbour"), key=lambda x: -abs(float(x["p"]) - (x["actual"] == "yes")))
    table, note = exhibit["blocks"]
    assert len(expected) > 5
    most = min(20, len(expected))
    assert [line[0] for line in texts(table)] == [r["id"] for r in expected[:most]]
    assert [line[1] for line in texts(table)] == [r["actual"] for r in expected[:most]]
    of_a, of_b = ([row["cells"][k] for row in table["rows"]] for k in (2, 3))
    assert [c["below"] for c in of_a] == [f"{core.shown(float(r['p']))} · wrong" for r in expected[:most]]
    said = [(r["said"], r["said"] != r["actual"]) for r in expected[:most]]
    assert [(c["text"], c.get("below") == "wrong") for c in of_b] == said
    assert core.count(len(expected)) in note["text"]
    assert CONDITION in exhibit["sentence"] and "the most wrong first by Scores" in exhibit["sentence"]


def test_rows_of_a_mark_follow_it_and_say_when_it_is_gone(pinned, workspace, signed_in, number):
    ana = signed_in("ana")
    ana("PUT", f"/studies/{number}/rows/8/marks", {"mark": "look"})
    place = ask(ana, f"/studies/{number}/rows", condition='mark "look"').json["rows"][0]
    before, draft = pinned("casebook", q='mark "look"', sort="row")
    assert len(before["blocks"][0]["rows"]) == 1 if place["split"] == "test" else before["blocks"][0]["kind"] == "note"
    ana("PUT", f"/studies/{number}/marks", {"mark": "look", "rows": list(range(1, 400))})
    after, changed = frozen(workspace, number)
    assert len(after["blocks"][0]["rows"]) == 20
    assert draft.fingerprint != changed.fingerprint
    for row in range(1, 400):
        ana("PUT", f"/studies/{number}/rows/{row}/marks", {"mark": "look", "on": False})
    gone, _ = frozen(workspace, number)
    assert [b["kind"] for b in gone["blocks"]] == ["note"]
    assert "can no longer be shown" in gone["blocks"][0]["text"]


def test_the_map_draws_every_error_and_compares_what_lies_within(pinned, signed_in, number, rows):
    line = "20,-0.5;60,-0.5;60,0.5;20,0.5"
    exhibit, _ = pinned("casebook", read="map", x="field:girth", y="field:ward", line=line, front="A")
    figure, table, telling, note = exhibit["blocks"]
    there = [r for r in rows if r["split"] == "test" and r["girth"]]
    missed = sum(r["actual"] == "yes" and float(r["p"]) < 0.5 for r in there)
    needless = sum(r["actual"] == "no" and float(r["p"]) >= 0.5 for r in there)
    for name, n, colour in (("missed", missed, "#bb2f1b"), ("needless", needless, "#c98a1f")):
        assert f">{name}  {n}<" in figure["svg"]
        drawn = re.findall(rf'<path d="([^"]*)"[^>]*stroke="{colour}"', figure["svg"])
        assert sum(path.count("M") for path in drawn) == n
    inside = [r for r in there if 20 < float(r["girth"]) < 60 and r["ward"] == "Harbour"]
    right = sum((float(r["p"]) >= 0.5) == (r["actual"] == "yes") for r in inside)
    assert texts(table)[0][1] == core.count(len(inside))
    assert texts(table)[0][2].startswith(core.shown(right / len(inside)))
    assert ["ward is Harbour", core.shown(1.0)] in [line[:2] for line in texts(telling)]
    assert "no test" in note["text"]
    asked = {"split": "test", "x": "field:girth", "y": "field:ward", "candidate": 1, "cutoffs": "1:0.5", "line": line}
    saved = ask(signed_in("ana"), f"/studies/{number}/map.svg", **asked)
    assert saved.mimetype == "image/svg+xml" and saved.text == figure["svg"]


def test_what_was_searched_for_stands_with_its_confirmation(pinned, signed_in, number):
    told = ask(signed_in("ana"), f"/studies/{number}/worst", candidate=1, metric="recall", cutoffs="1:0.5").json
    exhibit, _ = pinned("slices", by="ward", worst="yes:recall:2", front="A")
    table, note = exhibit["blocks"][2:]
    finds = [*told["found"], *told["below"][:5]]
    assert [line[0] for line in texts(table)] == [f["condition"] for f in finds]
    assert [line[1] for line in texts(table)] == [core.count(f["confirmed"]["rows"]) for f in finds]
    assert [bool(row["cells"][2].get("edge")) for row in table["rows"]] == [
        f["confirmed"]["status"] == "confirmed" for f in finds
    ]
    assert [bool(row.get("quiet")) for row in table["rows"]] == [f in told["below"] for f in finds]
    assert f"{core.count(told['looked_at'])} slices looked at on tuning" in note["text"]
    without, _ = pinned("slices", by="ward")
    assert len(without["blocks"]) == 2


def test_a_view_of_rows_that_are_kept_follows_their_name_and_says_when_it_is_gone(workspace, signed_in, number, rows):
    ana = signed_in("ana")
    at, wait = f"/studies/{number}/conditions/looked%20at", {"Prefer": "wait=60"}
    for least in (60, 100):
        body = {"where": f"girth >= {least}", "keep": True}
        assert ana("PUT", at, body, headers=wait).status_code == 200
        if least == 60:
            scope = {"split": "test", "show": [1, 2], "cutoffs": {"1": 0.5}, "within": {"": 'named "looked at"'}}
            made = ana("POST", f"/studies/{number}/exhibits", {"view": "matrix", "scope": scope})
            assert made.status_code == 201, made.json
        here = [r for r in rows if r["split"] == "test" and float(r["girth"] or 0) >= least]
        found, draft = frozen(workspace, number)
        assert core.count(len(here)) in str(found), least
        if least == 60:
            first = draft.fingerprint
    assert draft.fingerprint != first
    assert ana("DELETE", at, headers=wait).status_code == 200
    gone, _ = frozen(workspace, number)
    assert [b["kind"] for b in gone["blocks"]] == ["note"]
    assert "can no longer be shown" in gone["blocks"][0]["text"]


def test_a_view_of_marked_rows_stands_empty_once_the_mark_is_gone_and_the_others_stand(workspace, signed_in, number):
    ana = signed_in("ana")
    ana("PUT", f"/studies/{number}/marks", {"mark": "odd", "rows": list(range(1, 200))})
    scope = {"split": "test", "show": [1, 2], "cutoffs": {"1": 0.5}}
    for where in ({"within": {"": 'mark "odd"'}}, {}):
        assert ana("POST", f"/studies/{number}/exhibits", {"view": "matrix", "scope": scope | where}).status_code == 201
    for row in range(1, 200):
        ana("PUT", f"/studies/{number}/rows/{row}/marks", {"mark": "odd", "on": False})
    evaluator = Evaluator(workspace)
    with workspace.reading() as records:
        first, second = build(evaluator, gather(evaluator, records, number))["exhibits"]
    assert [b["kind"] for b in first["blocks"]] == ["note"]
    assert "no row" in first["blocks"][0]["text"] or "no rows are marked" in first["blocks"][0]["text"]
    assert "there no longer" in first["sentence"]
    assert [b["kind"] for b in second["blocks"]] != ["note"]
    page = ana("GET", f"/studies/{number}/dossier/preview")
    assert page.status_code == 200
