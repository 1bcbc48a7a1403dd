"""A part of the rows against the others: every metric's difference with its interval and test."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import cached_property, partial

import numpy as np
from scipy.special import ndtr

from ..counting.answers import Answers, mean_variance
from ..counting.table import Table
from ..metrics import counts, influence, own, panel, ranking
from ..metrics.counts import Shares
from ..metrics.panel import Reading
from ..number import BoolArray, IntArray, Metric
from ..stats import tests
from ..stats.intervals import Interval, Intervals, hybrid_difference, hybrid_differences
from ..stats.tests import Compared, hypergeometric_midp
from ..study import OwnMetric

COUNTED = ("f1", "mcc", "kappa", "balanced_accuracy", "youden_j")
OTHERS = (*COUNTED, "average_precision", "brier", "log_loss")
NONE_THERE = "the other rows have no such number"


class Part:
    """Some rows of a candidate: their matrix at once, the rows themselves only when a number asks for them."""

    def __init__(self, whole: Answers, places: Callable[[], IntArray | BoolArray], counted: Table | None) -> None:
        self.whole, self.places, self.counted = whole, places, counted

    @cached_property
    def rows(self) -> Answers:
        """The rows."""
        return self.whole.take(self.places(), self.counted)

    @cached_property
    def table(self) -> Table | None:
        """Their matrix."""
        return self.rows.table if self.counted is None else self.counted

    def others(self, counted: Table | None = None) -> Part:
        """The rows outside of it; `counted` is their matrix, where it is known already."""

        def outside() -> BoolArray:
            out = np.ones(len(self.whole.actual), dtype=bool)
            out[self.places()] = False
            return out

        return Part(self.whole, outside, counted)


def against_rest(
    s: Part,
    rest: Part,
    found: Mapping[str, Metric],
    reading: Reading,
    rates: Mapping[str, Compared | str] | None = None,
) -> dict[str, Compared | str]:
    """Each metric of a slice, whose own metrics are `found`, minus that of the other rows; a string is why none.

    `rates` are the comparisons of rates, where they are known already.
    """
    positive = 0 if reading.positive is None else reading.positive
    out: dict[str, Compared | str] = {}
    for name, value in found.items():
        if name in counts.RATES:
            known = None if value["value"] is None else (rates or {}).get(name)
            out[name] = _rates(name, s.table, rest.table, positive, value) if known is None else known
        elif name == "roc_auc" or name in OTHERS:
            out[name] = _others(name, s, rest, reading, value)
        elif mine := reading.own_named(name):
            out[name] = _own(mine, s, rest, value, reading)
    return out


def _rates(name: str, s: Table | None, rest: Table | None, positive: int, value: Metric) -> Compared | str:
    if s is None or rest is None or value["value"] is None:
        return value.get("why", "it is not defined here")
    a, b = (t.share(*counts.masks(t, positive)[name]) for t in (s, rest))
    if b.n <= 0:
        return NONE_THERE
    gap = a.value - b.value

    def interval(confidence: float) -> Interval:
        return hybrid_difference(a.value, a.interval(confidence), b.value, b.interval(confidence))

    if s.suffix:
        spread = a.value * (1 - a.value) / a.effective + b.value * (1 - b.value) / b.effective
        p = 2.0 * float(ndtr(-abs(gap) / math.sqrt(spread))) if spread > 0 else (1.0 if gap == 0 else None)
        return Compared(gap, p, "independent" + s.suffix, interval, "the rows show a difference and no variance")
    return Compared(gap, float(hypergeometric_midp(a.k, a.n, b.k, b.n)), "hypergeometric_midp", interval)


def rates_each(cells: IntArray, positive: int) -> list[dict[str, Compared | str]]:
    """The same for each rate of each of the slices that make up a whole, shape (m, K, L), all at once."""
    whole = cells.sum(axis=0)
    out: list[dict[str, Compared | str]] = [{} for _ in cells]
    for name in counts.RATES:
        of, among = counts.masks(Table(cells[0], cells[0]), positive)[name]
        s = counts.shares_in(cells, of, among)
        rest = counts.shares_in(whole - cells, of, among)
        gap = (s.value - rest.value).tolist()
        p = hypergeometric_midp(*(x.astype(np.int64) for x in (s.k, s.n, rest.k, rest.n))).tolist()
        ends = _Ends(s, rest)
        for i, there in enumerate(rest.exists.tolist()):
            compared = Compared(gap[i], p[i], "hypergeometric_midp", partial(ends.of, i))
            out[i][name] = compared if there else NONE_THERE
    return out


class _Ends:
    """Intervals of many differences of shares; made for all of them when one is asked for at a new confidence."""

    def __init__(self, s: Shares, rest: Shares) -> None:
        self.s, self.rest = s, rest
        self.made: dict[float, Intervals] = {}

    def of(self, i: int, confidence: float) -> Interval:
        """The i-th one."""
        if confidence not in self.made:
            sides = (self.s.value, self.s.interval(confidence), self.rest.value, self.rest.interval(confidence))
            self.made[confidence] = hybrid_differences(*sides)
        low, high = self.made[confidence]
        return float(low[i]), float(high[i])


def _others(name: str, part: Part, outside: Part, reading: Reading, value: Metric) -> Compared | str:
    if value["value"] is None:
        return value["why"]
    positive = 0 if reading.positive is None else reading.positive
    if name in COUNTED and not part.whole.designed:
        return _by_cells(name, part.table, outside.table, positive, value["value"])
    s, rest = part.rows, outside.rows
    if name == "roc_auc":
        return _areas(s, rest, value["value"])
    psi = influence.of_rows(name, s, positive)
    if name in ("average_precision", "brier", "log_loss") and not rest.answered.any():
        return NONE_THERE
    other = panel.value(name, rest, reading)
    psi_rest = influence.of_rows(name, rest, positive) if other is not None else None
    if psi is None or psi_rest is None or other is None:
        return NONE_THERE
    variance = mean_variance(psi, s.weight, s.group) + mean_variance(psi_rest, rest.weight, rest.group)
    return tests.normal(value["value"] - other, variance, "influence" + s.suffix)


def _by_cells(name: str, t: Table | None, u: Table | None, positive: int, value: float) -> Compared | str:
    """A count metric's difference from the cells alone."""
    assert t is not None
    other = None if u is None else counts.value(name, u, positive)
    if u is None or other is None:
        return NONE_THERE
    variance = 0.0
    for one in (t, u):
        psi = influence.of_cells(name, one.cells.astype(np.float64), positive)
        if psi is None:
            return NONE_THERE
        variance += float(np.add.reduce((one.cells * psi**2).reshape(-1))) / one.total**2
    return tests.normal(value - other, variance, "influence")


def _own(mine: OwnMetric, part: Part, outside: Part, value: Metric, reading: Reading) -> Compared | str:
    if value["value"] is None:
        return value["why"]
    s, rest = part.rows, outside.rows
    other = panel.value(mine.name, rest, reading)
    if other is None:
        return NONE_THERE
    gap = value["value"] - other
    psi, psi_rest = own.influence(mine, s), own.influence(mine, rest)
    if psi is None or psi_rest is None:
        return Compared(gap, None, "none", None, f"there is no test of {mine.name}")
    variance = mean_variance(psi, s.weight, s.group) + mean_variance(psi_rest, rest.weight, rest.group)
    return tests.normal(gap, variance, "influence" + s.suffix)


def _areas(s: Answers, rest: Answers, area: float) -> Compared | str:
    t, u = s.tally, rest.tally
    assert t is not None
    assert u is not None
    if min(u.positives, u.negatives) <= 0:
        return NONE_THERE
    if min(t.positives, t.negatives, u.positives, u.negatives) < 2:
        return "the test needs two rows of each class on both sides"
    other = ranking.roc_area(u)
    variance = ranking.area_variance(s, t, area) + ranking.area_variance(rest, u, other)
    return tests.normal(area - other, variance, "delong" + s.suffix)
