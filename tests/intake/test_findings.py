"""Each finding stands where its fault is, with its rows, and nowhere else: small studies that differ in one thing."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from files import STUDY, load, rows_of, write_csv, write_study
from skarlo import core, intake

MANY = """\
format = "skarlo.study/1"
title = "Three"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
classes = ["a", "b", "c"]
[[candidates]]
name = "P"
path = "p.csv"
probabilities = { a = "pa", b = "pb", c = "pc" }
"""


def found(study):
    """The findings of a study, by code."""
    out = {}
    for f in core.evaluate(load(study), "none")["findings"]:
        out.setdefault(f["code"], []).append(f)
    return out


def clean(tmp_path):
    return found(write_study(tmp_path / "clean"))


def test_a_clean_study_has_no_warning(tmp_path):
    assert [f for each in clean(tmp_path).values() for f in each if f["level"] != "note"] == []


def rare(rows):
    """All but six of the reported positives become negatives."""
    positives = [r for r in rows if r["actual"] == "yes" and r["split"] == "test"]
    for r in positives[6:]:
        r["actual"] = "no"


def rounded(rows):
    for r in rows:
        r["p"] = f"{round(float(r['p']) * 3) / 3:.3f}"


def level(rows):
    for r in rows:
        r["p"] = "0.3"


def sure(rows):
    wrong = [r for r in rows if r["actual"] == "yes" and r["split"] == "test"][:4]
    for r in wrong:
        r["p"] = "0"


def logits(rows):
    for r in rows:
        r["p"] = str(8 * float(r["p"]) - 4)


def rules(rule):
    return STUDY.replace("cutoff = 0.5", f"cutoff = {{ {rule} }}")


UNSPLIT = rules('rule = "best_f1"').replace('split = "split"\nreport_on = "test"\ntune_on = "tuning"\n', "")
NO_ID = STUDY.replace('id = "id"\n', "")
CASES = {
    "few_rows_of_class": (rare, STUDY, {"class": "yes", "rows": 6, "split": "test"}, "only 6 test rows"),
    "few_distinct_scores": (rounded, STUDY, {"candidate": "Scores", "distinct": 4}, "only 4 distinct scores"),
    "probabilities_clipped": (sure, STUDY, {"candidate": "Scores", "rows": 4}, "to the actual class in 4 rows"),
    "scores_outside_unit": (logits, STUDY, {"candidate": "Scores"}, "outside 0 to 1"),
    "no_cutoff_satisfies_rule": (
        lambda rows: None, rules('rule = "precision_at_least", value = 1.0'), {"candidate": "Scores"}, "no cutoff of",
    ),
    "no_tuning_split": (lambda rows: None, UNSPLIT, {"candidate": "Scores"}, "looks at the reported rows"),
    "cutoff_chosen_on_report_split": (lambda rows: None, UNSPLIT, {"candidate": "Scores"}, "chosen on the"),
}  # fmt: skip


@pytest.mark.parametrize("code", CASES)
def test_what_a_fault_is_called(tmp_path, code):
    change, toml, where, said = CASES[code]
    rows = rows_of()
    change(rows)
    if code == "no_cutoff_satisfies_rule":  # the highest score of all is a negative's
        next(r for r in rows if r["actual"] == "no" and r["split"] == "tuning")["p"] = "1"
        for r in rows:
            r["p"] = "1" if r["actual"] == "yes" else r["p"]
    assert code not in clean(tmp_path)
    (only,) = found(write_study(tmp_path / "faulty", rows, toml))[code]
    assert said in only["message"]
    assert {k: only["where"].get(k) for k in where} == where


def test_scores_that_are_all_one(tmp_path):
    rows = rows_of()
    level(rows)
    codes = found(write_study(tmp_path, rows))
    assert codes["few_distinct_scores"][0]["message"] == "Scores: all scores are equal"
    assert codes["one_class_only"][0]["message"] == "Scores predicts “no” for all test rows"


def test_a_group_that_a_split_cuts(tmp_path):
    rows = rows_of()
    for i, r in enumerate(rows):
        r["tree"] = f"t{i // 2}"
    whole = [dict(r, tree=f"{r['split']}-{r['tree']}") for r in rows]
    for name, each in (("cut", rows), ("whole", whole)):
        study = write_study(tmp_path / name, each, STUDY.replace('split = "split"', 'split = "split"\ngroup = "tree"'))
        write_csv(study.parent / "holdout.csv", each, ["id", "actual", "split", "tree"])
    (only,) = found(tmp_path / "cut" / "study.toml")["group_cut_by_split"]
    cut = {r["tree"] for r in rows if r["split"] == "test"} & {r["tree"] for r in rows if r["split"] == "tuning"}
    assert only["where"]["groups"] == len(cut) > 0
    assert "group_cut_by_split" not in found(tmp_path / "whole" / "study.toml")


def test_answers_matched_by_position(tmp_path):
    rows = rows_of()
    study = write_study(tmp_path, rows, NO_ID)
    write_csv(study.parent / "scores.csv", rows, ["p"])
    write_csv(study.parent / "labels.csv", rows, ["said"])
    (only,) = found(study)["matched_by_position"]
    assert (only["level"], only["where"]["file"]) == ("warning", "holdout.csv")


def test_single_precision_near_the_cutoff(tmp_path):
    rows = rows_of()
    study = write_study(tmp_path, rows, STUDY.replace("scores.csv", "scores.parquet"))
    score = np.array([float(r["p"]) for r in rows])
    score[:3] = 0.5, 0.5 + 4e-7, 0.5 - 2e-6
    table = pl.DataFrame({"id": [r["id"] for r in rows], "p": score})
    table.with_columns(pl.col("p").cast(pl.Float32)).write_parquet(tmp_path / "scores.parquet")
    (only,) = found(study)["single_precision_near_cutoff"]
    near = int((np.abs(score.astype(np.float32).astype(float) - 0.5) <= 1e-6).sum())
    assert only["where"]["rows"] == near >= 2
    table.write_parquet(tmp_path / "scores.parquet")
    assert "single_precision_near_cutoff" not in found(study)


def three(folder, slip=0.0, absent=None):
    """Thirty rows of three classes; the first two rows' probabilities miss a sum of 1 by `slip`."""
    labels = [k for k in "abc" * 10 if k != absent]
    lines = [f"r{i},{k}" for i, k in enumerate(labels)]
    (folder / "holdout.csv").write_text("\n".join(["id,actual", *lines]) + "\n")
    told = []
    for i, k in enumerate(labels):
        p = [0.2 + 0.4 * (k == c) + 0.001 * i * (c == "a") for c in "abc"]
        p = [x / sum(p) for x in p]
        p[0] += slip if i < 2 else 0
        told.append(f"r{i}," + ",".join(repr(x) for x in p))
    (folder / "p.csv").write_text("\n".join(["id,pa,pb,pc", *told]) + "\n")
    (folder / "study.toml").write_text(MANY)
    return folder / "study.toml"


def test_probabilities_that_miss_one(tmp_path):
    assert "probabilities_miss_one" not in found(three(tmp_path))
    (only,) = found(three(tmp_path, slip=1e-5))["probabilities_miss_one"]
    assert (only["level"], only["where"]["rows"]) == ("note", 2)
    with pytest.raises(intake.InputError, match="do not sum to 1"):
        found(three(tmp_path, slip=0.01))


def test_a_class_without_rows_is_left_out_of_the_mean_of_areas(tmp_path):
    assert "class_left_out_of_macro_area" not in found(three(tmp_path))
    (only,) = found(three(tmp_path, absent="c"))["class_left_out_of_macro_area"]
    assert only["where"]["classes"] == ["c"]
