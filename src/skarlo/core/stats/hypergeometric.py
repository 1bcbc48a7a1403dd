"""Tails of the hypergeometric distribution, of many tables at once.

The probability of a table is that of Stirling's series with its error terms kept apart, so that nothing large is
subtracted (Loader 2000, Fast and accurate computation of binomial probabilities); a tail is summed by the ratios of
neighbours. A library that factors into primes takes a thousand times as long on tables of some ten thousand rows.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import scipy

from ..number import FloatArray, IntArray

SERIES = 16  # from which on Stirling's series is exact to the last bits
CLOSE = 0.1  # how near a count and what is expected stand where the difference of their logarithms is a series
STEP = 64  # terms of a tail that are summed at once
WIDE = 64  # tails from which on their terms are multiplied side by side
NEGLIGIBLE = 1e-18


def _remainder(n: FloatArray) -> FloatArray:
    """log n! less n log n - n."""
    x = np.maximum(n, SERIES)
    square = x * x
    error = (1 / 12 - (1 / 360 - (1 / 1260 - (1 / 1680 - 1 / 1188 / square) / square) / square) / square) / x
    few = scipy.special.gammaln(n + 1) - scipy.special.xlogy(n, n) + n
    return np.asarray(np.where(n >= SERIES, 0.5 * np.log(2 * np.pi * x) + error, few))


def _deviance(x: FloatArray, e: FloatArray, gap: FloatArray) -> FloatArray:
    """x log(x / e) - x + e, where gap = x - e."""
    v = np.divide(gap, x + e, out=np.zeros_like(gap), where=x + e > 0)
    square, series = v * v, np.zeros_like(v)
    for k in range(17, 1, -2):
        series = square * (1 / k + series)
    far = scipy.special.xlogy(x, np.divide(x, e, out=np.ones_like(x), where=e > 0)) - gap
    return np.where(np.abs(v) < CLOSE, gap * v + 2 * x * v * series, far)


def log_probability(k: IntArray, drawn: IntArray, marked: IntArray, rows: IntArray) -> FloatArray:
    """Of k marked among those drawn, shape (m,) each."""
    others, unmarked = rows - drawn, rows - marked
    cells = np.stack([k, drawn - k, marked - k, others - marked + k]).astype(np.float64)
    margins = np.stack([drawn, others, marked, unmarked]).astype(np.float64)
    n = np.maximum(rows, 1).astype(np.float64)  # of no rows there is one table
    expected = np.stack([margins[i] * margins[j] for i in (0, 1) for j in (2, 3)]) / n
    off = (k * rows - drawn * marked) / n
    gaps = np.stack([off, -off, -off, off])
    small = _remainder(margins).sum(axis=0) - _remainder(rows.astype(np.float64)) - _remainder(cells).sum(axis=0)
    return np.asarray(small - _deviance(cells, expected, gaps).sum(axis=0))


def mid_tail(k: IntArray, drawn: IntArray, marked: IntArray, rows: IntArray) -> FloatArray:
    """Half the probability of k marked among those drawn and all of that of fewer, shape (m,) each; all int64."""
    out = np.exp(log_probability(k, drawn, marked, rows))
    summed, term, lowest = np.full(len(k), 0.5), np.ones(len(k)), np.maximum(0, drawn + marked - rows)
    left, at = np.flatnonzero(k > lowest), k.astype(np.float64)
    a, b, c = (y.astype(np.float64) for y in (drawn + 1, marked + 1, rows - drawn - marked))
    steps = np.arange(float(STEP))[:, None]
    while left.size:
        here, low = at[left], lowest[left]
        x = here - steps
        terms, below = c[left] + x, a[left] - x
        terms *= x
        below *= b[left] - x
        terms /= below
        if (here - STEP < low).any():
            terms[x <= low] = 0.0
        terms[0] *= term[left]
        _multiplied_up(terms)
        sums = summed[left] + np.add.reduce(terms, axis=0)
        summed[left], term[left], at[left] = sums, terms[-1], here - STEP
        left = left[terms[-1] > NEGLIGIBLE * sums]
    return np.asarray(out * summed)


def _multiplied_up(x: FloatArray) -> None:
    """Products of the rows up to each, in place; the library's own goes down one column after the other."""
    if x.shape[1] < WIDE:
        np.cumprod(x, axis=0, out=x)
        return
    for above, row in pairwise(x):
        np.multiply(row, above, out=row)


def mid_p(k: IntArray, drawn: IntArray, marked: IntArray, rows: IntArray) -> FloatArray:
    """Twice the smaller of the two mid tails, at most 1, shape (m,) each.

    Examples
    --------
    All three marked of six rows are among the three drawn: the tail is half of 1/20.

    >>> three = np.array([3])
    >>> mid_p(three, three, three, 2 * three).round(12).tolist()
    [0.05]
    """
    above = k * rows > drawn * marked  # the tail away from what is expected is that of the unmarked rows
    tail = mid_tail(np.where(above, drawn - k, k), drawn, np.where(above, rows - marked, marked), rows)
    return np.asarray(np.minimum(1.0, 2.0 * np.minimum(tail, 1.0 - tail)))
