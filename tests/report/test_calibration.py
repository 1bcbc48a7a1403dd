"""What is said of probabilities rests on tests and whole intervals, and stands in sentence, table and figure alike."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import brentq

from skarlo import core
from skarlo.core.metrics.logistic import expit, logit
from skarlo.report import figures
from skarlo.report.exhibits import EXHIBITS, Reading, calibration, sentence
from skarlo.report.scope import Scope, candidates

ROWS = 3_000
EVERY = np.ones(ROWS, dtype=bool)


def stretched(slope):
    """Probabilities on a stretched scale, whose mean stays as it was."""

    def bend(p):
        shift = brentq(lambda c: float((expit(slope * logit(p) + c) - p).mean()), -5.0, 5.0)
        return expit(slope * logit(p) + shift)

    return bend


def study(bend, rows=ROWS, seed=2, **about):
    """Two classes that happen as often as `true` says; the candidate says what `bend` makes of it."""
    rng = np.random.default_rng(seed)
    true = rng.beta(1.2, 3.0, rows)
    actual = (rng.random(rows) < true).astype(np.int64)
    tuning = np.arange(rows) % 3 == 0
    given = np.clip(bend(true), 0.0, 1.0)
    whole = core.Candidate("Net", score=given, cutoff=core.Cutoff(0.5))
    said = core.Candidate("Rules", predicted=(true > 0.5).astype(np.int64))
    return core.Study("s", ("no", "yes"), actual, 1, {"test": ~tuning, "tuning": tuning}, "test", "tuning",
                      (whole, said), settings=core.Settings(draws=200), **about)  # fmt: skip


def said(bend, split="test", show=(1, 2), **about):
    results = core.evaluate(study(bend, **about), "none")
    return sentence("calibration", results, Scope(split, show)), results


@pytest.mark.parametrize(
    ("bend", "wanted"),
    [
        (lambda p: p, "What Net promises happens, as far as these rows can show."),
        (lambda p: expit(logit(p) + 0.6), "Net promises more than happens: of 200 test rows given"),
        (lambda p: expit(logit(p) - 0.6), "Net promises less than happens: of 200 test rows given"),
        (stretched(2.0), "Net is too sure of itself (slope 0.4"),
        (stretched(0.5), "Net is not sure enough (slope 1."),
    ],
)
def test_what_is_said_of_scores_that_were_bent(bend, wanted):
    text, _ = said(bend)
    assert wanted in text
    assert text.endswith("Rules gives no probability.")


def test_the_bin_that_is_named_is_the_one_that_lies_farthest_off():
    text, results = said(lambda p: expit(logit(p) + 0.6))
    (net, _) = candidates(results, Scope("test", (1, 2)))
    rows, mean, observed, low, high = calibration.worst_bin(net, "more")
    bins = net.part["calibration"]["equal_mass"]
    gaps = [abs(m - o) for m, o in zip(bins["mean_score"], bins["observed"], strict=True)]
    assert abs(mean - observed) == max(gaps)
    assert not low <= mean <= high
    for number in (mean, observed, low, high):
        assert core.shown(number) in text
    assert f"of {rows} test rows" in text


def test_the_bin_that_is_named_lies_to_the_side_that_is_spoken_of():
    """Most is promised too low; what is promised highest hardly comes about, which is the largest gap of all."""
    text, results = said(lambda p: np.where(p < 0.05, 0.95 + p, expit(logit(p) - 2.5)))
    (net, _) = candidates(results, Scope("test", (1, 2)))
    assert "promises less than happens" in text
    more, less, any_side = (calibration.worst_bin(net, v) for v in ("more", "less", "places"))
    assert any_side == more
    assert (more[1] > more[2], less[1] < less[2]) == (True, True)
    assert f"given {core.shown(less[1])} on average, {core.shown(less[2])} were" in text


def test_nothing_is_judged_on_rows_that_its_own_answers_picked_out():
    results = core.evaluate(replace(study(lambda p: expit(logit(p) + 0.6)), picked_by=("Net",)), "none")
    told = {view: sentence(view, results, Scope("test", (1, 2))) for view in ("calibration", "roster", "head-to-head")}
    assert "Whether Net can be believed is not told by rows that its own answers picked out" in told["calibration"]
    assert "promises" not in told["calibration"]
    assert "leads" not in told["roster"]
    assert told["head-to-head"].startswith("Net is not tested on rows that its own answers picked out")


@pytest.mark.parametrize(("rows", "told"), [(1, "there is 1 row,"), (7, "there are 7 rows,")])
def test_of_a_slice_with_under_thirty_rows_it_is_said_how_many(rows, told):
    s = replace(study(lambda p: p, rows=rows), splits={"all": np.ones(rows, dtype=bool)}, report_on="all", tune_on=None)
    results = core.evaluate(replace(s, picked=True), "none")
    text = sentence("calibration", results, Scope("all", (1, 2), within={"ward": "East"}))
    assert text == f"Where ward is East {told} fewer than 30: counts alone are told of them."


def test_of_few_rows_nothing_is_said_and_of_none_that_there_are_none():
    assert "too few rows to say whether Net can be believed" in said(lambda p: p, rows=40)[0]
    assert "give no probability that could be compared" in said(lambda p: p, show=(2,))[0]


def test_a_class_of_three_is_read_against_the_rest():
    rng = np.random.default_rng(1)
    p = rng.dirichlet((1, 1, 2), ROWS)
    actual = np.array([rng.choice(3, p=row) for row in p])
    bent = p**2 / (p**2).sum(axis=1, keepdims=True)
    results = core.evaluate(core.Study(
        "s", ("x", "y", "z"), actual, None, {"all": EVERY}, "all", None,
        (core.Candidate("True", probabilities=p), core.Candidate("Bent", probabilities=bent)),
        settings=core.Settings(draws=100),
    ), "none")  # fmt: skip
    text = sentence("calibration", results, Scope("all", (1, 2), of="z"))
    assert text.startswith("Probability of “z”. Bent ")
    assert "What True promises happens" in text
    largest = Scope("all", (1, 2), own={"by": "largest"})
    assert sentence("calibration", results, largest).startswith("The largest probability. Bent promises more")
    assert Scope.kept(largest.as_dict()) == largest
    assert "“z” (" in text


def test_the_table_says_what_each_brier_score_is_made_of_and_what_a_repair_does():
    _, results = said(lambda p: expit(logit(p) + 0.6))
    scope = Scope("test", (1, 2))
    reading = Reading(
        results=results, scope=scope, chosen=candidates(results, scope), tallies=dict, further=lambda: results
    )
    figure, _, numbers, learned, repaired = EXHIBITS["calibration"].blocks(reading)
    assert figure["kind"] == "figure"
    (net,) = numbers["rows"]
    parts = results["candidates"][0]["splits"]["test"]["calibration"]["parts"]
    made = next(c for c in net["cells"] if "below" in c)
    assert core.shown(parts["uncertainty"]) in made["text"]
    assert core.shown(parts["miscalibration"]) in made["below"]
    assert learned["text"] == "Recalibrated on tuning, judged on test."
    assert [row["cells"][1]["text"] for row in repaired["rows"]] == [
        "shift and stretch",
        "stretch alone",
        "monotone steps",
    ]


def test_bins_and_band_are_those_that_were_chosen(monkeypatch):
    s = study(lambda p: p)
    results, seen = core.evaluate(s, "none"), []
    monkeypatch.setattr(figures, "reliability", lambda *given: seen.append(given[3:]) or "<svg/>")

    def blocks(**own):
        scope = Scope("test", (1, 2), own=own)
        return EXHIBITS["calibration"].blocks(Reading(
            results=results, scope=scope, chosen=candidates(results, scope), tallies=dict, further=lambda: results
        ))  # fmt: skip

    plain, chosen = blocks(), blocks(bins="equal_width", band="whole", table="yes")
    assert seen == [("equal_mass", False), ("equal_width", True)]
    assert "bins of one width" in chosen[1]["text"]
    assert "all of it at once" in chosen[1]["text"]
    (table,) = [b for b in chosen if b["kind"] == "table" and b["head"][0]["text"] == "Bins of Net"]
    score, actual = (x[s.splits["test"]] for x in (s.candidates[0].score, s.actual))
    for row in table["rows"]:
        low, high = (float(x) for x in row["cells"][0]["text"].split(" to "))
        here = (score >= low) & ((score < high) | (high == 1))
        assert row["cells"][1]["text"] == core.count(int(here.sum()))
        assert row["cells"][3]["text"].startswith(core.shown(np.mean(actual[here])))
    assert not [b for b in plain if b["kind"] == "table" and b["head"][0]["text"].startswith("Bins")]
