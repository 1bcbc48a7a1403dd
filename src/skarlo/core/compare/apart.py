"""Count metrics of many slices at once, each less those of the other rows: what `rest` says of one slice."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from ..counting.table import Table
from ..metrics import agreement, counts, spread
from ..metrics.counts import Shares
from ..metrics.definitions import METRICS
from ..number import BoolArray, FloatArray, IntArray
from ..stats.intervals import Intervals, hybrid_differences
from ..stats.mover import movers
from ..stats.tests import Many, hypergeometric_midp, normal_ps
from .rest import NO_VARIANCE, NONE_THERE, f1_of_share, reach

TWO, YOUDEN = 2, "youden_j"


def each(cells: IntArray, whole: IntArray, positive: int) -> dict[str, Many]:
    """Rates, means of recalls and agreement of each of the slices, shape (m, K, L), of a whole, shape (K, L)."""
    return _rates(cells, whole, positive) | _recalls(cells, whole) | _agreements(cells, whole)


def _whys(exists: list[bool]) -> list[str]:
    return ["" if there else NONE_THERE for there in exists]


def _rates(cells: IntArray, whole: IntArray, positive: int) -> dict[str, Many]:
    """All rates lie one behind the other in one row of shares, so that each step is taken once for all."""
    m = len(cells)
    names = tuple(METRICS.rates)
    which = counts.masks(Table(cells[0], cells[0]), positive)
    s, rest = (_joined([counts.shares_in(x, *which[name]) for name in names]) for x in (cells, whole - cells))
    first, test_of = _tested(which, names)
    at_first = (np.array(first)[:, None] * m + np.arange(m)).ravel()
    p_of = hypergeometric_midp(*(x[at_first].astype(np.int64) for x in (s.k, s.n, rest.k, rest.n)))
    p = p_of.reshape(len(first), m)[test_of].ravel()
    f1 = np.repeat([name == "f1" for name in names], m)

    def mapped(share: FloatArray) -> FloatArray:
        return np.where(f1, f1_of_share(share), share)

    @lru_cache(maxsize=8)
    def ends(confidence: float) -> Intervals:
        (la, ua), (lb, ub) = s.interval(confidence), rest.interval(confidence)
        return hybrid_differences(
            mapped(s.value), (mapped(la), mapped(ua)), mapped(rest.value), (mapped(lb), mapped(ub))
        )

    gap, exists = mapped(s.value) - mapped(rest.value), rest.exists
    out = {}
    for i, name in enumerate(names):
        at = slice(i * m, (i + 1) * m)

        def of(confidence: float, at: slice = at) -> Intervals:
            low, high = ends(confidence)
            return low[at], high[at]

        out[name] = Many(
            gap[at], _whys(exists[at].tolist()), p[at], "hypergeometric_midp", of, exists[at], [""] * m,
            "mover" if name == "f1" else "",
        )  # fmt: skip
    return out


def _tested(which: dict[str, tuple[BoolArray, BoolArray]], names: tuple[str, ...]) -> tuple[list[int], list[int]]:
    """Which of the rates are tested, and for each rate the place of its test among these: a share and what is left of
    the whole have one test."""
    found: dict[frozenset[bytes], int] = {}
    first: list[int] = []
    of: list[int] = []
    for i, name in enumerate(names):
        numerator, denominator = which[name]
        key = frozenset((numerator.tobytes(), (denominator & ~numerator).tobytes()))
        if key not in found:
            found[key] = len(first)
            first.append(i)
        of.append(found[key])
    return first, of


def _joined(each: list[Shares]) -> Shares:
    return Shares(*(np.concatenate([getattr(s, of) for s in each]) for of in ("k", "n", "rows", "effective")))


def _recalls(cells: IntArray, whole: IntArray) -> dict[str, Many]:
    """Means (or sums) of the classes' recalls."""
    k = cells.shape[1]
    which = [counts.masks(Table(cells[0], cells[0]), c)["recall"] for c in range(k)]
    s, rest = (_Recalls([counts.shares_in(table, *mask) for mask in which]) for table in (cells, whole - cells))
    both = s.there & rest.there
    with np.errstate(invalid="ignore", divide="ignore"):
        pooled = (s.hits + rest.hits) / (s.rows + rest.rows)
        variance = np.where(both, pooled * (1 - pooled) * (1 / s.rows + 1 / rest.rows), 0.0).sum(axis=0)
        gap = np.where(both, s.value - rest.value, 0.0).sum(axis=0)
        p = np.where(variance > 0, normal_ps(gap / np.sqrt(variance)), np.nan)
    out = {}
    for name in METRICS.where(rest="recalls"):
        mine, other = s.told(name), rest.told(name)

        def ends(
            confidence: float, name: str = name, mine: FloatArray = mine, other: FloatArray = other
        ) -> Intervals:  # fmt: skip
            return movers(mine, s.ends(name, confidence), other, rest.ends(name, confidence), reach(name))

        exists = rest.exists(name)
        sure = np.where(np.isnan(p) & (mine == other), 1.0, p)
        out[name] = Many(
            mine - other, _whys(exists), sure, "pooled_score", ends, np.asarray(exists), [NO_VARIANCE] * len(mine),
            "mover",
        )  # fmt: skip
    return out


class _Recalls:
    """The recalls of each class in many slices: shape (K, m) each, and their means and sums with intervals."""

    def __init__(self, each: list[Shares]) -> None:
        self.each = each
        self.rows, self.hits = (np.stack([np.asarray(getattr(x, of), dtype=np.float64) for x in each]) for of in "nk")
        self.there = self.rows > 0
        self.value = np.where(self.there, np.stack([x.value for x in each]), 0.0)
        self.found = self.there.sum(axis=0)
        self.made: dict[float, tuple[FloatArray, FloatArray]] = {}

    def exists(self, name: str) -> list[bool]:
        """Whether there is such a number: of two classes it takes rows of both."""
        least = len(self.each) if len(self.each) == TWO or name == YOUDEN else 1
        return [bool(x) for x in self.found >= least]

    def told(self, name: str) -> FloatArray:
        """The metric itself."""
        summed = self.value.sum(axis=0)
        return np.asarray(summed - 1.0 if name == YOUDEN else summed / np.maximum(self.found, 1))

    def ends(self, name: str, confidence: float) -> Intervals:
        """Its intervals: of the mean of independent parts (Zou and Donner 2008)."""
        if confidence not in self.made:
            down, up = [], []
            for share, value, there in zip(self.each, self.value, self.there, strict=True):
                low, high = share.interval(confidence)
                down.append(np.where(there, np.maximum(0.0, value - low), 0.0))
                up.append(np.where(there, np.maximum(0.0, high - value), 0.0))
            low_reach, high_reach = (np.sqrt((np.stack(x) ** 2).sum(axis=0)) for x in (down, up))
            self.made[confidence] = low_reach, high_reach
        below, above = self.made[confidence]
        summed, parts = self.value.sum(axis=0), np.maximum(self.found, 1)
        if name == YOUDEN:
            return np.maximum(0.0, summed - below) - 1.0, np.minimum(parts.astype(np.float64), summed + above) - 1.0
        return np.maximum(0.0, (summed - below) / parts), np.minimum(1.0, (summed + above) / parts)


def _agreements(cells: IntArray, whole: IntArray) -> dict[str, Many]:
    """Matthews' coefficient and kappa."""
    counted, others = cells.astype(np.float64), (whole - cells).astype(np.float64)
    return {
        name: spread.apart_each(name, counted, others, of(counted) - of(others), NONE_THERE)
        for name, of in agreement.FORMULAS.items()
    }
