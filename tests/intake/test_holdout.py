"""The hold-out in several files, labels merged, splits made, and published results that are quoted."""

from __future__ import annotations

import random
from collections import Counter

import numpy as np
import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from files import STUDY, rows_of, write_csv, write_study
from skarlo import core, intake
from skarlo.intake.labels import near_labels
from skarlo.intake.spec import SplitSpec
from skarlo.intake.splitting import make_split

ALONE = STUDY.replace('split = "split"\nreport_on = "test"\ntune_on = "tuning"\n', "")


def load(folder, toml):
    (folder / "study.toml").write_text(toml, encoding="utf-8")
    return intake.load(intake.read_spec(folder / "study.toml"), lambda path: intake.Source(folder / path, path))


def problems(folder, toml):
    with pytest.raises(intake.InputError) as e:
        load(folder, toml)
    return "\n".join(e.value.lines())


SEVERAL = STUDY.replace('path = "holdout.csv"', 'files = { test = "a.csv", tuning = "b.csv" }').replace(
    'split = "split"\n', ""
)


def test_one_file_for_each_split_is_the_study_of_one_file(tmp_path):
    rows = rows_of()
    write_study(tmp_path, rows)
    whole = load(tmp_path, STUDY)
    parts = {name: [r for r in rows if r["split"] == name] for name in ("test", "tuning")}
    write_csv(tmp_path / "a.csv", parts["test"], ["id", "actual"])
    write_csv(tmp_path / "b.csv", parts["tuning"], ["actual", "id"])
    found = load(tmp_path, SEVERAL)
    for split in ("test", "tuning"):
        a, b = (s.candidates[0].score[s.splits[split]] for s in (whole, found))
        assert sorted(a) == sorted(b)
        assert found.actual[found.splits[split]].sum() == whole.actual[whole.splits[split]].sum()
    assert found.sha256 != whole.sha256
    assert dict(found.split_rows) == {"test": len(parts["test"]), "tuning": len(parts["tuning"])}


def test_a_fault_in_one_of_several_files_names_that_file_and_its_row(tmp_path):
    rows = rows_of(30)
    write_study(tmp_path, rows)
    rows[4]["actual"] = ""
    write_csv(tmp_path / "a.csv", rows[10:], ["id", "actual"])
    write_csv(tmp_path / "b.csv", rows[:10], ["id", "actual"])
    assert "b.csv, row 6, id r0004, column actual: a row without an actual class" in problems(tmp_path, SEVERAL)
    write_csv(tmp_path / "b.csv", rows[:10], ["id", "actual", "split"])
    assert "b.csv: has a column named split" in problems(tmp_path, SEVERAL)
    write_csv(tmp_path / "b.csv", rows[:10], ["id", "said"])
    said = problems(tmp_path, SEVERAL)
    assert "b.csv, column actual: there is no such column, and a.csv has it" in said
    assert "a.csv, column said: there is no such column, and b.csv has it" in said


def test_the_study_file_says_one_thing_about_its_splits(tmp_path):
    write_study(tmp_path)
    both = STUDY.replace('path = "holdout.csv"', 'path = "holdout.csv"\nmake_split = { by = "class" }')
    assert "split names a column; files and make_split make one" in problems(tmp_path, both)
    none = STUDY.replace('path = "holdout.csv"\n', "")
    assert "either path, or files" in problems(tmp_path, none)
    by_group = ALONE.replace('id = "id"', 'id = "id"\nmake_split = { by = "group" }')
    assert "by group and by time need one" in problems(tmp_path, by_group)


def test_labels_spelled_two_ways_are_merged_and_it_is_recorded(tmp_path):
    rows = rows_of()
    for i, r in enumerate(rows):
        if r["actual"] == "yes" and i % 2:
            r["actual"] = "Yes "
        if r["said"] == "yes" and i % 3:
            r["said"] = "TRUE"
    write_study(tmp_path, rows)
    assert "“yes” and “Yes ” differ only in case or spaces" in problems(tmp_path, STUDY).replace(
        "Yes ” and “yes", "yes” and “Yes "
    )
    merged = STUDY.replace('id = "id"', 'id = "id"\nmerge = { "Yes " = "yes", TRUE = "yes" }', 1)
    study = load(tmp_path, merged)
    assert study.classes == ("no", "yes")
    expected = sum(r["actual"].strip().lower() == "yes" for r in rows)
    assert study.actual.sum() == expected
    said = [f for f in core.evaluate(study, "none")["findings"] if f["code"] == "labels_merged"]
    assert [f["where"]["rows"] for f in said] == [sum(r["actual"] == "Yes " for r in rows), 0]
    assert study.candidates[1].predicted.sum() == sum(r["said"] in ("yes", "TRUE") for r in rows)
    ring = STUDY.replace('id = "id"', 'id = "id"\nmerge = { "Yes " = "yes", yes = "Yes " }', 1)
    assert "is itself merged into another" in problems(tmp_path, ring)


def test_ones_and_zeros_stand_beside_their_words():
    assert near_labels(["no", "0", "1", "maybe", "True"]) == [("no", "0"), ("1", "True")]
    assert near_labels(["0", "1"]) == []


LABELS = st.lists(st.sampled_from(["a", "b", "c"]), min_size=8, max_size=120)


@given(LABELS, st.floats(0.15, 0.85), st.integers(0, 5), st.randoms())
def test_a_split_by_class_keeps_the_balance_and_knows_no_order(labels, share, seed, random_):
    spec = SplitSpec(by="class", tuning=share, seed=seed)
    ids = [f"r{i}" for i in range(len(labels))]
    count = Counter(labels)
    taken = {k: round(share * n) for k, n in count.items()}
    if not 0 < sum(taken.values()) < len(labels):
        return
    split = make_split(spec, pl.Series(labels), None, pl.Series(ids)).to_list()
    assert Counter(x for x, s in zip(labels, split, strict=True) if s == "tuning") == Counter(taken) - Counter()
    order = list(range(len(labels)))
    random_.shuffle(order)
    again = make_split(spec, pl.Series([labels[i] for i in order]), None, pl.Series([ids[i] for i in order])).to_list()
    assert [split[i] for i in order] == again


def test_a_split_by_group_cuts_no_group_and_one_by_time_no_moment():
    rng = random.Random(2)
    groups = [f"g{rng.randrange(40)}" for _ in range(600)]
    spec = SplitSpec(by="group", field="g", tuning=0.3, seed=4)
    split = make_split(spec, pl.Series(["x"] * 600), pl.Series(groups), None).to_list()
    sides = {g: {s for h, s in zip(groups, split, strict=True) if h == g} for g in groups}
    assert all(len(s) == 1 for s in sides.values())
    assert abs(split.count("tuning") / 600 - 0.3) < 0.05
    other = make_split(
        SplitSpec(by="group", field="g", tuning=0.3, seed=5), pl.Series(["x"] * 600), pl.Series(groups), None
    )
    assert other.to_list() != split

    days = [f"2026-{rng.randrange(1, 13):02d}-{rng.randrange(1, 29):02d}" for _ in range(600)]
    split = make_split(SplitSpec(by="time", field="day"), pl.Series(["x"] * 600), pl.Series(days), None).to_list()
    last = max(d for d, s in zip(days, split, strict=True) if s == "tuning")
    assert all(d > last for d, s in zip(days, split, strict=True) if s == "test")
    assert abs(split.count("tuning") / 600 - 0.3) < 0.02
    with pytest.raises(intake.InputError, match="neither dates nor numbers"):
        make_split(
            SplitSpec(by="time", field="day"), pl.Series(["x"] * 3), pl.Series(["soon", "2026-01-01", "later"]), None
        )
    with pytest.raises(intake.InputError, match="rows on both sides"):
        make_split(SplitSpec(by="group", field="g"), pl.Series(["x"] * 9), pl.Series(["one"] * 9), None)


def test_a_made_split_is_used_and_its_seed_recorded(tmp_path):
    write_study(tmp_path)
    write_csv(tmp_path / "holdout.csv", rows_of(), ["id", "actual"])
    made = ALONE.replace('id = "id"', 'id = "id"\nmake_split = { by = "class", tuning = 0.25, seed = 7 }', 1)
    results = core.evaluate(load(tmp_path, made), "none")
    assert results["holdout"]["splits"]["tuning"] + results["holdout"]["splits"]["test"] == 200
    assert (results["holdout"]["report_on"], results["holdout"]["tune_on"]) == ("test", "tuning")
    (said,) = [f for f in results["findings"] if f["code"] == "split_made"]
    assert "seed 7" in said["message"]
    assert core.evaluate(load(tmp_path, made), "none") == results


QUOTED = (
    STUDY
    + """
[[quoted]]
name = "The vendor's sheet"
source = "leaflet, page 4"
metrics = { recall = 91, precision = 0.4 }
[[quoted]]
name = "An older trial"
source = "report of 2019, table 2"
matrix = [[80, 10], [5, 25]]
"""
)


def test_a_quoted_result_stands_beside_and_is_never_compared_by_test(tmp_path):
    write_study(tmp_path)
    results = core.evaluate(load(tmp_path, QUOTED), "none")
    sheet, trial = results["quoted"]
    assert sheet["metrics"]["recall"]["value"] == pytest.approx(0.91)
    assert sheet["metrics"]["recall"]["low"] is None
    assert "without the rows" in sheet["metrics"]["recall"]["why_interval"]
    assert any(f["code"] == "quoted_in_percent" and "91" in f["message"] for f in results["findings"])
    assert trial["metrics"]["recall"]["value"] == pytest.approx(25 / 30)
    assert trial["metrics"]["recall"]["low"] < 25 / 30 < trial["metrics"]["recall"]["high"]
    assert trial["metrics"]["accuracy"]["interval"] == "wilson"
    for c in results["candidates"][:2]:
        m = c["splits"]["test"]["metrics"]["precision"]
        where = "below" if m["low"] > 0.4 else "above" if m["high"] < 0.4 else "inside"
        assert sheet["against"][c["name"]]["precision"] == where
    named = {x for p in results["pairs"] for x in (p["a"], p["b"])} | {
        x["leader"] for x in results["best"]["test"].values()
    }
    assert not named & {"The vendor's sheet", "An older trial"}
    plain = core.evaluate(load(tmp_path, STUDY), "none")
    assert plain["pairs"] == results["pairs"]
    assert plain["best"] == results["best"]


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (("recall = 91", "recall = 910"), "no recall has this value: found “910”; expected 0 to 1"),
        (("recall = 91", "recal = 91"), "there is no such metric: found “recal”"),
        (("[[80, 10], [5, 25]]", "[[80, 10, 1], [5, 25, 2]]"), "the matrix does not fit"),
        (("An older trial", "Scores"), "a quoted result has a name that is taken"),
        (("matrix = [[80, 10], [5, 25]]", ""), "either metrics or a matrix"),
    ],
)  # fmt: skip
def test_a_wrong_quotation_is_named(tmp_path, change, said):
    write_study(tmp_path)
    assert said in problems(tmp_path, QUOTED.replace(*change))


def test_quoted_results_of_many_classes(tmp_path):
    rng = np.random.default_rng(3)
    actual = rng.integers(0, 3, 60)
    rows = [{"id": i, "actual": "abc"[k], "said": "abc"[(k + (i % 5 == 0)) % 3]} for i, k in enumerate(actual)]
    write_csv(tmp_path / "holdout.csv", rows, ["id", "actual", "said"])
    found = core.evaluate(load(tmp_path, """\
format = "skarlo.study/1"
title = "Three"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
[[candidates]]
name = "One"
predicted = "said"
[[quoted]]
name = "Two"
source = "a talk"
matrix = [[9, 1, 0], [0, 8, 2], [1, 1, 8]]
"""), "none")["quoted"][0]  # fmt: skip
    assert found["metrics"]["accuracy"]["value"] == pytest.approx(25 / 30)
    assert set(found["metrics"]) == {"accuracy", "balanced_accuracy", "mcc", "kappa"}
