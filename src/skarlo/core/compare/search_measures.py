"""What slices are searched by, a rate or a loss, and the one-sided tests of a slice against the rest."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from ..number import BoolArray, FloatArray, IntArray, total
from ..stats import hypergeometric, intervals
from ..stats.intervals import Intervals

LEVEL = 1e-9  # skewness below which the losses of a slice are taken for normal


@dataclass(frozen=True)
class Rate:
    """A share: which rows it is over and which of these count, bool, shape (n,); whether less is worse; whether it is
    F1, which is a function of its share of TP among TP, FP and FN.

    weight : of each row, None where all weigh the same; design : how many rows one effective row stands for, above 1
    where rows belong together. With either the test is approximate: a normal one, on effective rows
    """

    over: BoolArray
    hit: BoolArray
    low_is_worse: bool
    f1: bool = False
    weight: FloatArray | None = None
    design: float = 1.0

    @property
    def plain(self) -> bool:
        """Whether rows count one each, so that the test is exact."""
        return self.weight is None and self.design == 1.0


@dataclass(frozen=True)
class Loss:
    """A loss by row, shape (n,), NaN where a row has none; more is worse."""

    value: FloatArray


@dataclass(frozen=True)
class Sums:
    """Of slices, shape (m,): rows, rows that the measure is over, their weight, that of those that count (or the sum of
    losses), and the sum of the squares of the weights (or of losses)."""

    rows: FloatArray
    count: FloatArray
    over: FloatArray
    hit: FloatArray
    square: FloatArray

    @property
    def all(self) -> tuple[FloatArray, ...]:
        """Each of them."""
        return self.rows, self.count, self.over, self.hit, self.square

    def at(self, which: IntArray | BoolArray) -> Sums:
        """Those of some slices."""
        return Sums(*(x[which] for x in self.all))

    def less(self, other: Sums) -> Sums:
        """The rest."""
        return Sums(*(x - y for x, y in zip(self.all, other.all, strict=True)))


def measure_p(measure: Rate | Loss, s: Sums, whole: Sums, losses: FloatArray) -> FloatArray:
    """One-sided p of each slice, that it is no worse than the rest."""
    if isinstance(measure, Loss):
        return loss_p(s.hit / s.over, s.over, losses)
    if measure.plain:
        return rate_p(s.hit, s.over, float(whole.hit[0]), float(whole.over[0]), measure.low_is_worse)
    rest = whole.less(s)
    r = whole.hit[0] / whole.over[0]
    spread = np.sqrt(r * (1 - r) * (1 / _effective(measure, s) + 1 / _effective(measure, rest)))
    with np.errstate(divide="ignore", invalid="ignore"):
        z = np.nan_to_num((s.hit / s.over - rest.hit / rest.over) / spread)
    return np.asarray(scipy.special.ndtr(z if measure.low_is_worse else -z))


def _effective(measure: Rate, s: Sums) -> FloatArray:
    """How many rows of one weight, each on its own, say as much."""
    return np.asarray(s.over * s.over / s.square / measure.design)


def rate_p(hit: FloatArray, over: FloatArray, hits: float, overs: float, low_is_worse: bool) -> FloatArray:
    """The exact hypergeometric tail P(X <= k), or P(X >= k) where high is worse; shape (m,).

    Examples
    --------
    All three that count of six are outside a slice of three: one way of twenty.

    >>> rate_p(np.array([0.0]), np.array([3.0]), 3, 6, True).round(12).tolist()
    [0.05]
    """
    k, drawn = hit.astype(np.int64), over.astype(np.int64)
    marked, rows = np.full(len(k), int(hits)), np.full(len(k), int(overs))
    if not low_is_worse:  # as many that count as those that do not at most
        k, marked = drawn - k, rows - marked
    above = k * rows > drawn * marked  # the tail away from what is expected is summed
    mid = hypergeometric.mid_tail(
        np.where(above, drawn - k, k), drawn, np.where(above, rows - marked, marked), rows
    )  # fmt: skip
    half = 0.5 * np.exp(hypergeometric.log_probability(k, drawn, marked, rows))
    return np.asarray(np.clip(np.where(above, 1.0 - mid + half, mid + half), 0.0, 1.0))


def loss_p(mean: FloatArray, rows: FloatArray, losses: FloatArray) -> FloatArray:
    """The upper tail of a slice's mean loss among all slices of as many rows, by a Pearson type III curve (Mielke and
    Berry 2007, Permutation Methods); shape (m,).

    Examples
    --------
    >>> losses = np.array([0.1, 0.2, 0.9, 0.05, 0.4, 0.3, 0.02, 0.7, 0.15, 0.25])
    >>> round(float(loss_p(np.array([2.0 / 3]), np.array([3.0]), losses)[0]), 6)
    0.008993
    """
    n = len(losses)
    mu = total(losses) / n
    off = losses - mu
    variance = total(off * off) / (n - 1) if n > 1 else 0.0
    if variance <= 0:
        return np.ones(len(mean))
    skew = (total(off**3) / n) / (total(off * off) / n) ** 1.5
    f = rows / n
    with np.errstate(divide="ignore", invalid="ignore"):
        x = (mean - mu) / np.sqrt(variance * (1 - f) / rows)
        g = skew * (1 - 2 * f) / np.sqrt(rows * (1 - f))
        shape = 4.0 / (g * g)
        at = shape + x * np.sqrt(shape)
        back = shape - x * np.sqrt(shape)
        up = np.where(at > 0, scipy.special.gammaincc(shape, np.maximum(at, 0.0)), 1.0)
        down = np.where(back > 0, scipy.special.gammainc(shape, np.maximum(back, 0.0)), 0.0)
    return np.asarray(np.where(np.abs(g) < LEVEL, scipy.special.ndtr(-x), np.where(g > 0, up, down)))


def benjamini_hochberg(p: FloatArray) -> FloatArray:
    """p-values adjusted for the share of false ones among those found; ties in order; shape (m,).

    Examples
    --------
    >>> benjamini_hochberg(np.array([0.01, 0.04, 0.03, 0.005])).tolist()
    [0.02, 0.04, 0.04, 0.02]
    """
    m = len(p)
    order = np.argsort(p, kind="stable")
    steps = p[order] * m / np.arange(1, m + 1)
    out = np.empty(m)
    out[order] = np.minimum(1.0, np.minimum.accumulate(steps[::-1])[::-1])
    return out


def effects(measure: Rate | Loss, s: Sums, whole: Sums, confidence: float) -> tuple[FloatArray, Intervals]:
    """The slice less the rest, with its interval: the hybrid of the two own ones."""
    rest = whole.less(s)
    a, b = s.hit / s.over, rest.hit / rest.over
    if isinstance(measure, Rate):
        one, two = (
            intervals.wilson_shares(x, _effective(measure, of), confidence) for x, of in ((a, s), (b, rest))
        )  # fmt: skip
        if measure.f1:
            a, b, one, two = _f1(a), _f1(b), (_f1(one[0]), _f1(one[1])), (_f1(two[0]), _f1(two[1]))
        return a - b, intervals.hybrid_differences(a, one, b, two)
    z = intervals.z_value(confidence)
    halves = []
    for mean, of in ((a, s), (b, rest)):
        variance = np.maximum(0.0, of.square - of.over * mean * mean) / np.maximum(1.0, of.over - 1)
        halves.append(z * np.sqrt(variance / of.over))
    reach = np.hypot(*halves)
    return a - b, (a - b - reach, a - b + reach)


def _f1(share: FloatArray) -> FloatArray:
    return np.asarray(2 * share / (1 + share))


def between(
    measure: Rate | Loss, some: BoolArray, others: BoolArray, confidence: float
) -> tuple[float, float, float, float, int]:
    """Some rows against others: one-sided p that they are no worse (1 where a side is empty), the difference, its
    interval, and the rows that the measure is over among the first."""
    one, two = (_sums_of(measure, x) for x in (some, others))
    if not one.count[0] or not two.count[0]:
        return 1.0, math.nan, math.nan, math.nan, int(one.count[0])
    whole = Sums(*(x + y for x, y in zip(one.all, two.all, strict=True)))
    losses = np.zeros(0)
    if isinstance(measure, Loss):
        value = measure.value[some | others]
        losses = value[~np.isnan(value)]
    p = measure_p(measure, one, whole, losses)
    difference, (low, high) = effects(measure, one, whole, confidence)
    return float(p[0]), float(difference[0]), float(low[0]), float(high[0]), int(one.count[0])


def _sums_of(measure: Rate | Loss, rows: BoolArray) -> Sums:
    if isinstance(measure, Loss):
        value = measure.value[rows]
        value = value[~np.isnan(value)]
        told = [float(len(value)), float(len(value)), total(value), total(value * value)]
    else:
        over = rows & measure.over
        weight = np.ones(len(rows)) if measure.weight is None else measure.weight
        mine, count = weight[over], int(np.count_nonzero(over))
        told = [float(count), total(mine), total(weight[over & measure.hit]), total(mine * mine)]
    return Sums(*(np.array([x]) for x in [float(np.count_nonzero(rows)), *told]))
