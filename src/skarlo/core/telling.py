"""How strongly one field alone tells the classes apart."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from . import ranking, tally
from .values import BoolArray, FloatArray, IntArray, total

BINS = 16


@dataclass(frozen=True)
class Told:
    """What a field tells of the class.

    bits : mutual information with the class, corrected for its bias
    share : of the bits there are to tell (the entropy of the class)
    """

    bits: float
    share: float


def entropy(counts: FloatArray | IntArray) -> float:
    """Entropy in bits of the shares of some counts (Shannon 1948).

    Examples
    --------
    >>> entropy(np.array([2, 2]))
    1.0
    """
    p = counts[counts > 0] / counts.sum()
    return max(0.0, -total(p * np.log2(p)))


def told(code: IntArray, values: int, actual: IntArray, classes: int) -> Told:
    """What a field with few values tells of the class.

    The plain estimate counts chance as knowledge, more so the more values there are; Miller and Madow's (1955) term
    takes that off.

    Parameters
    ----------
    code : int64, shape (n,), each row's value of 0 … values - 1
    actual : int64, shape (n,)

    Examples
    --------
    >>> told(np.array([0, 0, 1, 1]), 2, np.array([0, 0, 1, 1]), 2).share > 0.8
    True
    """
    table = np.bincount(code * classes + actual, minlength=values * classes).reshape(values, classes)
    n = int(table.sum())
    most = entropy(table.sum(axis=0)) if n else 0.0
    if most <= 0:
        return Told(0.0, 0.0)
    rows = table.sum(axis=1)
    plain = most - sum(int(r) / n * entropy(cells) for r, cells in zip(rows, table, strict=True) if r)
    cells, columns = int((table > 0).sum()), int((table.sum(axis=0) > 0).sum())
    bias = (cells - int((rows > 0).sum()) - columns + 1) / (2 * n * math.log(2))
    bits = min(max(0.0, plain - bias), most)
    return Told(bits, bits / most)


def binned(x: FloatArray, bins: int = BINS) -> tuple[IntArray, FloatArray]:
    """Codes of numbers by bins that hold about as many rows each, and the edges between them; gaps (NaN) come last."""
    known = x[~np.isnan(x)]
    few = known if len(known) <= 100_000 else known[:: -(-len(known) // 100_000)]
    edges = np.unique(np.quantile(few, np.arange(1, bins) / bins)) if len(few) else np.zeros(0)
    code = np.searchsorted(edges, x, side="right")
    return np.where(np.isnan(x), len(edges) + 1, code), edges


def area(x: FloatArray, positive: BoolArray) -> float | None:
    """The area of a number taken as a score, from one half up (whichever way it points); None without both classes."""
    at = ~np.isnan(x)
    t = tally.make(x[at], positive[at])
    if t.positives == 0 or t.negatives == 0:
        return None
    found = ranking.roc_area(t)
    return max(found, 1.0 - found)
