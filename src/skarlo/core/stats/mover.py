"""Intervals of differences and means from the intervals of their parts, and tests by inverting them.

Zou and Donner 2008, Stat. Med. 27:1693; Zou 2007, Psychol. Methods 12:399.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
import scipy

from ..number import FloatArray, total
from .intervals import Interval, Intervals

FARTHEST, HALVINGS = 38.0, 100  # beyond this z no normal tail is told from 0


def mover(
    a: float, ends_a: Interval, b: float, ends_b: Interval, rho: float = 0.0, limits: Interval = (-1.0, 1.0)
) -> Interval:  # fmt: skip
    """Interval of a - b from the intervals of both, which are correlated by rho, cut to the range of the difference.

    Examples
    --------
    Two areas, 0.70 and 0.85, with standard errors 0.06 and 0.02 on the logit scale's intervals, independent:

    >>> from skarlo.core.stats.intervals import logit_interval, z_value
    >>> z = z_value(0.95)
    >>> ends = mover(0.70, logit_interval(0.70, 0.06, z), 0.85, logit_interval(0.85, 0.02, z))
    >>> [round(x, 4) for x in ends]
    [-0.2834, -0.0379]
    """
    down_a, up_a = max(0.0, a - ends_a[0]), max(0.0, ends_a[1] - a)
    down_b, up_b = max(0.0, b - ends_b[0]), max(0.0, ends_b[1] - b)
    low = a - b - math.sqrt(max(0.0, down_a**2 - 2 * rho * down_a * up_b + up_b**2))
    high = a - b + math.sqrt(max(0.0, up_a**2 - 2 * rho * up_a * down_b + down_b**2))
    return max(limits[0], low), min(limits[1], high)


def movers(a: FloatArray, ends_a: Intervals, b: FloatArray, ends_b: Intervals, limits: Interval) -> Intervals:
    """The same of many independent ones at once, shape (m,)."""
    down_a, up_a = np.maximum(0.0, a - ends_a[0]), np.maximum(0.0, ends_a[1] - a)
    down_b, up_b = np.maximum(0.0, b - ends_b[0]), np.maximum(0.0, ends_b[1] - b)
    low, high = a - b - np.sqrt(down_a**2 + up_b**2), a - b + np.sqrt(up_a**2 + down_b**2)
    return np.maximum(limits[0], low), np.minimum(limits[1], high)


def mover_mean(
    values: Sequence[float], ends: Sequence[Interval], rho: FloatArray | None = None, signs: Sequence[float] = (),
    parts: int = 0, limits: Interval = (-1.0, 1.0),
) -> Interval:  # fmt: skip
    """Interval of a mean of parts, each with its own interval.

    Parameters
    ----------
    rho : the parts' correlations, shape (M, M); independent if left out
    signs : +1 or -1 for each part; all +1 if left out
    parts : what the sum is divided by; the number of parts if left out
    """
    sign = np.ones(len(values)) if not signs else np.asarray(signs, dtype=np.float64)
    x, (low, high) = np.asarray(values, dtype=np.float64), np.asarray(ends, dtype=np.float64).T
    down, up = np.maximum(0.0, x - low), np.maximum(0.0, high - x)
    of = parts or len(values)
    mean = total(sign * x) / of
    correlated = np.eye(len(values)) if rho is None else rho
    correlated = correlated * sign[:, None] * sign[None, :]
    reach = []
    for t in (np.where(sign > 0, down, up), np.where(sign > 0, up, down)):
        reach.append(math.sqrt(max(0.0, float(t @ correlated @ t))) / of)
    return max(limits[0], mean - reach[0]), min(limits[1], mean + reach[1])


def p_by_inversion(difference: float, ends: Callable[[float], Interval]) -> float:
    """Two-sided p: of the z at which the interval's end that faces 0 is 0.

    ends : the interval by z
    """
    if difference == 0:
        return 1.0
    side, sign = (0, 1.0) if difference > 0 else (1, -1.0)
    near, far = 0.0, FARTHEST
    for _ in range(HALVINGS):
        middle = (near + far) / 2
        if sign * ends(middle)[side] > 0:
            near = middle
        else:
            far = middle
    return min(1.0, 2.0 * float(scipy.special.ndtr(-near)))


def correlation(covariance: float, first: float, second: float) -> float:
    """A correlation from a covariance and two variances, within [-1, 1]; 0 where a variance is 0."""
    if first <= 0 or second <= 0:
        return 0.0
    return min(1.0, max(-1.0, covariance / math.sqrt(first) / math.sqrt(second)))
