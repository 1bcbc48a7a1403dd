"""Slices, searches, groups, cases and pairs of odd studies: a number or a reason, never a fault and never NaN."""

from __future__ import annotations

import csv
import math

import pytest

from conftest import user_named
from files import trees_of, write_csv, write_trees
from oddstudies import KINDS, odd
from skarlo.web.demo import bring_in
from web.test_casebook import ask


def study_of(kind, folder):
    """An odd study, its rows in wards with a girth, some of either absent."""
    path = write_trees(folder, trees_of(240)) if kind == "trees" else odd(folder, kind).path
    with (folder / "holdout.csv").open(newline="", encoding="utf-8") as f:
        rows = list(csv.DictReader(f))
    for i, r in enumerate(rows):
        r |= {"ward": ("North", "South", "Old <Town>", "")[i % 4], "girth": "" if i % 9 == 0 else f"{(i * 37) % 101}.5"}
    write_csv(folder / "holdout.csv", rows, list(rows[0]))
    return path


def numbers(x):
    """Every number in a document."""
    if isinstance(x, dict):
        return [n for v in x.values() for n in numbers(v)]
    if isinstance(x, list):
        return [n for v in x for n in numbers(v)]
    return [x] if isinstance(x, float) else []


@pytest.mark.parametrize("kind", [*(k for k in KINDS if k != "thirty"), "trees"])
def test_each_is_told_or_refused_in_words(workspace, signed_in, tmp_path, kind):
    number = bring_in(workspace, study_of(kind, tmp_path / kind), user_named(workspace, "ana"))
    ana = signed_in("ana")
    about = ana("GET", f"/studies/{number}", headers={"Prefer": "wait=60"}).json
    split, classes = about["holdout"]["report_on"], about["holdout"]["classes"]
    at = [c["position"] for c in about["candidates"]]
    rows = ask(ana, f"/studies/{number}/rows", split=split, count=1).json["rows"]
    asked = [
        *(("parts", {"kinds": k, "split": split, "fields": f, "of": classes[-1]})
          for k in ("slices", "alike") for f in ("ward", "girth:3", "ward,girth:20|60", "none")),
        *(("worst", {"candidate": p, "depth": d, "of": classes[-1], **m}) for p in at[:2] for d in (1, 2)
          for m in ({"metric": "recall"}, {"metric": "f1"}, {"loss": "log_loss"}, {"loss": "error"})),
        *(("rows", {"split": split, "candidate": at[0], "sort": s, "down": d, "condition": "not right(A)"})
          for s in ("wrong", "unsure", "disagreement", "score", "row") for d in ("true", "false")),
        (f"rows/{rows[0]['row']}/nearest", {"candidate": at[0], "split": split}),
        ("rows.csv", {"condition": "predicted(A) is absent"}),
        ("unfold", {"candidate": about["candidates"][0]["name"], "split": split, "metric": "recall", "of": "drift"}),
        *([("parts", {"kinds": "disagreement", "split": split, "pair": f"{at[0]},{at[1]}"}),
           *(("parts", {"kinds": "across", "split": split, "pair": f"{at[0]},{at[1]}", "fields": f})
             for f in ("ward", "girth:3"))] if len(at) > 1 else []),
        *(("parts", {"kinds": "doubt", "at_most": k, "how": how})
          for k in (0, 1, 500) for how in ("flipped", "dropped")),
        *(("parts", {"kinds": "alike", "split": split, "fields": "ward", "rule": r, "prices": "1,5"})
          for r in ("recall", "precision", "least_cost")),
        *(("map", {"split": split, "candidate": at[0], "by": by, **axes}) for by in ("", "ward")
          for axes in ({}, {"x": "field:girth", "y": "field:ward"}, {"x": "score:A", "y": "field:girth"})),
    ]  # fmt: skip
    told = 0
    for path, query in asked:
        found = ask(ana, f"/studies/{number}/{path}", **query)
        assert found.status_code in (200, 404, 422), (path, query, found.json)
        if found.status_code != 200:
            assert found.json["detail"], (path, query)
        elif path not in ("rows.csv", "map"):
            told += 1
            assert all(math.isfinite(x) for x in numbers(found.json)), (path, query)
    assert told >= 10
    some = ana("POST", f"/studies/{number}/inside?split={split}", {"rows": [r["row"] for r in rows]})
    assert some.status_code == 200, some.json
    assert all(math.isfinite(x) for x in numbers(some.json))


def test_a_hold_out_without_a_field_has_nothing_to_search(workspace, signed_in, tmp_path):
    number = bring_in(workspace, odd(tmp_path / "bare", "alone").path, user_named(workspace, "ana"))
    told = ask(signed_in("ana"), f"/studies/{number}/worst", candidate=1, metric="recall")
    assert told.status_code == 200
    assert (told.json["looked_at"], told.json["found"], told.json["below"]) == (0, [], [])
