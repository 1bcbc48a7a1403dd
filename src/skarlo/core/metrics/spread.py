"""The delta method with two rows spread over all cells, so that few rows claim no more than they can.

Agresti and Caffo 2000, Am. Stat. 54:280; Agresti and Min 2005, Stat. Med. 24:729.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..counting import outcomes
from ..counting.answers import Answers, effective_rows, mean_variance
from ..counting.joint import Joint
from ..counting.table import Table
from ..language.formula import COUNTS
from ..number import BoolArray, FloatArray
from ..stats.intervals import Interval, Intervals, z_value
from ..stats.tests import Compared, Many, normal_p, normal_ps
from ..study import OwnMetric
from . import agreement, counts, influence

ADDED = 2.0


@dataclass(frozen=True)
class OfCells:
    """A metric of a matrix, shape (K, L): its value and the influence of each cell; None where there is none."""

    value: Callable[[FloatArray], float | None]
    influence: Callable[[FloatArray], FloatArray | None]


def of_metric(name: str, positive: int) -> OfCells:
    """A count metric."""
    return OfCells(
        lambda cells: counts.value(name, Table(cells, cells.astype(np.int64)), positive),
        lambda cells: influence.of_cells(name, cells, positive),
    )


def of_average(name: str, weighted: bool, present: BoolArray) -> OfCells:
    """The mean of a rate (or F1) over the classes that have rows, or over all weighted by theirs.

    present : which classes have rows, shape (K,)
    """

    def each(cells: FloatArray) -> tuple[FloatArray, FloatArray]:
        """The number of each class, 0 where it is not defined, and its weight."""
        t = Table(cells, cells.astype(np.int64))
        values = np.array([counts.value(name, t, k) or 0.0 for k in range(len(cells))])
        rows = cells.sum(axis=1)
        return values, rows / rows.sum() if weighted else present / present.sum()

    def value(cells: FloatArray) -> float | None:
        values, weight = each(cells)
        return float((values * weight).sum())

    def psi(cells: FloatArray) -> FloatArray | None:
        values, weight = each(cells)
        out = np.zeros_like(cells)
        for k, share in enumerate(weight.tolist()):
            of_class = influence.of_cells(name, cells, k)
            if of_class is not None:
                out += share * of_class
        return out + (values - float((values * weight).sum()))[:, None] if weighted else out

    return OfCells(value, psi)


def of_formula(own: OwnMetric, positive: int) -> OfCells:
    """A study's own formula over the counts, none of them a sum of a field."""
    formula = own.formula
    assert formula is not None

    def values(cells: FloatArray) -> dict[str, float]:
        found = outcomes.counted(cells, positive)
        return {name: float(found[name]) for name in COUNTS} | dict(own.costs)

    def psi(cells: FloatArray) -> FloatArray | None:
        at = values(cells)
        if formula.value(at) is None:
            return None
        which, whole = outcomes.masks(cells.shape[0], cells.shape[1], positive), float(cells.sum())
        out = np.zeros_like(cells)
        for name, slope in formula.gradient(at).items():
            if name not in own.costs:
                out += slope * (whole * which[name] - at[name])
        return out

    return OfCells(lambda cells: formula.value(values(cells)), psi)


def of_prices(price: FloatArray) -> OfCells:
    """The mean of a price of each cell."""

    def value(cells: FloatArray) -> float | None:
        whole = float(cells.sum())
        return float((cells * price).sum()) / whole if whole > 0 else None

    def psi(cells: FloatArray) -> FloatArray | None:
        mean = value(cells)
        return None if mean is None else np.asarray(price - mean, dtype=np.float64)

    return OfCells(value, psi)


def _effective(a: Answers) -> float:
    return effective_rows(a.weight, a.group, len(a.actual))


def _padded(cells: FloatArray, width: int) -> FloatArray:
    cells = cells.astype(np.float64)
    return cells if cells.shape[1] == width else np.pad(cells, ((0, 0), (0, width - cells.shape[1])))


def _compared(gap: float, spread: float, variance: float, test: str) -> Compared:
    if variance <= 0:
        return Compared(gap, 1.0 if gap == 0 else None, test, None, NO_VARIANCE)
    se = math.sqrt(variance)

    def ends(confidence: float) -> Interval:
        half = z_value(confidence) * se
        return min(gap, spread - half), max(gap, spread + half)

    return Compared(gap, normal_p(spread / se), test, ends)


NONE = "the difference has no variance estimate"
NO_VARIANCE = "the rows show a difference and no variance"


def pair(of: OfCells, a: Answers, b: Answers, joint: Joint, gap: float) -> Compared:
    """Difference of a metric of two candidates on the same rows, two rows spread over (actual, a, b)."""
    test = "delta" + a.suffix
    k, width, _ = joint.cells.shape
    n = _effective(a)
    added = ADDED / (k * width * width)
    if a.designed:
        assert a.table is not None
        assert b.table is not None
        cells = [_padded(t.cells, width) * (n / t.total) + added * width for t in (a.table, b.table)]
    else:
        cells = [x + added * width for x in joint.sides]
    values = [of.value(x) for x in cells]
    x, y = (of.influence(x) for x in cells)
    if values[0] is None or values[1] is None or x is None or y is None:
        return Compared(gap, None, test, None, NONE)
    rows = n + ADDED
    more = added * float(
        (width * (x**2).sum(axis=1) + width * (y**2).sum(axis=1) - 2 * x.sum(axis=1) * y.sum(axis=1)).sum()
    )
    if a.designed:
        assert a.predicted is not None
        assert b.predicted is not None
        between = x[a.actual, a.predicted] - y[b.actual, b.predicted]
        variance = mean_variance(between, a.weight, a.group) + more / rows**2
    else:
        variance = (joint.squared_gap(x, y) + more) / rows**2
    return _compared(gap, values[0] - values[1], variance, test)


@dataclass(frozen=True)
class Side:
    """One of two sets of rows: its matrix, and its rows where weights or groups need them.

    width : L, with a place for no answer where the whole has rows without one
    """

    table: Table
    width: int
    rows: Callable[[], Answers]


def apart_each(name: str, cells: FloatArray, others: FloatArray, gaps: FloatArray, none: str) -> Many:
    """Matthews' coefficient or kappa of each slice, shape (m, K, L), less that of the other rows, as many; `gaps` are
    the differences, not finite where one of the two is not defined, which `none` says."""
    added = ADDED / (cells.shape[1] * cells.shape[2])
    differ, variance = np.zeros(len(cells)), np.zeros(len(cells))
    for sign, side in ((1.0, cells), (-1.0, others)):
        spread = side + added
        psi = influence.of_agreement(name, spread)
        differ += sign * agreement.FORMULAS[name](spread)
        squares = (side * psi**2).sum(axis=(1, 2)) + added * (psi**2).sum(axis=(1, 2))
        variance += squares / (side.sum(axis=(1, 2)) + ADDED) ** 2
    there, known = np.isfinite(gaps), np.isfinite(variance)
    apart = known & (variance > 0)
    se = np.sqrt(np.where(apart, variance, 1.0))
    p = np.where(apart, normal_ps(differ / se), np.where(known & (gaps == 0), 1.0, np.nan))

    def ends(confidence: float) -> Intervals:
        half = z_value(confidence) * se
        return np.minimum(gaps, differ - half), np.maximum(gaps, differ + half)

    absent = ["" if x else none for x in there.tolist()]
    return Many(gaps, absent, p, "delta", ends, apart, [NO_VARIANCE if x else NONE for x in known.tolist()])


def apart(of: OfCells, first: Side, second: Side, gap: float, suffix: str) -> Compared:
    """Difference of a metric of two sets of rows, two rows spread over the matrix of each."""
    values, variance = [], 0.0
    for side in (first, second):
        cells = _padded(side.table.cells, side.width)
        rows = side.rows() if suffix else None
        n = side.table.total if rows is None else _effective(rows)
        added = ADDED / cells.size
        spread = cells * (n / side.table.total) + added
        value, psi = of.value(spread), of.influence(spread)
        if value is None or psi is None:
            return Compared(gap, None, "delta" + suffix, None, NONE)
        values.append(value)
        more = added * float((psi**2).sum())
        if rows is None:
            variance += (float((cells * psi**2).sum()) + more) / (n + ADDED) ** 2
        else:
            assert rows.predicted is not None
            variance += (
                mean_variance(psi[rows.actual, rows.predicted], rows.weight, rows.group) + more / (n + ADDED) ** 2
            )
    return _compared(gap, values[0] - values[1], variance, "delta" + suffix)
