"""Of the rows given 0.7, did 70 % happen? Bins, gaps, the monotone fit, the logistic fit, a test."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from scipy.optimize import isotonic_regression
from scipy.special import expit
from scipy.stats import norm

from . import intervals
from .answers import Answers
from .draws import NO_DRAW, ends, generator
from .probability import CLIP, moments
from .table import Sampling
from .tally import BLOCK, Tally, coarse
from .values import BoolArray, FloatArray, IntArray, Metric, absent, bounded, clean, measured, point, total

# From this variance on a sum of Bernoulli draws is taken as normal; under it, beyond this many rows, as Poisson.
NORMAL, MANY = 9.0, 2000
COARSE = 4000  # scores of the smaller fit that a large one starts from


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


def _gaps(t: Tally, code: IntArray, size: int) -> tuple[FloatArray, FloatArray, FloatArray]:
    """Weight, mean score and observed share of each bin; the latter two NaN where a bin is empty."""
    both = t.both.astype(np.float64)
    n = np.bincount(code, weights=both, minlength=size)
    edges = np.searchsorted(code, np.arange(size + 1))  # scores ascend, so each bin is one stretch
    products = both * t.score
    sums = np.array([total(products[edges[i] : edges[i + 1]]) for i in range(size)])
    pos = np.bincount(code, weights=t.pos, minlength=size)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(n, dtype=np.float64), np.where(n > 0, sums / n, np.nan), np.where(n > 0, pos / n, np.nan)


def _ece_of(t: Tally, bins: int) -> float:
    n, mean, share = _gaps(t, width_bins(t.score, bins), bins)
    at = n > 0
    return total(n[at] / total(n) * np.abs(mean[at] - share[at]))


def ece(a: Answers, t: Tally, bins: int, sampling: Sampling) -> Metric:
    """Expected calibration error over equal-width bins.

    Marks: `expected_if_calibrated`, what chance alone gives; `p_calibrated`, how often scores that are true
    probabilities give as much (Bröcker and Smith 2007, Weather Forecast. 22:651).
    """
    value = _ece_of(t, bins)
    code = width_bins(t.score, bins)
    n = float(t.rows)
    spread = np.bincount(code, weights=t.both * t.score * (1 - t.score), minlength=bins)
    expected = math.sqrt(2.0 / math.pi) * total(np.sqrt(spread)) / n
    p = _p_calibrated(a, t, code, bins, value, sampling)
    drawn = _ece_drawn(a, t, code, bins, sampling)
    if not len(drawn):
        return point(value, NO_DRAW)
    low, high = ends(drawn, sampling.confidence)
    shift = float(np.add.reduce(drawn)) / len(drawn) - value
    low = 0.0 if p > 1.0 - sampling.confidence else max(0.0, low - 2.0 * shift)
    metric = measured(value, *bounded(value, low, high, 0.0, 1.0), "bootstrap_shifted" + a.suffix)
    metric["expected_if_calibrated"] = clean(expected)
    metric["p_calibrated"] = p
    return metric


def _p_calibrated(a: Answers, t: Tally, code: IntArray, bins: int, value: float, sampling: Sampling) -> float:
    """Share of draws of y ~ Bernoulli(score) whose gap is at least the one observed.

    The sum of a bin's draws is taken as normal where its variance is at least 9, and drawn row by row under that (as
    Poisson beyond 2,000 rows).
    """
    rng = generator(sampling.seed, "calibrated", (len(t.score), bins), np.concatenate((t.pos, t.neg)))
    gap = np.zeros(sampling.draws)
    whole = float(t.rows)
    for b in range(bins):
        at = code == b
        rows, score = t.both[at], t.score[at]
        if rows.sum() <= 0:
            continue
        mean, variance = total(rows * score), total(rows * score * (1 - score))
        if variance >= NORMAL or rows.dtype.kind != "i":
            drawn: FloatArray | IntArray = rng.normal(mean, math.sqrt(variance), size=sampling.draws)
        elif rows.sum() <= MANY:
            drawn = rng.binomial(rows, score, size=(sampling.draws, len(score))).sum(axis=1)
        else:
            drawn = rng.poisson(mean, size=sampling.draws)
        gap += np.abs(drawn - mean) / whole
    return float(np.count_nonzero(gap >= value - 1e-12)) / sampling.draws


def _ece_drawn(a: Answers, t: Tally, code: IntArray, bins: int, sampling: Sampling) -> FloatArray:
    """The gap over redrawn counts by bin and class, each cell at its mean score; with groups, over redrawn groups."""
    if a.group is not None:
        return _ece_clustered(a, t, bins, sampling)
    cells = np.concatenate((np.bincount(code, weights=t.pos, minlength=bins),
                            np.bincount(code, weights=t.neg, minlength=bins)))  # fmt: skip
    sums = np.concatenate((np.bincount(code, weights=t.pos * t.score, minlength=bins),
                           np.bincount(code, weights=t.neg * t.score, minlength=bins)))  # fmt: skip
    mean = np.divide(sums, cells, out=np.zeros_like(sums), where=cells > 0)
    rng = generator(sampling.seed, "ece", (len(t.score), bins), np.concatenate((t.pos, t.neg)))
    n = max(1, round(_effective(a, float(cells.sum()))))
    drawn = rng.multinomial(n, cells / cells.sum(), size=sampling.draws)
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


# The logistic fit of actual on logit(score).


def logit(score: FloatArray) -> FloatArray:
    """log p - log1p(-p) of the clipped double."""
    p = np.clip(score, CLIP, 1.0 - CLIP)
    return np.asarray(np.log(p) - np.log1p(-p))


def fit(t: Tally, fixed_slope: bool = False, fixed_intercept: bool = False) -> tuple[FloatArray, FloatArray]:
    """Maximum-likelihood logistic regression of actual on logit(score) by Newton with step halving.

    Returns the coefficients that are free (intercept, slope) and the information matrix. A fixed slope is 1, a fixed
    intercept 0.

    Raises
    ------
    ValueError
        When the gradient per row does not come below 1e-12.
    """
    x = logit(t.score)
    free = [*([] if fixed_intercept else [np.ones(len(x))]), *([] if fixed_slope else [x])]
    return _newton(t, np.stack(free), x if fixed_slope else np.zeros(len(x)))


def fit_ranking(t: Tally) -> FloatArray:
    """Intercept and slope of the same regression on the score itself, standardised for the fit (Platt 1999)."""
    n = t.both.astype(np.float64)
    middle = total(n * t.score) / total(n)
    spread = math.sqrt(total(n * (t.score - middle) ** 2) / total(n))
    x = (t.score - middle) / spread
    beta, _ = _newton(t, np.stack((np.ones(len(x)), x)), np.zeros(len(x)))
    slope = float(beta[1]) / spread
    return np.array([float(beta[0]) - slope * middle, slope])


def _newton(t: Tally, design: FloatArray, offset: FloatArray) -> tuple[FloatArray, FloatArray]:
    n, pos = t.both.astype(np.float64), t.pos.astype(np.float64)
    rows = total(n)

    def slope_at(b: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Gradient and information, block by block through the cache."""
        parts: list[FloatArray] = []
        for i in range(0, len(n), BLOCK):
            at = slice(i, i + BLOCK)
            x = design[:, at]
            p = expit(np.add.reduce(b[:, None] * x, axis=0) + offset[at])
            w = n[at] * p
            rest = pos[at] - w
            w *= 1.0 - p
            weighted = x * w
            parts.append(np.concatenate((
                np.add.reduce(x * rest, axis=1), *(np.add.reduce(x * row, axis=1) for row in weighted),
            )))  # fmt: skip
        whole = np.add.reduce(np.array(parts), axis=0)
        k = len(design)
        return whole[:k], whole[k:].reshape(k, k)

    def likelihood(b: FloatArray) -> float:
        e = np.asarray(np.add.reduce(b[:, None] * design, axis=0) + offset)
        return total(pos * e - n * np.logaddexp(0.0, e))

    beta = np.zeros(len(design)) if len(n) <= 4 * COARSE else _near(t, design, offset)
    gradient, information = slope_at(beta)
    for _ in range(200):
        if np.abs(gradient).max() / rows < 1e-12:
            return beta, information
        step = np.linalg.solve(information, gradient)
        after, there = slope_at(beta + step)
        if not np.abs(after).max() <= np.abs(gradient).max() / 2:  # far off: halve until the likelihood rises
            current = likelihood(beta)
            for _ in range(40):
                if likelihood(beta + step) >= current - 1e-13 * abs(current):
                    break
                step = step / 2
            after, there = slope_at(beta + step)
        beta, gradient, information = beta + step, after, there
    if np.abs(gradient).max() / rows < 1e-9:
        return beta, information
    raise ValueError("the fit does not converge")


def _near(t: Tally, design: FloatArray, offset: FloatArray) -> FloatArray:
    """A start close to the maximum: the fit to every so many-th score, which bears its neighbours' rows."""
    ends, pos, neg = coarse(t, COARSE)
    few = Tally(t.score[ends], pos, neg)
    try:
        return _newton(few, design[:, ends], offset[ends])[0]
    except (ValueError, np.linalg.LinAlgError):
        return np.zeros(len(design))


def no_fit(t: Tally) -> str | None:
    """Why there is no logistic fit, if there is none."""
    if len(t.score) == 1:
        return "every row has the same score"
    if t.positives == 0 or t.negatives == 0:
        return "a class has no rows"
    pos, neg = t.score[t.pos > 0], t.score[t.neg > 0]
    if pos.min() >= neg.max() or neg.min() >= pos.max():
        return "the scores separate the classes, so the likelihood has no maximum"
    return None


def fit_metrics(a: Answers, t: Tally, confidence: float) -> dict[str, Metric]:
    """calibration_intercept (slope fixed at 1) and calibration_slope, with Wald intervals."""
    why = no_fit(t)
    if why:
        return {"calibration_intercept": absent(why), "calibration_slope": absent(why)}
    out: dict[str, Metric] = {}
    for name, fixed in (("calibration_intercept", True), ("calibration_slope", False)):
        try:
            beta, information = fit(t, fixed)
            variance = _fit_variance(a, t, beta, information, fixed)
        except (ValueError, np.linalg.LinAlgError):
            out[name] = absent("the logistic fit does not converge")
            continue
        value = float(beta[-1])
        half = intervals.z_value(confidence) * math.sqrt(variance)
        out[name] = measured(value, value - half, value + half, "wald" + a.suffix)
    return out


def _fit_variance(a: Answers, t: Tally, beta: FloatArray, information: FloatArray, fixed: bool) -> float:
    inverse = np.linalg.inv(information)
    if not a.designed:
        return float(inverse[-1, -1])
    b = a.with_answer
    x = logit(t.score)
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
