"""How strongly one field alone tells the classes apart."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from ..number import FloatArray, IntArray, total

BINS = 16


@dataclass(frozen=True)
class Told:
    """What a field tells of the class.

    bits : mutual information with the class, less what chance gives
    share : of the class entropy, less the same
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


def contingency(code: IntArray, values: int, actual: IntArray, classes: int) -> IntArray:
    """Rows by a field's value and class, int64, shape (values, classes)."""
    return np.bincount(code * classes + actual, minlength=values * classes).reshape(values, classes)


def told(table: IntArray) -> Told:
    """What a field tells of the class, from its rows by value and class.

    The plain estimate counts chance as knowledge, and the more so the more values there are to so many rows: a field
    with a value of its own in every row seems to tell everything. What shuffled classes would give on the mean is taken
    off, from the bits and from what there is to tell alike (Vinh, Epps and Bailey 2010, J. Mach. Learn. Res. 11:2837).

    Parameters
    ----------
    table : int64, shape (values, classes); see `contingency`

    Examples
    --------
    >>> told(np.array([[2, 0], [0, 2]])).share
    1.0
    >>> told(np.array([[1, 0], [0, 1]] * 6)).share
    0.0
    """
    n = int(table.sum())
    most = entropy(table.sum(axis=0)) if n else 0.0
    if most <= 0:
        return Told(0.0, 0.0)
    rows = table.sum(axis=1)
    plain = most - sum(int(r) / n * entropy(cells) for r, cells in zip(rows, table, strict=True) if r)
    chance = by_chance(rows[rows > 0], table.sum(axis=0))
    bits = min(max(0.0, plain - chance), most)
    return Told(bits, min(1.0, bits / (most - chance)) if most - chance > 1e-9 else 0.0)


EXACT = 2000  # rows up to which what chance gives is worked out exactly


def by_chance(rows: IntArray, columns: IntArray) -> float:
    """Bits that a field with these values tells on the mean when the classes are shuffled.

    rows, columns : int64, the rows of each value and of each class. For many rows the first-order term is enough
    (Miller 1955): it errs by the inverse square of their number.
    """
    n = int(rows.sum())
    columns = columns[columns > 0]
    if n > EXACT:
        return min(entropy(columns), float((len(rows) - 1) * (len(columns) - 1) / (2 * n * math.log(2))))
    sizes, times = np.unique(rows, return_counts=True)  # values of one size give alike
    out = 0.0
    for size, many in zip(sizes.tolist(), times.tolist(), strict=True):
        for column in columns.tolist():
            k = np.arange(max(1, size + column - n), min(size, column) + 1)
            if not k.size:
                continue
            law = _log_choose(column, k) + _log_choose(n - column, size - k) - _log_choose(n, np.array([size]))
            out += many * total(np.exp(law) * k / n * np.log2(n * k / (size * column)))
    return out


def _log_choose(n: int, k: IntArray) -> FloatArray:
    return np.asarray(scipy.special.gammaln(n + 1) - scipy.special.gammaln(k + 1) - scipy.special.gammaln(n - k + 1))


@dataclass(frozen=True)
class Ordered:
    """Numbers in ascending order; gaps (NaN) are counted apart.

    whole : float64, all of them
    parts : the same by class
    gaps : int64, shape (classes,), rows without a number
    """

    whole: FloatArray
    parts: tuple[FloatArray, ...]
    gaps: IntArray

    def distinct(self) -> int:
        """How many different numbers there are."""
        return int(np.count_nonzero(self.whole[1:] != self.whole[:-1])) + bool(len(self.whole))

    def between(self, edges: FloatArray) -> IntArray:
        """Rows below the first edge, from each edge to below the next, and from the last on, by class."""
        below = [np.searchsorted(part, edges) for part in self.parts]
        return np.stack([np.diff(b, prepend=0, append=len(part)) for b, part in zip(below, self.parts, strict=True)], 1)

    def told(self, bins: int = BINS) -> Told:
        """What the numbers tell of the class, by bins that hold about as many rows each; gaps are a bin of their own.

        Examples
        --------
        >>> ordered(np.array([1.0, 2.0, 8.0, 9.0]), np.array([0, 0, 1, 1]), 2).told(2).share > 0.8
        True
        """
        n = len(self.whole)
        edges = np.unique(self.whole[n * np.arange(1, bins) // bins]) if n else np.zeros(0)
        return told(np.vstack((self.between(edges), self.gaps)))

    def area(self, k: int) -> float | None:
        """The area of the number taken as a score for one class, from one half up (whichever way it points).

        None without rows of the class and of others.
        """
        part = self.parts[k]
        others = len(self.whole) - len(part)
        if not len(part) or not others:
            return None
        below = int(np.searchsorted(self.whole, part).sum()) + int(np.searchsorted(self.whole, part, "right").sum())
        found = (below - len(part) ** 2) / (2 * len(part) * others)  # less what its own rows are above one another
        return max(found, 1.0 - found)


def ordered(x: FloatArray, actual: IntArray, classes: int) -> Ordered:
    """Put a field's numbers in order once, for all that is asked of them.

    Parameters
    ----------
    x : float64, shape (n,), NaN where there is none
    actual : int64, shape (n,)
    """
    known = ~np.isnan(x)
    gaps = np.bincount(actual[~known], minlength=classes)
    if gaps.any():
        x, actual = x[known], actual[known]
    return Ordered(np.sort(x), tuple(np.sort(x[actual == k]) for k in range(classes)), gaps)
