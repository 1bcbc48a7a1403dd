"""One count, wherever it stands: results, live counts, sentence, unfolded, report, saved study; against each row."""

from __future__ import annotations

import re

import pytest

from conftest import user_named
from oddstudies import KINDS, LONG, odd
from skarlo.core import count, shown
from skarlo.web.demo import bring_in


@pytest.fixture(params=KINDS)
def kept(request, workspace, tmp_path):
    """An odd study, and its number in the workspace."""
    study = odd(tmp_path / "odd", request.param)
    return study, bring_in(workspace, study.path, user_named(workspace, "ana"))


def test_results_and_live_counts(kept, signed_in):
    study, number = kept
    vic = signed_in("vic")
    found = vic("GET", f"/studies/{number}/results").json["candidates"]
    for split in ("test", "tuning"):
        tallies = {t["position"]: t for t in vic("GET", f"/studies/{number}/tallies?split={split}").json["tallies"]}
        for i, c in enumerate(study.candidates):
            assert found[i]["splits"][split]["outcomes"] == study.counts(c, split), c.name
            if c.cutoff is None:
                assert i + 1 not in tallies
                continue
            t = tallies[i + 1]
            for k in range(0, len(t["tp"]), 7):
                at = (t["first"] + k) / 10 ** t["digits"]
                wanted = study.counts(c, split, at)
                assert (t["tp"][k], t["fp"][k]) == (wanted["tp"], wanted["fp"]), (c.name, at)
                assert t["positives"] - t["tp"][k] == wanted["fn"]
                assert t["negatives"] - t["fp"][k] - t["unanswered_negative"] == wanted["tn"]


def test_sentences_and_unfolded_numbers(kept, signed_in):
    study, number = kept
    vic = signed_in("vic")
    for i, c in enumerate(study.candidates[:3], 1):
        n = study.counts(c)
        said = vic("GET", f"/studies/{number}/sentence?view=matrix&split=test&show={i}").json["sentence"]
        assert f"Of the {count(n['tp'] + n['fn'])} " in said
        assert f"misses {count(n['fn'])}" in said
        assert f"wrongly flags {count(n['fp'])}" in said
        assert ("No answer:" in said) == any(r[c.column] == "" for r in study.rows if r["split"] == "test"), said
        ask = {"candidate": c.name, "split": "test", "metric": "fn"}
        told = vic("GET", f"/studies/{number}/unfold", query_string=ask).json
        assert told["metric"]["value"] == n["fn"]
        lost = n["fn"] - n["unanswered_positive"]
        assert f"predicted {count(lost)} “no”" in told["sentence"], told["sentence"]


def test_the_report_and_the_saved_study(kept, signed_in):
    study, number = kept
    ana = signed_in("ana")
    show = list(range(1, len(study.candidates) + 1))
    for view, own in (("roster", {}), ("matrix", {}), ("matrix", {"mode": "each"}), ("curves", {}), ("cutoff", {})):
        body = {"view": view, "scope": {"split": "test", "show": show, "own": own}, "caption": view}
        assert ana("POST", f"/studies/{number}/exhibits", body).status_code == 201
    decided = {"decision_candidate": study.candidates[0].name}
    assert ana("PATCH", f"/studies/{number}/dossier", decided).status_code == 200
    revision = ana("POST", f"/studies/{number}/revisions")
    assert revision.status_code == 201, revision.json
    page = ana("GET", f"/reports/{revision.json['id']}").text
    # together where they find room, else one by one as in the second
    tables = re.findall(r'<table class="matrix">(.*?)</table>', page, re.DOTALL)[-len(study.candidates) :]
    assert len(tables) == len(study.candidates)
    together = re.findall(r'<table class="rungs">(.*?)</table>', page, re.DOTALL)
    assert len(together) == (1 < len(study.candidates) <= 6)
    rungs = [re.findall(r"<b>([\d,.]+)</b>", cell) for table in together for cell in re.findall(r"<td.*?</td>", table)]
    for at, (c, table) in enumerate(zip(study.candidates, tables, strict=True)):
        n = study.counts(c)
        cells = [
            re.findall(r"<td[^>]*>([\d,.]+)<small>", row) for row in re.findall(r"<tr>(.*?)</tr>", table, re.DOTALL)
        ]
        missed, lost = n["unanswered_positive"], n["unanswered_negative"]
        wanted = [[n["tn"], n["fp"], lost], [n["fn"] - missed, n["tp"], missed]]
        if not missed + lost:
            wanted = [row[:2] for row in wanted]
        assert [row for row in cells if row] == [[count(x) for x in row] for row in wanted], c.name
        if rungs:
            width = len(rungs) // 2
            each = [*wanted[0], *[0] * (width - len(wanted[0])), *wanted[1], *[0] * (width - len(wanted[1]))]
            assert [cell[at] for cell in rungs] == [count(x) for x in each], c.name
    out = ana("GET", f"/studies/{number}/export.zip").data
    again = ana.http.post("/api/v1/imports?name=x.zip", data=out, headers={"X-CSRFToken": ana.token})
    assert again.status_code == 201, again.json
    results = [ana("GET", f"/studies/{s}/results").data for s in (number, again.json["id"])]
    assert results[0] == results[1]


def test_edges_and_leads_only_where_a_test_was_made(kept, signed_in):
    study, number = kept
    results = signed_in("vic")("GET", f"/studies/{number}/results").json
    tested = {
        (pair[one], metric)
        for pair in results["pairs"] for metric, d in pair["metrics"].items() if d.get("p") is not None
        for one in ("a", "b")
    }  # fmt: skip
    for metric, lead in results["best"]["test"].items():
        for name in lead["not_separated"]:
            assert (name, metric) in tested, metric
        if len(study.candidates) == 1:
            assert lead["not_separated"] == lead["not_tested"] == []


def test_a_long_name_stays_whole(workspace, signed_in, tmp_path):
    study = odd(tmp_path / "odd", "thirty")
    number = bring_in(workspace, study.path, user_named(workspace, "ana"))
    names = [c["name"] for c in signed_in("vic")("GET", f"/studies/{number}").json["candidates"]]
    assert len(names) == 30
    assert all(name.startswith(LONG) and len(name) == len(LONG) + 2 for name in names)
    letters = [c["letter"] for c in signed_in("vic")("GET", f"/studies/{number}").json["candidates"]]
    assert letters[25:] == ["Z", "AA", "AB", "AC", "AD"]


def test_what_stands_beside_candidates_is_of_the_rows_it_is_said_of(workspace, tmp_path, signed_in):
    """Each candidate leaves out rows of its own: the share of all rows is one, what is counted among answers is not."""
    study = odd(tmp_path / "odd", "left_out")
    number = bring_in(workspace, study.path, user_named(workspace, "ana"))
    vic = signed_in("vic")
    test = [r for r in study.rows if r["split"] == "test"]
    share = sum(r["actual"] == "yes" for r in test) / len(test)
    results = vic("GET", f"/studies/{number}/results").json
    (everyone,) = (c for c in results["candidates"] if c["name"] == "base rate")
    assert everyone["splits"]["test"]["metrics"]["prevalence"]["value"] == share

    def said(view):
        return vic("GET", f"/studies/{number}/sentence?view={view}&split=test&show=1,2,3").json["sentence"]

    ana = signed_in("ana")
    draft = ana("GET", f"/studies/{number}/dossier/draft").json["text"]
    assert f"on the {len(test)} test rows, of which {round(share * len(test))} were “yes”" in draft
    assert said("curves").endswith(f"where guessing gives {shown(share)}.")
    (note,) = (f for f in results["findings"] if f["where"].get("baseline") == "always no")
    for c in study.candidates:
        n = study.counts(c)
        positives, negatives = n["tp"] + n["fn"], n["fp"] + n["tn"]
        told = f"misses {count(n['fn'])} of {count(positives)} that were “yes” and wrongly flags {count(n['fp'])} of "
        assert f"{c.name} {told}{count(negatives)} that were “no”" in said("matrix")
        own, without = (n["tp"] + n["tn"]) / (positives + negatives), negatives / (positives + negatives)
        assert f"{c.name} ({shown(own)} against {shown(without)})" in note["message"]
