"""Closed-form intervals. Each takes counts or an estimate with its standard error and returns (low, high)."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from typing import Any, TypeVar

import numpy as np
import scipy

from ..number import FloatArray, bounded

Number = TypeVar("Number", float, FloatArray)
Interval = tuple[float, float]
Intervals = tuple[FloatArray, FloatArray]


@lru_cache(maxsize=256)
def z_value(confidence: float) -> float:
    """Two-sided standard normal quantile.

    Examples
    --------
    >>> round(z_value(0.95), 6)
    1.959964
    """
    if not 0.0 < confidence < 1.0:
        raise ValueError(f"confidence {confidence} is not between 0 and 1")
    return -float(scipy.special.ndtri((1.0 - confidence) / 2.0))


def wilson(k: float, n: float, confidence: float) -> Interval:
    """Score interval of a proportion k/n (Wilson 1927, J. Am. Stat. Assoc. 22:209).

    Exactly 0 low at k = 0 and exactly 1 high at k = n. `n` may be an effective number of rows.

    Examples
    --------
    Newcombe (1998, Stat. Med. 17:857, table I): 81 of 263 gives 0.2553 to 0.3662.

    >>> [round(end, 4) for end in wilson(81, 263, 0.95)]
    [0.2553, 0.3662]
    """
    if n <= 0:
        raise ValueError("a proportion needs a denominator above 0")
    return wilson_share(k / n, n, confidence)


def wilson_share(p: float, n: float, confidence: float) -> Interval:
    """Wilson's interval of a share p that rests on n rows; with weights or groups an effective number of them."""
    p = float(p)
    low, high = _score_ends(p, max(0.0, p * (1.0 - p)), float(n), z_value(confidence), math.sqrt)
    return 0.0 if p <= 0 else max(0.0, min(low, p)), 1.0 if p >= 1 else min(1.0, max(high, p))


def wilson_shares(p: FloatArray, n: FloatArray, confidence: float) -> Intervals:
    """The same of many shares at once, shape (m,)."""
    return wilson_at(p, n, z_value(confidence))


def wilson_at(p: FloatArray, n: FloatArray, z: float) -> Intervals:
    """The same so many standard errors away."""
    low, high = _score_ends(p, np.maximum(p * (1.0 - p), 0.0), n, z, np.sqrt)
    low, high = np.where(p <= 0, 0.0, low), np.where(p >= 1, 1.0, high)
    return np.maximum(0.0, np.minimum(low, p)), np.minimum(1.0, np.maximum(high, p))


def _score_ends(p: Number, variance: Number, n: Number, z: float, root: Callable[[Any], Any]) -> tuple[Number, Number]:
    """Where a share of n rows stands z standard errors from p, each with the variance that it would have itself."""
    middle = p + z * z / (2.0 * n)
    half = z * root(variance / n + z * z / (4.0 * n * n))
    scale = 1.0 + z * z / n
    return (middle - half) / scale, (middle + half) / scale


def _sides(a: float, ci_a: Interval, b: float, ci_b: Interval) -> tuple[FloatArray, Intervals, FloatArray, Intervals]:
    first, low_a, high_a, second, low_b, high_b = np.array([a, *ci_a, b, *ci_b])
    return first, (low_a, high_a), second, (low_b, high_b)


def hybrid_sum(a: float, ci_a: Interval, b: float, ci_b: Interval) -> Interval:
    """Interval of a + b from two independent estimates' intervals (Zou and Donner 2008, Stat. Med. 27:1693)."""
    low, high = hybrid_sums(*_sides(a, ci_a, b, ci_b))
    return float(low), float(high)


def hybrid_sums(a: FloatArray, ci_a: Intervals, b: FloatArray, ci_b: Intervals) -> Intervals:
    """The same of many sums at once, shape (m,)."""
    return (
        a + b - np.hypot(a - ci_a[0], b - ci_b[0]),
        a + b + np.hypot(ci_a[1] - a, ci_b[1] - b),
    )


def hybrid_difference(a: float, ci_a: Interval, b: float, ci_b: Interval) -> Interval:
    """Interval of a - b, independent estimates (Newcombe 1998, Stat. Med. 17:873, method 10).

    Examples
    --------
    Newcombe (1998), table II(a): 56/70 against 48/80 gives 0.0524 to 0.3339.

    >>> ci = hybrid_difference(56 / 70, wilson(56, 70, 0.95), 48 / 80, wilson(48, 80, 0.95))
    >>> [round(end, 4) for end in ci]
    [0.0524, 0.3339]
    """
    low, high = hybrid_differences(*_sides(a, ci_a, b, ci_b))
    return float(low), float(high)


def hybrid_differences(a: FloatArray, ci_a: Intervals, b: FloatArray, ci_b: Intervals) -> Intervals:
    """The same of many differences at once, shape (m,)."""
    low = a - b - np.hypot(a - ci_a[0], ci_b[1] - b)
    high = a - b + np.hypot(ci_a[1] - a, b - ci_b[0])
    return np.maximum(low, -1.0), np.minimum(high, 1.0)


def logit_interval(value: float, se: float, z: float) -> Interval:
    """Wald interval on the logit scale at a normal quantile z, carried back: stays inside (0, 1).

    Raises ValueError at 0 and 1, where the scale has no end.
    """
    if not 0.0 < value < 1.0:
        raise ValueError("the logit of 0 or 1 does not exist")
    centre = math.log(value) - math.log1p(-value)
    half = z * se / (value * (1.0 - value))
    return expit(centre - half), expit(centre + half)


def expit(x: float) -> float:
    """1 / (1 + exp(-x)) without overflow."""
    if x >= 0:
        return 1.0 / (1.0 + math.exp(-min(x, 745.0)))
    e = math.exp(max(x, -745.0))
    return e / (1.0 + e)


def newcombe_area(area: float, positives: float, negatives: float, z: float) -> Interval:
    """Score-like interval of the area under a ROC curve (Newcombe 2006, Stat. Med. 25:559, method 5).

    Both ends solve |area - t| = z sqrt(V(t)) with Hanley and McNeil's V and (P + N)/2 - 1 in both places.
    """
    half = (positives + negatives) / 2.0 - 1.0

    def gap(t: float) -> float:
        v = t * (1.0 - t) * (1.0 + half * ((1.0 - t) / (2.0 - t) + t / (1.0 + t))) / (positives * negatives)
        return (area - t) ** 2 - z * z * v

    # At an area of 0 or 1 the bound itself solves the equation too; the end that is sought lies inside.
    inside = min(max(area, 1e-12), 1.0 - 1e-12)
    low = 0.0 if area <= 0.0 else float(scipy.optimize.brentq(gap, 0.0, inside, xtol=1e-15, rtol=1e-14))
    high = 1.0 if area >= 1.0 else float(scipy.optimize.brentq(gap, inside, 1.0, xtol=1e-15, rtol=1e-14))
    return bounded(area, low, high, 0.0, 1.0)


def hall_mean(mean: float, se: float, skewness: float, n: float, z: float) -> Interval:
    """Skewness-corrected interval of a mean (Hall 1992, J. R. Stat. Soc. B 54:221).

    The studentised mean is carried to near normality by a monotone cubic, whose inverse gives the ends. `se` and
    `skewness` are from moments with divisor n.
    """
    if se <= 0 or n < 2:
        raise ValueError("needs rows that vary")
    root = math.sqrt(n)

    def undo(x: float) -> float:
        if abs(skewness) < 1e-12:
            return x
        inner = 1.0 + skewness * (x / root - skewness / (6.0 * n))
        return 3.0 * root / skewness * (math.copysign(abs(inner) ** (1.0 / 3.0), inner) - 1.0)

    return mean - se * undo(z), mean - se * undo(-z)
