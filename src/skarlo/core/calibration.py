"""Of the rows given 0.7, did 70 % happen? Bins, gaps, the monotone fit, a test, the logistic fit as metrics."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any

import numpy as np
from scipy.optimize import isotonic_regression
from scipy.stats import norm

from . import intervals
from .answers import Answers
from .draws import NO_DRAW, ends, generator
from .logistic import expit, fit_on, logit, no_fit
from .probability import moments
from .table import Sampling
from .tally import Tally
from .values import BoolArray, FloatArray, IntArray, Metric, absent, bounded, clean, measured, point, total

# From this variance on a sum of Bernoulli draws is taken as normal; under it, beyond this many rows, as Poisson.
NORMAL, MANY = 9.0, 2000


def width_bins(score: FloatArray, bins: int) -> IntArray:
    """The equal-width bin of each score: min(floor(score x bins), bins - 1), the product in float64."""
    return np.minimum(np.floor(score * bins).astype(np.int64), bins - 1)


def mass_bins(rows: IntArray, bins: int) -> IntArray:
    """The equal-mass bin of each distinct score, from the rows at each.

    A cut at rank ceil(k n / bins), k = 1 … bins - 1, moves up to the end of its tie group; coinciding cuts count once.
    """
    reached = np.cumsum(rows)
    n = int(reached[-1])
    ranks = np.array([-(-k * n // bins) for k in range(1, bins)], dtype=np.int64)
    cuts = np.unique(np.searchsorted(reached, ranks))
    return np.searchsorted(cuts, np.arange(len(rows)))


def _in_bins(code: IntArray, size: int, *values: FloatArray | IntArray) -> list[FloatArray]:
    """Sums of each of the values by bin: scores ascend, so each bin is one stretch."""
    edges = np.searchsorted(code, np.arange(size + 1))
    return [np.array([np.add.reduce(v[i:j]) for i, j in pairwise(edges)], dtype=np.float64) for v in values]


def _gaps(t: Tally, code: IntArray, size: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Weight, mean score and observed share of each bin; the latter two NaN where a bin is empty."""
    n, pos, sums = _in_bins(code, size, t.both, t.pos, t.both * t.score)
    with np.errstate(invalid="ignore", divide="ignore"):
        return n, np.where(n > 0, sums / n, np.nan), np.where(n > 0, pos / n, np.nan)


def ece(a: Answers, t: Tally, bins: int, sampling: Sampling) -> Metric:
    """Expected calibration error over equal-width bins.

    Marks: `expected_if_calibrated`, what chance alone gives; `p_calibrated`, how often scores that are true
    probabilities give as much (Bröcker and Smith 2007, Weather Forecast. 22:651).
    """
    code = width_bins(t.score, bins)
    at_pos, at_neg = t.pos * t.score, t.neg * t.score
    spread = at_pos + at_neg
    spread *= 1.0 - t.score
    pos, neg, up, down, variance = _in_bins(code, bins, t.pos, t.neg, at_pos, at_neg, spread)
    cells, sums = np.concatenate((pos, neg)), np.concatenate((up, down))
    n = total(cells)
    value = total(np.abs(up + down - pos)) / n
    expected = math.sqrt(2.0 / math.pi) * total(np.sqrt(variance)) / n
    rng = generator(sampling.seed, "calibrated", (bins,), cells if a.weight is not None else cells.astype(np.int64))
    p = _p_calibrated(t, code, (pos + neg, up + down, variance), value, rng, sampling.draws)
    drawn = _ece_clustered(a, t, bins, sampling) if a.group is not None else _ece_drawn(a, cells, sums, sampling)
    if not len(drawn):
        return point(value, NO_DRAW)
    low, high = ends(drawn, sampling.confidence)
    shift = float(np.add.reduce(drawn)) / len(drawn) - value
    low = 0.0 if p > 1.0 - sampling.confidence else max(0.0, low - 2.0 * shift)
    metric = measured(value, *bounded(value, low, high, 0.0, 1.0), "bootstrap_shifted" + a.suffix)
    metric["expected_if_calibrated"] = clean(expected)
    metric["p_calibrated"] = p
    return metric


def _p_calibrated(
    t: Tally, code: IntArray, of_bins: tuple[FloatArray, FloatArray, FloatArray], value: float,
    rng: np.random.Generator, draws: int,
) -> float:  # fmt: skip
    """Share of draws of y ~ Bernoulli(score) whose gap is at least the one observed.

    The sum of a bin's draws is taken as normal where its variance is at least 9, and drawn row by row under that (as
    Poisson beyond 2,000 rows). `of_bins`: rows, expected positives and their variance in each bin.
    """
    edges = np.searchsorted(code, np.arange(len(of_bins[0]) + 1))
    gap = np.zeros(draws)
    for b, (rows, mean, variance) in enumerate(zip(*of_bins, strict=True)):
        if rows <= 0:
            continue
        if variance >= NORMAL or t.pos.dtype.kind != "i":
            drawn: FloatArray | IntArray = rng.normal(mean, math.sqrt(variance), size=draws)
        elif rows <= MANY:
            at = slice(edges[b], edges[b + 1])
            drawn = rng.binomial(t.both[at], t.score[at], size=(draws, edges[b + 1] - edges[b])).sum(axis=1)
        else:
            drawn = rng.poisson(mean, size=draws)
        gap += np.abs(drawn - mean) / t.rows
    return float(np.count_nonzero(gap >= value - 1e-12)) / draws


def _ece_drawn(a: Answers, cells: FloatArray, sums: FloatArray, sampling: Sampling) -> FloatArray:
    """The gap over redrawn counts by bin and class, each cell at its mean score."""
    mean = np.divide(sums, cells, out=np.zeros_like(sums), where=cells > 0)
    counted = cells if a.weight is not None else cells.astype(np.int64)
    rng = generator(sampling.seed, "ece", cells.shape, counted)
    n = max(1, round(_effective(a, float(cells.sum()))))
    drawn = rng.multinomial(n, cells / cells.sum(), size=sampling.draws)
    bins = len(cells) // 2
    pos, neg = drawn[:, :bins], drawn[:, bins:]
    return np.asarray(np.add.reduce(np.abs(pos * mean[:bins] + neg * mean[bins:] - pos), axis=1) / n)


def _effective(a: Answers, n: float) -> float:
    b = a.with_answer
    if b.weight is None:
        return n
    return float(np.add.reduce(b.weight)) ** 2 / float(np.add.reduce(b.weight**2))


def _ece_clustered(a: Answers, t: Tally, bins: int, sampling: Sampling) -> FloatArray:
    b = a.with_answer
    assert b.group is not None
    _, group = np.unique(b.group, return_inverse=True)
    groups = int(group.max()) + 1
    score, positive = confidence_of(a)
    code = width_bins(score, bins)
    weight = np.ones(len(score)) if b.weight is None else b.weight
    rng = generator(sampling.seed, "ece clusters", (groups, bins), np.concatenate((t.pos, t.neg)))
    out = np.full(sampling.draws, np.nan)
    for i in range(sampling.draws):
        w = np.bincount(rng.integers(0, groups, groups), minlength=groups)[group] * weight
        gap = np.bincount(code, weights=w * (score - positive), minlength=bins)
        if w.any():
            out[i] = float(np.add.reduce(np.abs(gap))) / float(np.add.reduce(w))
    return np.asarray(out[np.isfinite(out)])


def confidence_of(a: Answers) -> tuple[FloatArray, BoolArray]:
    """What calibration is judged on: the score and whether positive; with more classes the largest probability and
    whether it was right."""
    b = a.with_answer
    if b.score is not None:
        return b.score, b.is_positive
    assert b.probabilities is not None
    assert b.predicted is not None
    return b.probabilities.max(axis=1), b.predicted == b.actual


def mce(t: Tally, rows: IntArray, bins: int) -> Metric:
    """The largest gap between mean score and observed share over the equal-mass bins."""
    code = mass_bins(rows, bins)
    n, mean, share = _gaps(t, code, int(code[-1]) + 1)
    at = n > 0
    return point(float(np.abs(mean - share)[at].max()), "the largest of several gaps has no interval")


def rows_at(a: Answers, t: Tally) -> IntArray:
    """Rows (not weights) at each distinct score."""
    if a.weight is None:
        return np.asarray(t.both)
    return np.bincount(a.place, minlength=len(t.score)).astype(np.int64)


def isotonic(t: Tally) -> tuple[IntArray, FloatArray, FloatArray]:
    """Least-squares monotone fit of actual on score: first index of each block, its weight and its observed share.

    Pool adjacent violators, ties pooled first; neighbouring blocks of one share are one block.
    """
    n = t.both.astype(np.float64)
    keep = n > 0
    fit = isotonic_regression(t.pos[keep] / n[keep], weights=n[keep])
    first = np.flatnonzero(keep)[np.asarray(fit.blocks[:-1], dtype=np.int64)]
    weight, pos = np.add.reduceat(n, first), np.add.reduceat(t.pos, first).astype(np.float64)
    share = pos / weight
    new = np.concatenate(([True], share[1:] != share[:-1]))
    start = np.flatnonzero(new)
    weight, pos = np.add.reduceat(weight, start), np.add.reduceat(pos, start)
    return first[start], weight, pos / weight


def block(a: Answers, t: Tally, bins: int, sampling: Sampling) -> dict[str, Any]:
    """Everything a reliability diagram draws, the parts of the Brier score, and Spiegelhalter's test."""
    rows = rows_at(a, t)
    n = float(t.rows)
    first, weight, share = isotonic(t)
    last = np.append(first[1:] - 1, len(t.score) - 1)
    m = moments(a, "brier")
    p = t.positives / n
    fitted = total(weight * share * (1 - share)) / n
    return {
        "equal_width": _bins(a, t, rows, width_bins(t.score, bins), np.linspace(0.0, 1.0, bins + 1), sampling),
        "equal_mass": _bins(a, t, rows, mass_bins(rows, bins), None, sampling),
        "isotonic": {"from": t.score[first].tolist(), "to": t.score[last].tolist(), "observed": share.tolist()},
        "parts": {
            "miscalibration": clean(m.mean - fitted) if m else 0.0,
            "discrimination": clean(p * (1 - p) - fitted),
            "uncertainty": clean(p * (1 - p)),
        },
        "spiegelhalter": spiegelhalter(t),
    }


def _bins(
    a: Answers, t: Tally, rows: IntArray, code: IntArray, edges: FloatArray | None, sampling: Sampling
) -> dict[str, list[Any]]:
    size = len(edges) - 1 if edges is not None else int(code[-1]) + 1
    _, mean, share = _gaps(t, code, size)
    count = np.bincount(code, weights=rows, minlength=size).astype(np.int64)
    out: dict[str, list[Any]] = {
        k: [] for k in ("low_edge", "high_edge", "rows", "mean_score", "observed", "low", "high")
    }
    n = float(count.sum())
    effective = _effective(a, n) / n if n else 1.0
    for i in range(size):
        at = np.flatnonzero(code == i)
        out["low_edge"].append(float(edges[i]) if edges is not None else float(t.score[at[0]]))
        out["high_edge"].append(float(edges[i + 1]) if edges is not None else float(t.score[at[-1]]))
        out["rows"].append(int(count[i]))
        if not np.isfinite(mean[i]):
            for name in ("mean_score", "observed", "low", "high"):
                out[name].append(None)
            continue
        low, high = intervals.wilson_share(float(share[i]), effective * int(count[i]), sampling.confidence)
        for name, x in (("mean_score", mean[i]), ("observed", share[i]), ("low", low), ("high", high)):
            out[name].append(clean(x))
    return out


def spiegelhalter(t: Tally) -> dict[str, Any]:
    """Test that the scores are true probabilities (Spiegelhalter 1986, Stat. Med. 5:421)."""
    s = t.score
    gap = total(t.pos * (1 - s) * (1 - 2 * s) - t.neg * s * (1 - 2 * s))
    variance = total(t.both * (1 - 2 * s) ** 2 * s * (1 - s))
    if variance <= 0:
        return {"z": None, "p": None, "why": "the scores leave no room for chance"}
    z = gap / math.sqrt(variance)
    return {"z": clean(z), "p": min(1.0, 2.0 * float(norm.sf(abs(z))))}


def fit_metrics(a: Answers, t: Tally, confidence: float) -> dict[str, Metric]:
    """calibration_intercept (slope fixed at 1) and calibration_slope, with Wald intervals."""
    why = no_fit(t)
    if why:
        return {"calibration_intercept": absent(why), "calibration_slope": absent(why)}
    out: dict[str, Metric] = {}
    x = logit(t.score)
    for name, fixed in (("calibration_intercept", True), ("calibration_slope", False)):
        try:
            beta, information = fit_on(t, x, np.array([True, not fixed]))
            variance = _fit_variance(a, x, beta, information, fixed)
        except (ValueError, np.linalg.LinAlgError):
            out[name] = absent("the logistic fit does not converge")
            continue
        value = float(beta[-1])
        half = intervals.z_value(confidence) * math.sqrt(variance)
        out[name] = measured(value, value - half, value + half, "wald" + a.suffix)
    return out


def _fit_variance(a: Answers, x: FloatArray, beta: FloatArray, information: FloatArray, fixed: bool) -> float:
    inverse = np.linalg.inv(information)
    if not a.designed:
        return float(inverse[-1, -1])
    b = a.with_answer
    eta = x + beta[0] if fixed else beta[0] + beta[1] * x
    gap = b.is_positive - (expit(eta))[a.place]
    design = np.ones((1, len(gap))) if fixed else np.stack((np.ones(len(gap)), x[a.place]))
    part = design * gap * (1.0 if b.weight is None else b.weight)
    if b.group is not None:
        _, code = np.unique(b.group, return_inverse=True)
        part = np.stack([np.bincount(code, weights=row) for row in part])
    meat = np.array([[total(p * q) for q in part] for p in part])
    sandwich = [
        sum(inverse[-1, i] * meat[i, j] * inverse[j, -1] for j in range(len(part))) for i in range(len(part))
    ]  # fmt: skip
    return float(sum(sandwich))
