"""What a study file asks of parts of its rows, and what stands in the results for it."""

from __future__ import annotations

import json
import random

import numpy as np
import pytest

from files import STUDY, write_csv, write_study
from skarlo import core, intake
from skarlo.intake.where import with_lists

TOML = STUDY.replace('tune_on = "tuning"', 'tune_on = "tuning"\nmarks = "marks.csv"\nslices = [["girth"], ["seen"]]')
ASKS = """
[conditions]
wide = 'girth >= 50 and ward = "South"'
found = 'predicted = "yes" and actual = "yes"'
kept = { where = 'girth >= 90', kept = "2026-06-01", ids = "kept.csv" }
odd = 'mark "odd" or not girth is absent and score(A) > 0.9'
[cuts]
girth = { quantiles = 4 }
seen = { by = "month" }
[[search]]
metric = "recall"
on = "Scores"
[[groups]]
by = ["ward"]
against = "North"
criteria = ["recall", "npv"]
cutoffs = { equal = "recall", gap_at_most = 0.1, false_negative = 5 }
[doubt]
at_most = 3
how = "dropped"
[[gates]]
metric = "recall"
at_least = 0.1
on = "Scores"
where = "wide"
"""


def rows():
    rng = random.Random(3)
    out = []
    for i in range(900):
        yes, ward = rng.random() < 0.3, ("North", "South", "West")[i % 3]
        p = min(0.999, max(0.001, rng.gauss((0.6 if yes else 0.3) - (0.2 if ward == "South" and yes else 0), 0.15)))
        out.append({
            "id": f"r{i:04d}", "actual": "yes" if yes else "no", "split": "test" if (i // 3) % 2 else "tuning",
            "p": f"{p:.3f}", "said": "yes" if rng.random() < (0.7 if yes else 0.2) else "no", "ward": ward,
            "girth": "" if i % 10 == 0 else str(rng.randint(10, 99)), "seen": f"2026-0{1 + i % 4}-1{i % 9}",
        })  # fmt: skip
    return out


def written(folder, asks=ASKS, toml=TOML):
    found = rows()
    path = write_study(folder, found, toml + asks)
    write_csv(folder / "holdout.csv", found, ["id", "actual", "split", "ward", "girth", "seen"])
    write_csv(folder / "kept.csv", [*found[:40], {"id": "gone"}], ["id"])
    marked = [{"id": r["id"], "mark": "odd" if i % 2 else "fine"} for i, r in enumerate(found[:20])]
    write_csv(folder / "marks.csv", marked, ["id", "mark"])
    return path, found


def evaluated(folder, **how):
    path, found = written(folder, **how)
    study = intake.load(intake.read_spec(path), lambda p: intake.Source(folder / p, p))
    return core.evaluate(study, "none"), [r for r in found if r["split"] == "test"], study


@pytest.fixture(scope="module")
def told(tmp_path_factory):
    return evaluated(tmp_path_factory.mktemp("where"))


def girth(r):
    return None if r["girth"] == "" else int(r["girth"])


def slices(results, by):
    return {s["by"][by]: s for s in results["candidates"][0]["splits"]["test"]["slices"] if by in s["by"]}


def test_numbers_are_cut_at_quantiles_of_the_reported_rows_and_dates_by_period(told):
    results, test, _ = told
    edges = results["cuts"]["girth"]["edges"]
    there = [g for r in test if (g := girth(r)) is not None]
    assert len(edges) == 3
    assert abs(np.mean([g <= edges[0] for g in there]) - 0.25) < 0.03
    found = slices(results, "girth")
    assert list(found) == ["", f"<= {edges[0]:g}", f"> {edges[0]:g}, <= {edges[1]:g}",
                           f"> {edges[1]:g}, <= {edges[2]:g}", f"> {edges[2]:g}"]  # fmt: skip
    assert found[""]["rows"] == sum(girth(r) is None for r in test)
    assert {name: s["rows"] for name, s in slices(results, "seen").items()} == {
        f"2026-0{m}": sum(r["seen"].startswith(f"2026-0{m}") for r in test) for m in (1, 2, 3, 4)
    }


def test_conditions_tell_their_rows_and_are_slices(told):
    results, test, _ = told
    wide = [r for r in test if girth(r) is not None and girth(r) >= 50 and r["ward"] == "South"]
    unknown = [r for r in test if girth(r) is None and r["ward"] == "South"]
    assert results["conditions"]["wide"]["splits"]["test"] == {"rows": len(wide), "unknown_rows": len(unknown)}
    caught = [r for r in test if r["actual"] == "yes" and float(r["p"]) >= 0.5]
    assert results["conditions"]["found"]["candidates"]["Scores"]["splits"]["test"]["rows"] == len(caught)
    assert "splits" not in results["conditions"]["found"]
    found = slices(results, "condition")
    yes = [r for r in wide if r["actual"] == "yes"]
    hit = sum(float(r["p"]) >= 0.5 for r in yes)
    assert found["wide"]["metrics"]["recall"]["value"] == pytest.approx(hit / len(yes))
    others = [r for r in test if r["actual"] == "yes" and r not in yes]
    rest = sum(float(r["p"]) >= 0.5 for r in others) / len(others)
    d = found["wide"]["rest"]["recall"]
    assert d["difference"] == pytest.approx(hit / len(yes) - rest)
    assert d["p_adjusted"] == d["p"]
    answer = found["found"]["rest"]["precision"]
    assert (answer["p"], answer["why"]) == (None, "the slice depends on the answer")
    codes = {f["code"]: f["where"] for f in results["findings"]}
    assert codes["condition_unknown"]["rows"]
    assert codes["kept_rows_gone"] == {"condition": "kept", "rows": 1}


def test_rows_kept_as_of_a_day_stay_and_marks_come_from_their_file(told):
    results, test, _ = told
    kept = [r for r in test if r["id"] < "r0040"]
    assert results["conditions"]["kept"] == {
        "condition": "girth >= 90", "kept": "2026-06-01", "gone": 1,
        "splits": {"test": {"rows": len(kept), "unknown_rows": 0},
                   "tuning": {"rows": 40 - len(kept), "unknown_rows": 0}},
    }  # fmt: skip
    odd = [r for r in test if (r["id"] < "r0020" and int(r["id"][1:]) % 2) or (girth(r) and float(r["p"]) > 0.9)]
    assert results["conditions"]["odd"]["candidates"]["Labels"]["splits"]["test"]["rows"] == len(odd)


def test_a_gate_is_read_on_the_rows_of_a_condition(told):
    results, _, _ = told
    gate = next(g for g in results["gates"] if g["by"] == {"condition": "wide"})
    assert gate["text"] == "recall at least 0.1 where wide"
    assert gate["value"] == slices(results, "condition")["wide"]["metrics"]["recall"]["value"]


def test_searches_groups_and_doubt_stand_in_the_results(told):
    results, test, _ = told
    search = results["search"][0]
    assert (search["candidate"], search["metric"], search["searched_on"]) == ("Scores", "recall", "tuning")
    first = search["found"][0]
    assert first["by"]["ward"] == "South"
    assert first["confirmed"]["status"] == "confirmed"
    groups = {g["candidate"]: g for g in results["groups"]}
    assert list(groups["Scores"]["criteria"]) == ["recall", "npv"]
    assert groups["Scores"]["criteria"]["recall"]["against"]["group"] == "North"
    assert set(groups["Scores"]["cutoffs"]["by_group"]) == {"North", "South", "West"}
    assert "cutoffs" not in groups["Labels"]
    doubt = results["doubt"]
    assert (doubt["at_most"], doubt["how"]) == (3, "dropped")
    label = {r["id"]: r["actual"] for r in test}
    assert all(label[one["id"]] == one["label"] for one in doubt["listed"])
    assert json.loads(json.dumps(results)) == results


def test_nothing_is_made_where_nothing_is_asked(tmp_path):
    results, *_ = evaluated(tmp_path, asks="", toml=STUDY)
    assert not {"cuts", "conditions", "search", "groups", "doubt"} & set(results)


def test_without_tuning_rows_a_search_halves_and_says_so(tmp_path):
    toml = STUDY.replace('tune_on = "tuning"\n', "")
    results, *_ = evaluated(tmp_path, asks='[[search]]\nloss = "error"\ndepth = 1\n', toml=toml)
    assert [s["candidate"] for s in results["search"]] == ["Scores", "Labels"]
    assert results["search"][0]["halved"] is True
    assert [f["where"]["candidate"] for f in results["findings"] if f["code"] == "search_halved"] == [
        "Scores",
        "Labels",
    ]


def test_files_of_ids_may_be_written_out(tmp_path):
    path, _ = written(tmp_path)
    spec = intake.read_spec(path)
    assert spec.lists == ["kept.csv", "marks.csv"]
    whole = with_lists(spec, lambda p: intake.Source(tmp_path / p, p))
    assert whole.lists == []
    files = lambda p: intake.Source(tmp_path / p, p)  # noqa: E731
    assert core.evaluate(intake.load(whole, files), "none") == core.evaluate(intake.load(spec, files), "none")


MISTAKES = {
    "[conditions]\nbad = 'girth >'": "conditions.bad",
    "[conditions]\nbad = 'mark \"lost\"'": "conditions.bad",
    "[conditions]\nbad = { where = 'girth > 3', ids = 'kept.csv' }": "conditions.bad.kept is missing",
    "[cuts]\ngirt = { quantiles = 4 }": "cuts.girt: there is no such field",
    "[cuts]\nward = { quantiles = 4 }": "ward holds text",
    "[cuts]\ngirth = { quantiles = 4, edges = [3] }": "one way",
    "[[search]]\nmetric = 'roc_auc'": "slices are not searched by this metric",
    "[[search]]\nmetric = 'recall'\non = 'Nobody'": "there is no such candidate",
    "[[search]]\nmetric = 'recall'\nloss = 'error'": "one of them",
    "[[search]]\nmetric = 'recall'\nfields = ['wad']": "search.1.fields: there is no such field",
    "[[groups]]\nby = ['wad']": "groups.1.by: there is no such field",
    "[[groups]]\nby = ['ward']\ncriteria = ['justice']": "there is no criterion justice",
    "[[groups]]\nby = ['ward']\ncutoffs = { equal = 'recall', rule = 'least_cost' }": "one of them",
    "[doubt]\nhow = 'turned'": "flipped",
    "[doubt]\nmarked = 'nowhere.csv'": "nowhere.csv",
    "[[gates]]\nmetric = 'recall'\nat_least = 0.5\nwhere = 'nothing'": "there is no such condition",
    "[[gates]]\nmetric = 'recall'\nat_least = 0.5\nwhere = 'a'\nevery = ['ward']": "where goes with neither",
}


@pytest.mark.parametrize("asks", MISTAKES)
def test_mistakes_are_named_where_they_stand(tmp_path, asks):
    path, _ = written(tmp_path, asks=asks)
    with pytest.raises(intake.InputError) as told:
        intake.load(intake.read_spec(path), lambda p: intake.Source(tmp_path / p, p))
    assert MISTAKES[asks] in "\n".join(told.value.lines())
