"""Slices by any field, cut on request: counted again from the rows, read alone by their condition, told and pinned."""

from __future__ import annotations

import random
import urllib.parse

import pytest

import brute
from conftest import user_named
from files import STUDY, rows_of, write_study
from skarlo.core import count, shown
from skarlo.core.stats.tests import holm
from skarlo.web.demo import bring_in

WARDS = ("North", "South", "Harbour")


def told_of(n=900):
    """Rows of which Scores finds fewer in Harbour: there scores of positives are pressed down."""
    rng = random.Random(4)
    out = []
    for i, r in enumerate(rows_of(n)):
        ward = WARDS[rng.randrange(3)]
        p = r["p"] if ward != "Harbour" or r["actual"] == "no" else f"{float(r['p']) / 2:.3f}"
        girth = "" if i % 50 == 0 else f"{rng.gauss(80, 25):.1f}"
        out.append({**r, "p": p, "ward": ward, "girth": girth, "seen": f"2025-{rng.randrange(1, 13):02}-15"})
    return out


@pytest.fixture
def rows():
    return told_of()


@pytest.fixture
def number(workspace, tmp_path, rows):
    return bring_in(workspace, write_study(tmp_path / "own", rows), user_named(workspace, "ana"))


def query(**what):
    return urllib.parse.urlencode(what, doseq=True)


def slices(ana, number, *fields, **more):
    asked = query(kinds="slices", split="test", fields=",".join(fields), cutoffs="1:0.5", **more)
    told = ana("GET", f"/studies/{number}/parts?{asked}", headers={"Prefer": "wait=60"})
    assert told.status_code == 200, told.json
    return told.json["candidates"][0]["splits"]["test"]["slices"]


def test_by_a_category_each_is_counted_and_held_against_the_others(signed_in, number, rows):
    found = slices(signed_in("ana"), number, "ward")
    assert [s["by"]["ward"] for s in found] == sorted(WARDS)
    for s in found:
        test = [r for r in rows if r["split"] == "test"]
        recall = {}
        for inside in (True, False):
            of = [r for r in test if (r["ward"] == s["by"]["ward"]) is inside]
            recall[inside] = brute.rates([r["actual"] == "yes" for r in of], [float(r["p"]) >= 0.5 for r in of])[
                "recall"
            ]
        assert s["metrics"]["recall"]["value"] == pytest.approx(recall[True])
        assert s["rest"]["recall"]["difference"] == pytest.approx(recall[True] - recall[False])
    assert found[0]["by"]["ward"] == "Harbour"
    assert found[0]["rest"]["recall"]["p_adjusted"] < 0.01


def test_numbers_and_dates_are_cut_and_each_group_is_read_alone_by_its_condition(signed_in, number, rows):
    ana = signed_in("ana")
    for fields in (("girth",), ("girth:60|100",), ("seen:quarter",), ("seen:quarter", "ward")):
        found = slices(ana, number, *fields)
        assert sum(s["rows"] for s in found) == sum(r["split"] == "test" for r in rows)
        for s in found[:: max(1, len(found) // 4)]:
            page = ana("GET", f"/studies/{number}/rows?{query(split='test', condition=s['condition'])}").json
            assert page["total"] == s["rows"]
            if s["metrics"]["recall"]["value"] is None:
                continue
            asked = query(kinds="lines", split="test", cutoffs="1:0.5", within=f"={s['condition']}")
            alone = ana("GET", f"/studies/{number}/parts?{asked}", headers={"Prefer": "wait=60"}).json
            part = alone["candidates"][0]["splits"]["test"]
            assert part["rows"] == s["rows"]
            assert part["metrics"]["recall"]["value"] == pytest.approx(s["metrics"]["recall"]["value"])
    assert [s["by"]["girth"] for s in slices(ana, number, "girth:60|100")] == ["", "< 60", "[60, 100)", ">= 100"]


def test_slices_of_a_slice(signed_in, number, rows):
    ana = signed_in("ana")
    found = slices(ana, number, "ward", within="=girth >= 80")
    test = [r for r in rows if r["split"] == "test" and r["girth"] and float(r["girth"]) >= 80]
    assert [s["rows"] for s in found] == [sum(r["ward"] == w for r in test) for w in sorted(WARDS)]


@pytest.mark.parametrize(
    ("asked", "status", "said"),
    [
        ({"fields": "colour"}, 404, "no field colour"), ({"fields": "ward:4"}, 422, "holds text"),
        ({"fields": "girth:month"}, 422, "holds numbers"), ({"fields": "girth:x"}, 422, "cuts no field"),
        ({"fields": "id"}, 422, "values: at most 400"), ({"within": "=girth >="}, 422, "girth"),
        ({"fields": "ward", "within": "=score > 0.3"}, 422, "say whose answer is meant"),
        ({"fields": "ward", "within": "=predicted(A) = actual"}, 422, "moves with its cutoff"),
        ({"fields": "ward", "within": "=girth > 1e9"}, 404, "no row has girth > 1e9"),
    ],
)  # fmt: skip
def test_what_cannot_be_sliced_is_told(signed_in, number, asked, status, said):
    told = signed_in("ana")("GET", f"/studies/{number}/parts?" + query(kinds="slices", split="test", **asked),
                            headers={"Prefer": "wait=60"})  # fmt: skip
    assert told.status_code == status, told.json
    assert said in told.json["detail"]


def test_the_sentence_and_the_exhibit_tell_the_worst_group(signed_in, number):
    ana = signed_in("ana")
    own = ["by=ward", "metric=recall"]
    said = ana("GET", f"/studies/{number}/sentence?" + query(
        view="slices", split="test", show=[1, 2], cutoffs="1:0.5", own=own)).json["sentence"]  # fmt: skip
    worst = slices(ana, number, "ward")[0]
    assert f"Scores reaches {shown(worst['metrics']['recall']['value'])} on the {count(worst['rows'])} rows" in said
    assert "ward is Harbour" in said
    body = {"view": "slices", "scope": {"split": "test", "show": [1, 2], "cutoffs": {"1": 0.5},
                                        "own": {"by": "ward", "metric": "recall", "order": "gap"}}}  # fmt: skip
    assert ana("POST", f"/studies/{number}/exhibits", body).status_code == 201
    page = ana("GET", f"/studies/{number}/dossier/preview", headers={"Prefer": "wait=60"}).text
    assert said.replace("“", "“") in page
    assert page.index("Harbour</") < page.index("North</")  # by gap, as on screen
    none = ana("GET", f"/studies/{number}/sentence?" + query(view="slices", split="test", show=[1])).json["sentence"]
    assert none == "No field is chosen to slice by."


NAMED_ONES = """
[conditions]
thick = 'girth >= 60'
sure = 'score < 0.2 or score > 0.8'
as_of_may = { where = 'girth < 30', kept = "2026-05-01", ids = ["r0003", "r0004", "r0008", "r0012", "r0016"] }
"""


def test_named_conditions_and_marks_are_slices(signed_in, workspace, tmp_path, rows):
    toml = STUDY + "min_slice = 1\n" + NAMED_ONES
    number = bring_in(workspace, write_study(tmp_path / "named", rows, toml), user_named(workspace, "ana"))
    ana = signed_in("ana")
    odd = [i + 1 for i, r in enumerate(rows) if r["split"] == "test"][:50:2]
    ana("PUT", f"/studies/{number}/marks", {"mark": "odd", "rows": odd})

    def read(**more):
        asked = query(kinds="slices", split="test", fields=":named", cutoffs="1:0.5", **more)
        told = ana("GET", f"/studies/{number}/parts?{asked}", headers={"Prefer": "wait=60"}).json
        return {s["by"]["condition"]: s for s in told["candidates"][0]["splits"]["test"]["slices"]}

    told = read()
    test = [(i + 1, r) for i, r in enumerate(rows) if r["split"] == "test"]
    holds = {
        "thick": lambda i, r: r["girth"] and float(r["girth"]) >= 60,
        "sure": lambda i, r: not 0.2 <= float(r["p"]) <= 0.8,
        "as_of_may": lambda i, r: r["id"] in ("r0003", "r0004", "r0008", "r0012", "r0016"),
        "marked “odd”": lambda i, r: i in odd,
    }
    assert list(told) == list(holds)
    for name, inside in holds.items():
        here = [r for i, r in test if inside(i, r)]
        assert told[name]["rows"] == len(here)
        right = sum((float(r["p"]) >= 0.5) == (r["actual"] == "yes") for r in here)
        assert told[name]["metrics"]["accuracy"]["value"] == pytest.approx(right / len(here))
    p = [told[name]["rest"]["accuracy"]["p"] for name in holds]
    assert [x is None for x in p] == [False, True, False, True], "by the answer, and by eye, nothing is tested"
    assert [told[name]["rest"]["accuracy"]["p_adjusted"] for name in holds] == holm(p)
    assert told["marked “odd”"]["condition"] == 'mark "odd"'
    # what is marked since, and within a slice
    ana("PUT", f"/studies/{number}/marks", {"mark": "odd", "rows": [test[51][0]]})
    assert read()["marked “odd”"]["rows"] == len(odd) + 1
    north = read(within="ward=North")
    assert north["thick"]["rows"] == sum(bool(holds["thick"](i, r)) and r["ward"] == "North" for i, r in test)
    scope = {"split": "test", "show": [1], "own": {"by": ":named"}}
    ana("POST", f"/studies/{number}/exhibits", {"view": "slices", "scope": scope})
    page = ana("GET", f"/studies/{number}/dossier/preview", headers={"Prefer": "wait=60"}).text
    assert all(f"<td>{name}</td>" in page for name in holds)


def test_a_field_may_have_commas_and_colons_in_its_name(signed_in, workspace, tmp_path, rows):
    long = "ward, as the crews call it: old, or new"
    named = [{k if k != "ward" else long: v for k, v in r.items()} for r in rows]
    number = bring_in(workspace, write_study(tmp_path / "commas", named), user_named(workspace, "ana"))
    ana = signed_in("ana")

    def groups(fields):
        asked = query(kinds="slices", split="test", fields=fields, cutoffs="1:0.5")
        told = ana("GET", f"/studies/{number}/parts?{asked}", headers={"Prefer": "wait=60"}).json
        return [s["by"] for s in told["candidates"][0]["splits"]["test"]["slices"]]

    assert groups([long]) == [{long: ward} for ward in sorted(WARDS)]
    assert {tuple(by) for by in groups([long, "seen:year"])} == {(long, "seen")}
    assert groups("seen:year") == [{"seen": "2025"}]
    asked = query(candidate=1, metric="recall", fields=[long], depth=1, cutoffs="1:0.5")
    found = ana("GET", f"/studies/{number}/worst?{asked}", headers={"Prefer": "wait=60"}).json
    assert all(set(f["by"]) == {long} for f in found["found"] + found["below"])
    assert found["found"]
