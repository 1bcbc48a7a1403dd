"""The bands of the monotone fit, the bins' consistency, and calibration in the large, against definitions by hand."""

import numpy as np
import pytest
from scipy.optimize import isotonic_regression
from scipy.stats import beta, binom

from skarlo import core
from skarlo.core.counting.answers import Answers
from skarlo.core.counting.table import Sampling
from skarlo.core.metrics import reliability
from skarlo.core.metrics.reliability import Runs

SAMPLING = Sampling(0.95, 0, 400, 10)
SCORES = np.array([0.1, 0.2, 0.1, 0.3, 0.6, 0.2, 0.1, 0.7, 0.4, 0.5])
ACTUAL = np.array([0, 0, 0, 0, 1, 0, 0, 1, 0, 1])


def told(score, actual, **about):
    a = Answers.of_scores(np.asarray(actual), np.asarray(score, dtype=np.float64), 0.5, **about)
    return reliability.block(a, a.tally, 10, SAMPLING)


def runs(hits, rows, weighted=False):
    n = np.array(rows, dtype=np.float64)
    k = np.array(hits, dtype=np.float64)
    score = np.linspace(0.1, 0.9, len(n))
    counts = np.concatenate((k, n - k)).astype(np.int64)
    return Runs(score, score, n, score, k, weighted, counts)


def test_in_the_large_of_ten_rows():
    found = told(SCORES, ACTUAL)["in_the_large"]
    assert [round(found[k], 4) for k in ("value", "low", "high", "p")] == [0.02, -0.1885, 0.1692, 0.8795]
    assert found["interval"] == "wilson_shifted"


def test_in_the_large_of_scores_that_leave_no_room():
    found = told([0.0, 0.0, 1.0], [0, 0, 1])["in_the_large"]
    assert found["value"] == 0.0
    assert found["p"] is None
    assert found["low"] < 0 < found["high"]


def test_in_the_large_with_weights_and_groups():
    weight = np.array([1.0, 2.0] * 5)
    weighted = told(SCORES, ACTUAL, weight=weight)["in_the_large"]
    assert weighted["value"] == pytest.approx(float(weight @ (SCORES - ACTUAL)) / 15)
    assert weighted["interval"] == "wilson_shifted_weighted"
    grouped = told(SCORES, ACTUAL, group=np.arange(10) // 2)["in_the_large"]
    assert grouped["value"] == pytest.approx(0.02)
    assert grouped["interval"] == "wilson_shifted_clustered"


def test_the_band_that_holds_the_whole_curve():
    band = runs([1, 4, 9], [10, 10, 10]).confidence(0.95)
    assert [round(x, 4) for x in band["low"]] == [0.0004, 0.0730, 0.4458]
    assert [round(x, 4) for x in band["high"]] == [0.5542, 0.8156, 0.9996]
    assert runs([1, 4, 9], [10, 10, 10], weighted=True).confidence(0.95) is None


def test_that_band_by_its_definition():
    rng = np.random.default_rng(3)
    rows = rng.integers(5, 40, 8)
    hits = rng.binomial(rows, np.linspace(0.02, 0.95, 8))
    hits[0], hits[-1] = 0, rows[-1]
    band = runs(hits, rows).confidence(0.9)
    tail = 0.1 / (8 * 9)
    for h in range(8):
        low, high = [0.0], [1.0]
        for i in range(8):
            for j in range(i, 8):
                k, n = hits[i : j + 1].sum(), rows[i : j + 1].sum()
                if j <= h and k > 0:
                    low.append(beta.ppf(tail, k, n - k + 1))
                if i >= h and k < n:
                    high.append(beta.ppf(1 - tail, k + 1, n - k))
        assert band["low"][h] == pytest.approx(max(low), abs=1e-9)
        assert band["high"][h] == pytest.approx(min(high), abs=1e-9)


def test_many_monotone_fits_at_once_are_each_the_least_squares_one():
    rng = np.random.default_rng(5)
    rows = rng.integers(1, 30, 12).astype(np.float64)
    hits = rng.binomial(rows.astype(int), 0.4, (50, 12)).astype(np.float64)
    for one, fit in zip(hits, reliability.monotone(hits, rows), strict=True):
        assert fit == pytest.approx(isotonic_regression(one / rows, weights=rows).x, abs=1e-12)


def test_where_the_fit_lies_if_the_scores_are_true():
    rng = np.random.default_rng(7)
    score = rng.random(4_000)
    actual = (rng.random(4_000) < score).astype(np.int64)
    fit = told(score, actual)["isotonic"]
    low, high = (np.array(fit["consistency"][k]) for k in ("low", "high"))
    mean = np.array(fit["runs"]["mean_score"])
    assert len(mean) == 50
    assert ((low <= mean) & (mean <= high)).mean() > 0.9
    assert 0.02 < (high - low).mean() < 0.2
    off = told(score, (rng.random(4_000) < score**3).astype(np.int64))["isotonic"]
    at = np.searchsorted(off["from"], mean, side="right") - 1
    outside = np.array(off["observed"])[at] < np.array(off["consistency"]["low"])
    assert outside.mean() > 0.4
    assert fit == told(score, actual)["isotonic"]  # drawn the same way each time


def test_the_consistency_of_a_bin_is_binomial():
    bins = told(SCORES, ACTUAL)["equal_width"]
    i = next(i for i, n in enumerate(bins["rows"]) if n == 3)
    wanted = binom.ppf([0.025, 0.975], 3, bins["mean_score"][i]) / 3
    assert (bins["consistency_low"][i], bins["consistency_high"][i]) == pytest.approx(tuple(wanted))
    assert all(x is None for x, n in zip(bins["consistency_low"], bins["rows"], strict=True) if n == 0)
    weighted = told(SCORES, ACTUAL, weight=np.full(10, 2.0))["equal_width"]
    assert weighted["consistency_low"][i] > 0  # Wilson's, which never reaches 0 there


def test_a_class_of_many_is_read_as_two():
    rng = np.random.default_rng(1)
    p = rng.dirichlet((1, 1, 1), 300)
    actual = np.array([rng.choice(3, p=row) for row in p])
    study = core.Study("s", ("x", "y", "z"), actual, None, {"all": np.ones(300, dtype=bool)}, "all", None,
                       (core.Candidate("net", probabilities=p),), settings=core.Settings(draws=100))  # fmt: skip
    part = core.evaluate(study)["candidates"][0]["splits"]["all"]
    alone = told(p[:, 1], (actual == 1).astype(np.int64))
    assert part["per_class"]["y"]["calibration"]["equal_mass"] == alone["equal_mass"]
    likely = told(p.max(axis=1), (actual == p.argmax(axis=1)).astype(np.int64))
    assert part["calibration"]["parts"] == likely["parts"]
    assert part["per_class"]["y"]["recall"]["value"] is not None


def test_one_row_and_one_score():
    found = told([0.3], [1])
    assert found["isotonic"]["runs"]["mean_score"] == [0.3]
    assert found["isotonic"]["confidence"]["low"][0] < 0.1
    same = told([0.5] * 6, [0, 1, 0, 1, 1, 1])
    assert same["isotonic"]["observed"] == pytest.approx([4 / 6])
