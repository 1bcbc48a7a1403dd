"""What a ROC and a precision-recall curve may be at each cutoff: by their definition, box by box."""

from __future__ import annotations

import math

import numpy as np
import pytest

from skarlo import core
from skarlo.core.counting import curves, tally
from skarlo.core.stats.intervals import wilson


def made(n=60, seed=3):
    rng = np.random.default_rng(seed)
    positive = rng.random(n) < 0.4
    return tally.make(np.round(np.clip(rng.normal(0.4 + 0.2 * positive, 0.2), 0, 1), 2), positive)


def boxes(t, rows=1.0):
    each = math.sqrt(0.95)
    counts = [(0, 0), *zip(t.fp[::-1].tolist(), t.tp[::-1].tolist(), strict=True)]
    for fp, tp in counts:
        yield wilson(fp * rows, t.negatives * rows, each), wilson(tp * rows, t.positives * rows, each)


@pytest.mark.parametrize("rows", [1.0, 0.4])
def test_both_sides_by_their_definition(rows):
    t = made()
    band, found = curves.roc_band(t, rows, 0.95), list(boxes(t, rows))
    upper, lower = band["upper"], band["lower"]
    for f in np.linspace(0, 1, 101):
        high = max((r[1] for fs, r in found if fs[0] <= f), default=0.0)
        low = min((r[0] for fs, r in found if fs[1] >= f), default=1.0)
        assert upper["tpr"][np.flatnonzero(upper["fpr"] <= f)[-1]] == pytest.approx(high)
        over = np.flatnonzero(lower["fpr"] >= f)
        assert (lower["tpr"][over[0]] if over.size else 1.0) == pytest.approx(low)


def test_it_holds_the_curve_and_narrows():
    widths = []
    for n in (60, 6_000):
        t = made(n)
        band, curve = curves.roc_band(t, 1.0, 0.95), curves.roc_curve(t)
        assert (band["upper"]["tpr"] >= curve["tpr"] - 1e-12).all()
        assert (band["lower"]["tpr"] <= curve["tpr"] + 1e-12).all()
        widths.append((band["upper"]["tpr"] - band["lower"]["tpr"]).mean())
    assert widths[1] < widths[0] / 3


def test_it_is_a_part_of_each_split_and_of_each_class():
    rng = np.random.default_rng(0)
    p = rng.dirichlet((1, 1, 1), 90)
    study = core.Study("s", ("x", "y", "z"), p.argmax(axis=1), None, {"all": np.ones(90, dtype=bool)}, "all", None,
                       (core.Candidate("net", probabilities=p),))  # fmt: skip
    told = core.Evaluation(study).part(core.Part("bands", "all"))["net"]["per_class"]
    assert set(told) == {"x", "y", "z"}
    assert set(told["x"]["roc_band"]) == {"upper", "lower"}
    assert set(told["x"]["pr_band"]) == {"recall", "low", "high"}
    assert "roc_band" not in core.evaluate(study)["candidates"][0]["splits"]["all"]


@pytest.mark.parametrize("rows", [1.0, 0.4])
@pytest.mark.parametrize("least", [1, 10])
def test_what_precision_may_be_is_that_of_every_box_at_that_recall(rows, least):
    t, each = made(), 0.975
    found = [
        (wilson(tp * rows, t.positives * rows, each), wilson(tp * rows, (tp + fp) * rows, each))
        for tp, fp in zip(t.tp[::-1].tolist(), t.fp[::-1].tolist(), strict=True)
        if (tp + fp) * rows >= least
    ]
    band = curves.pr_band(t, rows, 0.95, least)
    told = 0
    for r, low, high in zip(band["recall"], band["low"], band["high"], strict=True):
        here = [p for rs, p in found if rs[0] <= r <= rs[1]]
        if not here:
            assert math.isnan(low)
            assert math.isnan(high)
            continue
        told += 1
        assert low == pytest.approx(min(p[0] for p in here))
        assert high == pytest.approx(max(p[1] for p in here))
    assert told > 200


def test_it_narrows_and_without_enough_flagged_rows_there_is_none():
    assert curves.pr_band(made(), 1.0, 0.95, 61) is None
    few, many = (curves.pr_band(made(n), 1.0, 0.95, 10) for n in (60, 60_000))
    width = [np.nanmean(band["high"] - band["low"]) for band in (few, many)]
    assert width[1] < width[0] / 3
