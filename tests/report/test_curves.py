"""Pinned curves stand in the report as their view's own choices drew them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

import brute
from core.test_evaluate import study
from core.test_features import three
from skarlo import core
from skarlo.report import figures
from skarlo.report.exhibits import EXHIBITS, Reading
from skarlo.report.scope import Scope, candidates


@pytest.fixture
def drawn(monkeypatch):
    """Freeze an exhibit; the lines and planes that were drawn, and the blocks."""
    seen, real = [], figures.curves

    def curves(lines, planes, prevalence, fewer):
        seen.append((lines, planes, prevalence))
        return real(lines, planes, prevalence, fewer)

    monkeypatch.setattr(figures, "curves", curves)

    def freeze(s, split="all", of="", **own):
        evaluation, exhibit = core.Evaluation(s, "full"), EXHIBITS["curves"]
        results = evaluation.results()
        scope = Scope(split, tuple(range(1, 1 + len(s.candidates))), of=of, own=own)
        blocks = exhibit.blocks(Reading(
            results=results, scope=scope, chosen=candidates(results, scope), tallies=dict,
            further=lambda: evaluation.results(exhibit.shows(results, scope)),
        ))  # fmt: skip
        return *seen.pop(), blocks, results

    return freeze


def tables(blocks):
    return [b for b in blocks if b["kind"] == "table"]


def test_candidates_over_each_other_with_the_band_of_the_one_in_front(drawn):
    s = study()
    lines, planes, prevalence, blocks, results = drawn(s, "test")
    assert planes == ("roc", "pr")
    assert prevalence == pytest.approx(np.mean(s.actual[s.splits["test"]] == s.positive))
    part = results["candidates"][0]["splits"]["test"]
    assert lines[0].curves["roc"] == (part["roc"]["fpr"], part["roc"]["tpr"])
    assert lines[0].areas == {"roc": part["metrics"]["roc_auc"]["value"],
                              "pr": part["metrics"]["average_precision"]["value"]}  # fmt: skip
    assert lines[0].rings["roc"] == tuple(part["metrics"][m]["value"] for m in ("fpr", "recall"))
    assert [line.band is not None for line in lines].count(True) == 1
    assert tables(blocks) == []
    assert "ROC and precision-recall curves." in blocks[0]["svg"]
    for letter in [line.letter for line in lines if line.curves][-1:]:
        chosen, *_ = drawn(s, "test", front=letter)
        assert [line.letter for line in chosen if line.band is not None] == [letter]


def test_a_band_holds_its_line_and_its_area_is_the_core_s(drawn):
    lines, *_ = drawn(study(), "test")
    (line,) = [one for one in lines if one.band is not None]
    (up_x, up_y), (low_x, low_y) = line.band
    for x, y in zip(*line.curves["roc"], strict=True):
        assert max(v for at, v in zip(up_x, up_y, strict=True) if at <= x) >= y - 1e-9
        assert min(v for at, v in zip(low_x, low_y, strict=True) if at >= x) <= y + 1e-9


def test_gain_and_lift_and_areas_by_other_methods(drawn):
    s = study()
    lines, planes, _, blocks, results = drawn(s, "test", draw="gain", upto="0.2", lines="yes")
    assert planes == ("recall", "lift")
    gain = results["candidates"][0]["splits"]["test"]["gain"]
    assert lines[0].curves["recall"] == (gain["flagged_share"], gain["recall"])
    assert None not in lines[0].curves["lift"][1]
    assert all(line.band is None for line in lines)
    (told,) = tables(blocks)
    assert [c["text"] for c in told["head"]][-2:] == ["ROC up to 0.2", "by straight lines"]
    areas = core.Evaluation(s, "none").results([core.Part("areas", "test", rate=0.2)])
    one = areas["candidates"][0]["splits"]["test"]["areas"]
    assert [c["text"] for c in told["rows"][0]["cells"]][-2:] == [
        core.with_interval(one["partial_area"]), core.shown(one["average_precision_trapezoid"])
    ]  # fmt: skip
    for own in ({"upto": "moon"}, {"upto": "7"}, {"draw": "moon"}, {"upto": "nan"}):
        assert tables(drawn(s, "test", **own)[3]) == []


def test_classes_over_each_other_with_their_means(drawn):
    s = three()
    lines, _, prevalence, blocks, results = drawn(s, of="y", over="classes")
    part, p = results["candidates"][0]["splits"]["all"], s.candidates[0].probabilities
    assert [line.letter for line in lines] == ["1", "2", "3", "m", "p"]
    for k in range(3):
        assert lines[k].areas["roc"] == pytest.approx(brute.area(s.actual == k, p[:, k]))
    assert lines[3].areas["roc"] == part["metrics"]["roc_auc_macro"]["value"]
    assert lines[4].areas["roc"] == pytest.approx(brute.area(np.eye(3)[s.actual].ravel() > 0, p.ravel()))
    assert prevalence == pytest.approx(np.mean(s.actual == 1))
    assert len({line.colour for line in lines[:3]}) == 2, "the class that is read has the candidate's colour"
    (told,) = tables(blocks)
    assert [row["cells"][1]["text"] for row in told["rows"]] == ["x", "y", "z", "plain mean", "pooled"]
    assert [row["cells"][2]["text"] for row in told["rows"]] == [
        *(str(np.sum(s.actual == k)) for k in range(3)),
        "",
        "",
    ]
    gained, *_ = drawn(s, over="classes", draw="gain")
    assert [line.letter for line in gained if line.curves] == ["1", "2", "3"]


def test_a_candidate_of_classes_only_is_a_point_with_its_intervals(drawn):
    s = study()
    said = np.where(np.arange(len(s.actual)) % 4 == 0, 1 - s.actual, s.actual)
    plain = core.Candidate("plain", predicted=said)
    lines, _, _, _, results = drawn(replace(s, candidates=(*s.candidates, plain)), "test")
    m = results["candidates"][len(s.candidates)]["splits"]["test"]["metrics"]
    line = lines[len(s.candidates)]
    assert line.curves == {}
    assert line.cross["roc"] == tuple((m[x]["low"], m[x]["value"], m[x]["high"]) for x in ("fpr", "recall"))
    assert line.rings == {}
