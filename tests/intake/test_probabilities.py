"""Probabilities and labels of many classes, as they come in: what they may be, and what is said of the others."""

from __future__ import annotations

import numpy as np
import pytest

from files import load, problems

STUDY = """\
format = "skarlo.study/1"
title = "Three"
[holdout]
path = "holdout.csv"
id = "id"
truth = "actual"
[[candidates]]
name = "P"
path = "p.csv"
probabilities = { a = "pa", b = "pb", c = "pc" }
"""
ROWS = [("r0", "a"), ("r1", "b"), ("r2", "c"), ("r3", "a"), ("r4", "b"), ("r5", "c")]
GOOD = [(0.6, 0.3, 0.1), (0.2, 0.5, 0.3), (0.1, 0.1, 0.8), (1.0, 0.0, 0.0), (0.3, 0.4, 0.3), (0.25, 0.25, 0.5)]


def study(folder, cells, said="", rows=ROWS):
    """A study whose candidate gave these cells, in the rows' order turned round."""
    (folder / "holdout.csv").write_text("id,actual\n" + "".join(f"{i},{k}\n" for i, k in rows))
    lines = [f"{i},{','.join(str(x) for x in row)}\n" for (i, _), row in zip(rows, cells, strict=True)]
    (folder / "p.csv").write_text("id,pa,pb,pc\n" + "".join(lines[::-1]))
    (folder / "study.toml").write_text(STUDY + said)
    return folder / "study.toml"


def test_they_come_in_the_order_of_rows_and_classes(tmp_path):
    found = load(study(tmp_path, GOOD))
    assert found.classes == ("a", "b", "c")
    assert found.candidates[0].probabilities.tolist() == [list(row) for row in GOOD]


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ((1.2, -0.1, -0.1), "row 6, id r1, column pa: the probability lies outside 0 to 1: found “1.2”"),
        ((0.5, 1.5, -1.0), "row 6, id r1, column pb: the probability lies outside 0 to 1: found “1.5”"),
        ((0.5, 0.3, 0.1), "row 6, id r1, column pa: the probabilities do not sum to 1: found “0.9”"),
        ((0.5, "", 0.5), "row 6, id r1, column pb: has no answer for this row: found nothing"),
        ((0.5, "half", 0.5), "row 6, id r1, column pb: the probability is not a number: found “half”"),
        ((0.5, "nan", 0.5), "row 6, id r1, column pb: the probability is not a number: found “nan”"),
    ],
)
def test_what_is_no_probability_is_named_with_its_cell(tmp_path, row, said):
    cells = [GOOD[0], row, *GOOD[2:]]
    assert any(said in line for line in problems(study(tmp_path, cells))), problems(study(tmp_path, cells))


def test_rows_without_an_answer_are_gaps_and_half_an_answer_is_a_fault(tmp_path):
    left = 'no_answer = "left_out"\n'
    gone = [GOOD[0], ("", "", ""), *GOOD[2:]]
    found = load(study(tmp_path, gone, left)).candidates[0].probabilities
    assert np.isnan(found[1]).all()
    assert not np.isnan(np.delete(found, 1, axis=0)).any()
    half = [GOOD[0], (0.5, "", 0.5), *GOOD[2:]]
    assert any("some of the probabilities are missing" in line for line in problems(study(tmp_path, half, left)))
    assert len(problems(study(tmp_path, gone))) == 3, "each empty cell, where no row may be left without an answer"


def test_a_column_that_is_not_there(tmp_path):
    path = study(tmp_path, GOOD)
    path.write_text(path.read_text().replace('"pc"', '"pd"'))
    (line,) = problems(path)
    assert "p.csv, column pd: there is no such column for the probability" in line


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('probabilities = { a = "pa", b = "pb", c = "pc" }', 'score = "pa"', "cannot speak of more than two classes"),
        ('name = "P"', 'name = "P"\ncutoff = 0.5', "a cutoff needs two classes: found “3 classes”"),
        ('truth = "actual"', 'truth = "actual"\npositive = "a"', "holdout.positive is for two classes"),
        ('truth = "actual"', 'truth = "actual"\nexpected_base_rate = 0.2', "expected_base_rate is for two classes"),
    ],
)
def test_what_needs_two_classes(tmp_path, old, new, said):
    path = study(tmp_path, GOOD)
    path.write_text(path.read_text().replace(old, new))
    assert any(said in line for line in problems(path)), problems(path)


def test_labels_that_are_no_class(tmp_path):
    path = study(tmp_path, GOOD)
    (tmp_path / "said.csv").write_text("id,said\nr0,a\nr1,b\nr2,perhaps\nr3,\nr4,b\nr5,c\n")
    label = '[[candidates]]\nname = "L"\npath = "said.csv"\npredicted = "said"\n'
    path.write_text(STUDY + label)
    found = problems(path)
    what = "the answer is not a class of the study: found “perhaps”; expected one of a, b, c"
    assert f"said.csv, row 4, id r2, column said: {what}" in found
    assert any("row 5, id r3, column said: has no answer for this row" in line for line in found)
    path.write_text(STUDY + label + 'no_answer = "wrong"\n')
    loaded = load(path)
    assert loaded.candidates[1].predicted.tolist() == [0, 1, -1, -1, 1, 2]
    (only,) = [f for f in loaded.findings if f["code"] == "answer_is_no_class"]
    assert (only["where"]["candidate"], only["where"]["rows"]) == ("L", 1)
