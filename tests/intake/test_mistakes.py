"""Every mistake a study file or a call of the library can hold is said in one line: what, where, what to do."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from files import STUDY, load, problems, rows_of, write_csv, write_study
from skarlo import evaluate, intake


def said_of(tmp_path, old, new):
    assert old in STUDY
    return problems(write_study(tmp_path, toml=STUDY.replace(old, new, 1)))


SPLIT = 'split = "split"\nreport_on = "test"\ntune_on = "tuning"\n'


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('path = "holdout.csv"\n', "", "the hold-out has either path, or files"),
        ('path = "holdout.csv"', 'files = { test = "a.csv" }', "split names a column; files and make_split make one"),
        (SPLIT, 'make_split = { by = "class" }\nreport_on = "test"\n', "make_split makes tuning and test"),
        (SPLIT, 'make_split = { by = "group" }\n', "by class takes no field; by group and by time need one"),
        (SPLIT, 'make_split = { by = "time", field = "when" }\n', "has a column named split already"),
        ('split = "split"\n', "", "holdout.report_on, tune_on and also need holdout.split"),
        ('tune_on = "tuning"', 'tune_on = "test"', "name one split twice: found “test, test”"),
        ('truth = "actual"', 'truth = "id"', "holdout.positive is for two classes"),
        ('truth = "actual"', 'truth = "actual"\nclasses = ["no", "yes", "no"]', "names a class twice"),
        ('truth = "actual"', 'truth = "actual"\nclasses = ["no", "yes", ""]', "names an empty class"),
        ('truth = "actual"', 'truth = "actual"\nclasses = ["no", "maybe"]', "is not a class of the study: found “yes”"),
        ('truth = "actual"', 'truth = "actual"\nnames = { oui = "x" }', "holdout.names names no class"),
        ('truth = "actual"', 'truth = "actual"\ngroup = "tree"', "there is no such column for the group"),
        ('truth = "actual"', 'truth = "actual"\nslices = [[]]', "a list of fields is empty or names one twice"),
        ('truth = "actual"', 'truth = "actual"\nshow = { text = "note" }', "no such column for the text to show"),
        ('truth = "actual"', 'truth = "actual"\nmerge = { no = "yes", yes = "no" }', "is itself merged into another"),
        ('truth = "actual"', 'truth = "actual"\nmerge = { yes = "no" }', "all rows have one actual class"),
        ('id = "id"', 'id = "key"', "there is no such column for the row id"),
        ("cutoff = 0.5", "cutoff = 0.5\nruns_now = true\nscore_is = 'luck'", "candidates.1.score_is"),
        ('score = "p"', 'score = "p"\npredicted = "p"', "give exactly one of score, predicted and probabilities"),
        ('predicted = "said"', 'predicted = "said"\nscore_is = "ranking"', "score_is needs a score"),
        ('score = "p"', 'probabilities = { yes = "p" }', "probabilities must name a column for each class"),
        ("cutoff = 0.5", "cutoff = { rule = 'flag_at_most' }", "flag_at_most takes exactly one of share and rows"),
        ("cutoff = 0.5", "cutoff = { rule = 'best_f1', value = 0.5 }", "best_f1 takes no parameter"),
        ("cutoff = 0.5", "cutoff = nan", "candidates.1.cutoff"),
        ("cutoff = 0.5", "price_per_1000 = -1.0", "candidates.1.price_per_1000"),
    ],
)  # fmt: skip
def test_the_hold_out_and_the_candidates(tmp_path, old, new, said):
    assert any(said in line for line in said_of(tmp_path, old, new)), said_of(tmp_path, old, new)


@pytest.mark.parametrize(("label", "other", "said"), [("1", "0", "1"), ("true", "false", "true")])
def test_a_positive_class_may_be_said_as_a_number_or_a_truth_value(tmp_path, label, other, said):
    """As it would read in a CSV: labels are text."""
    rows = rows_of()
    for r in rows:
        r["actual"], r["said"] = (label if r[key] == "yes" else other for key in ("actual", "said"))
    study = load(write_study(tmp_path, rows, STUDY.replace('positive = "yes"', f"positive = {said}")))
    assert study.classes[study.positive] == label


def test_a_mistake_in_the_study_file_names_it_and_shows_no_machinery(tmp_path):
    for line in said_of(tmp_path, "cutoff = 0.5", "cutoff = nan") + said_of(tmp_path / "2", SPLIT, "make_split = 3\n"):
        assert line.startswith("study.toml"), line
        assert "Value error" not in line
        assert "{'" not in line


def test_a_row_of_another_length_is_named(tmp_path):
    path = write_study(tmp_path)
    lines = (tmp_path / "scores.csv").read_text().splitlines()
    lines[4] += ",too,many"
    (tmp_path / "scores.csv").write_text("\n".join(lines))
    (said,) = problems(path)
    assert "scores.csv" in said
    assert "row 5 has 4 values, the header names 2 columns" in said


@pytest.mark.parametrize(
    ("metric", "said"),
    [
        ("", "exactly one of formula and measure"),
        ("formula = 'FN'", "a formula needs better: higher or lower"),
        ("formula = 'FN'\nbetter = 'lower'\nk = 2", "k belong to a measure, not to a formula"),
        ("formula = 'FN / 0 )'\nbetter = 'lower'", "metrics: m: "),
        ("formula = 'sum(p, TP)'\nbetter = 'lower'", "metrics: m: "),
        ("measure = 'net_benefit'", "net_benefit takes threshold"),
        ("measure = 'net_benefit'\nthreshold = 0.2\nbetter = 'lower'", "of net_benefit, higher is better"),
        ("measure = 'net_benefit'\nthreshold = 0.2\ncosts = { a = 1 }", "costs belong to a formula"),
        ("measure = 'precision_at_top'", "takes exactly one of rows and share"),
        ("measure = 'top_k_accuracy'\nk = 2", "top_k_accuracy is for three classes or more"),
        ("measure = 'expected_cost'\ncost = [[0, 1, 2], [3, 0, 4]]", "cost is 2 by 3/3; expected 2 by 2"),
        ("measure = 'luck'", "metrics.1.measure"),
    ],
)
def test_own_metrics(tmp_path, metric, said):
    found = said_of(tmp_path, "[[candidates]]", f"[[metrics]]\nname = 'm'\n{metric}\n[[candidates]]")
    assert any(said in line for line in found), found


def test_names_of_own_metrics_that_are_taken(tmp_path):
    two = "".join(f"[[metrics]]\nname = '{n}'\nformula = 'FN'\nbetter = 'lower'\n" for n in ("tp", "m", "m"))
    found = said_of(tmp_path, "[[candidates]]", f"{two}[[candidates]]")
    assert found == [f"study.toml: metrics: the name {name} is taken" for name in ("tp", "m")]


def test_a_field_that_is_summed_holds_numbers(tmp_path):
    rows = [{**r, "girth": "20.5"} for r in rows_of()]
    rows[4]["girth"], rows[9]["girth"] = "thick", ""
    metric = "[[metrics]]\nname = 'm'\nformula = 'sum(girth, FN)'\nbetter = 'lower'\n[[candidates]]"
    study = write_study(tmp_path, rows, STUDY.replace("[[candidates]]", metric, 1))
    write_csv(tmp_path / "holdout.csv", rows, ["id", "actual", "split", "girth"])
    what = "column girth: is not a number, and an own metric sums this field: found"
    assert problems(study) == [
        f"holdout.csv, row 6, {what} “thick”; expected a finite number",
        f"holdout.csv, row 11, {what} nothing; expected a finite number",
    ]


@pytest.mark.parametrize(
    ("gate", "said"),
    [
        ("metric = 'recall'\nat_least = 0.5\nclass = 'oui'", "gates.1: there is no such class: found “oui”"),
        ("metric = 'recall'\nat_least = 0.5\non = 'Luck'", "gates.1: there is no such candidate: found “Luck”"),
        ("metric = 'recall'\nagainst = 'Luck'", "no such candidate to compare with"),
        ("metric = 'recall'\nagainst = 'Labels'\nevery = ['split']", "against and every do not go together"),
        ("metric = 'recall'\nagainst = 'Labels'\nclass = 'no'", "class is the positive one or left out"),
        ("metric = 'tp'\nagainst = 'Labels'", "this metric has no paired test"),
        ("metric = 'recall'\nat_least = 0.5\nat_most = 0.6", "exactly one of at_least, at_most and against"),
        ("metric = 'recall'\nat_least = 0.5\nlevel = 'may'", "gates.1.level"),
    ],
)
def test_gates(tmp_path, gate, said):
    found = said_of(tmp_path, "[[candidates]]", f"[[gates]]\n{gate}\n[[candidates]]")
    assert any(said in line for line in found), found


@pytest.mark.parametrize(
    ("quoted", "said"),
    [
        ("name = 'Scores'\nsource = 's'\nmetrics = { recall = 0.5 }", "a quoted result has a name that is taken"),
        ("name = 'q'\nsource = 's'\nmetrics = { luck = 0.5 }", "quoted q: there is no such metric"),
        ("name = 'q'\nsource = 's'\nmetrics = { recall = 250.0 }", "no recall has this value: found “250”"),
        ("name = 'q'\nsource = 's'\nmatrix = [[1, 2, 3]]", "the matrix does not fit: found “1 by 3”"),
        ("name = 'q'\nsource = 's'\nmatrix = [[0, 0], [0, 0]]", "expected 2 by 2 counts, not all 0"),
        ("name = 'q'\nmetrics = { recall = 0.5 }", "quoted.1.source"),
    ],
)
def test_what_is_quoted(tmp_path, quoted, said):
    found = said_of(tmp_path, "[[candidates]]", f"[[quoted]]\n{quoted}\n[[candidates]]")
    assert any(said in line for line in found), found


@pytest.mark.parametrize(
    ("cells", "said"),
    [
        (["1"] * 199 + ["-2"], "row 201, id r0199, column w: the weight is below 0: found “-2.0”"),
        (["1"] * 199 + ["much"], "row 201, id r0199, column w: the weight is not a number: found “much”"),
        (["0"] * 200, "column w: all weights of the split test are 0"),
    ],
)
def test_weights(tmp_path, cells, said):
    rows = [{**r, "w": w} for r, w in zip(rows_of(), cells, strict=True)]
    study = write_study(tmp_path, rows, STUDY.replace('id = "id"', 'id = "id"\nweight = "w"', 1))
    write_csv(tmp_path / "holdout.csv", rows, ["id", "actual", "split", "w"])
    assert any(said in line for line in problems(study)), problems(study)


def test_classes_that_say_the_same(tmp_path):
    rows = rows_of()
    for i, r in enumerate(rows):
        r["actual"] = {"yes": ["1", "true"][i % 2], "no": "0"}[r["actual"]]
    found = problems(write_study(tmp_path, rows, STUDY.replace('positive = "yes"', 'positive = "1"')))
    assert any("two classes (“1” and “true” say the same)" in line for line in found), found


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"truth": ["yes", None, "no", "no"]}, "truth has rows without an actual class"),
        ({"truth": ["yes"] * 4}, "all rows have one actual class"),
        ({"positive": None}, "positive is missing"),
        ({"positive": "oui"}, "positive is not a class of truth: found “oui”"),
        ({"weight": [1, 2]}, "weight has 2 rows and truth has 4"),
        ({"weight": [1, 2, "x", 4]}, "weight: row 2 is not a finite number"),
        ({"split": ["a", "a", "b", "b"], "report_on": "c"}, "report_on names no split: found “c”"),
        ({"candidates": {"a": [0.5, 0.6]}}, "a has 2 rows and truth has 4"),
        ({"candidates": {"a": [0.5, 0.6, np.nan, 0.1]}}, "a: row 2 is not a finite number"),
        ({"candidates": {"a": ["yes", "no", "oui", "no"]}}, "a: row 2 answers no class of truth: found “oui”"),
        ({"candidates": {"a": np.full((4, 3), 1 / 3)}}, "probabilities have shape (4, 3), expected (4, 2)"),
        ({"candidates": {"a": np.full((4, 2), 0.4)}}, "numbers that sum to 1 in every row"),
        ({"candidates": {"a": pl.DataFrame({"yes": [0.5] * 4})}}, "needs a column for each class: found “yes”"),
    ],
)
def test_calls_of_the_library(change, said):
    asked = {"truth": ["yes", "no", "yes", "no"], "candidates": {"a": [0.9, 0.2, 0.6, 0.7]}, "positive": "yes"} | change
    with pytest.raises(intake.InputError) as caught:
        evaluate(asked.pop("truth"), asked.pop("candidates"), **asked)
    (line,) = caught.value.lines()
    assert said in line
