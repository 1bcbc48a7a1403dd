"""A number got elsewhere is found again by what it really is."""

from __future__ import annotations

import math

import numpy as np
import pytest

from core.test_evaluate import study
from core.test_features import three
from skarlo import core
from skarlo.core import Evaluation
from skarlo.core.counting import tally
from skarlo.core.metrics.ranking import trapezoid_area
from skarlo.core.words.another import _read


@pytest.fixture(scope="module")
def evaluation():
    return Evaluation(study(), "none")


def first(evaluation, value, digits=6, candidate="a", split="test"):
    found = evaluation.another(f"{value:.{digits}f}", candidate, split)
    return found["matches"][0] if found["matches"] else None


def part(evaluation, split="test", candidate="a"):
    told = evaluation.results([core.Part(kind, split) for kind in ("lines", "classes")])
    return next(c for c in told["candidates"] if c["name"] == candidate)["splits"][split]


def test_another_metric_of_the_same_candidate(evaluation):
    metrics = part(evaluation)["metrics"]
    for name in ("precision", "balanced_accuracy", "roc_auc", "log_loss"):
        found = first(evaluation, metrics[name]["value"])
        assert found["value"] == metrics[name]["value"]
        assert (found["candidate"], found["split"], found["how"]) == ("a", "test", "")


def test_percent_and_another_split(evaluation):
    recall = part(evaluation, "tuning")["metrics"]["recall"]["value"]
    for text in (f"{100 * recall:.4f} %", f"{100 * recall:.4f}", f"{recall:.6f}", f"{recall:.6f}".replace(".", ",")):
        match = evaluation.another(text, "a", "test")["matches"][0]
        assert (match["split"], match["value"]) == ("tuning", recall)


def test_definitions_that_are_not_ours(evaluation):
    s = study()
    test = s.splits["test"]
    score, actual = s.candidates[0].score[test], s.actual[test] == 1
    brier = float(((score - actual) ** 2).mean())
    found = first(evaluation, 2 * brier)
    assert (found["title"], found["how"]) == ("Brier score summed over both classes", "another definition")
    bits = part(evaluation)["metrics"]["log_loss"]["value"] / math.log(2)
    assert first(evaluation, bits)["title"] == "Log loss to base 2"
    flagged = score >= core.prepare(s).placed(0, s.candidates[0].cutoff).value
    tp, fp, fn = (flagged & actual).sum(), (flagged & ~actual).sum(), (~flagged & actual).sum()
    assert first(evaluation, 5 * tp / (5 * tp + 4 * fn + fp))["title"] == "F with β = 2"


def test_the_other_class_the_other_cutoff_and_the_other_candidate(evaluation):
    s = study()
    test = s.splits["test"]
    score, actual = s.candidates[0].score[test], s.actual[test] == 1
    half = ((score >= 0.5) & actual).sum() / (score >= 0.5).sum()
    match = first(evaluation, float(half), 9)
    assert "0.5" in match["how"] or match["value"] == pytest.approx(float(half))
    label = s.classes[0]
    precision = part(evaluation)["per_class"][label]["f1"]["value"]
    assert label in first(evaluation, precision)["how"]
    other = part(evaluation, candidate="b")["metrics"]["mcc"]["value"]
    assert first(evaluation, other, 12)["candidate"] == "b"


def test_turned_numbers(evaluation):
    area = part(evaluation)["metrics"]["roc_auc"]["value"]
    assert "2 x less 1" in first(evaluation, 2 * area - 1, 12)["how"]


def test_nothing_is_found_where_nothing_is(evaluation):
    found = evaluation.another("0.123456789", "a", "test")
    assert found["matches"] == []
    assert found["by_chance"] is None
    few = evaluation.another("0.5", "a", "test")
    assert few["by_chance"] == pytest.approx(few["tried"] * 0.1)


@pytest.mark.parametrize("text", ["", "a", "0.5.5", "1e3", "."])
def test_what_is_no_number(evaluation, text):
    with pytest.raises(ValueError, match="no number"):
        evaluation.another(text, "a", "test")
    with pytest.raises(KeyError, match="no candidate"):
        evaluation.another("0.5", "nobody", "test")


def test_how_text_is_read():
    assert [_read(t) for t in ("0.75", "−.5", "74.2 %", "1")] == [(0.75, 2), (-0.5, 1), (0.742, 3), (1.0, 0)]


def test_straight_lines_between_points_of_precision_recall():
    t = tally.make(np.array([0.9, 0.8, 0.7, 0.6]), np.array([True, False, True, False]))
    # recall 0.5, 0.5, 1, 1 with precision 1, 1/2, 2/3, 1/2
    assert trapezoid_area(t) == pytest.approx(0.5 * 1 + 0.5 * (1 / 2 + 2 / 3) / 2)


def test_of_three_classes():
    evaluation = Evaluation(three(), "none")
    name = evaluation.study.candidates[0].name
    told = evaluation.results([core.Part("classes", "all")])["candidates"][0]["splits"]["all"]["averages"]
    match = evaluation.another(f"{told['macro']['f1']['value']:.9f}", name, "all")["matches"][0]
    assert match["how"] == "the plain mean of the classes"
