"""Thinning of drawn curves: no dropped point lies further than the tolerance from the line that is drawn."""

from __future__ import annotations

import numpy as np

from .values import FloatArray, IntArray


def keep(x: FloatArray, y: FloatArray, tolerance: float = 1e-4) -> IntArray:
    """Indexes of the points to draw (Douglas and Peucker 1973), first and last always among them.

    x, y : float64, shape (n,). The distance is that to the drawn segment, in the units of the axes.
    """
    n = len(x)
    if n <= 2:
        return np.arange(n)
    kept = np.zeros(n, dtype=bool)
    kept[[0, n - 1]] = True
    spans = [(0, n - 1)]
    while spans:
        i, j = spans.pop()
        if j - i < 2:
            continue
        far = _distance(x[i + 1 : j], y[i + 1 : j], x[i], y[i], x[j], y[j])
        at = int(np.argmax(far))
        if far[at] > tolerance:
            m = i + 1 + at
            kept[m] = True
            spans += [(i, m), (m, j)]
    return np.flatnonzero(kept)


def _distance(x: FloatArray, y: FloatArray, x0: float, y0: float, x1: float, y1: float) -> FloatArray:
    dx, dy = x1 - x0, y1 - y0
    length = dx * dx + dy * dy
    if length == 0.0:
        return np.hypot(x - x0, y - y0)
    along = np.clip(((x - x0) * dx + (y - y0) * dy) / length, 0.0, 1.0)
    return np.hypot(x - x0 - along * dx, y - y0 - along * dy)
