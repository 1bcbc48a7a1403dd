"""A part of the rows against the others: every metric's difference with its interval and test."""

from __future__ import annotations

import math
from collections.abc import Callable, Container, Mapping
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from ..counting.answers import Answers, mean_variance
from ..counting.table import Table
from ..metrics import counts, influence, own, panel, ranking, spread
from ..metrics.definitions import METRICS
from ..metrics.losses import mean_loss_estimate, moments
from ..metrics.panel import Reading
from ..number import BoolArray, IntArray, Metric
from ..once import lazy
from ..stats import tests
from ..stats.estimate import Estimate
from ..stats.intervals import Interval, hybrid_difference, z_value
from ..stats.mover import mover, mover_mean, p_by_inversion
from ..stats.tests import Compared, hypergeometric_midp, normal_p
from ..study import OwnMetric

FEW = 10  # rows of a class, under which an interval of losses may say too much
NONE_THERE = "the other rows have no such number"


class Part:
    """Some rows of a candidate: their matrix at once, the rows themselves only when a number asks for them."""

    def __init__(self, whole: Answers, places: Callable[[], IntArray | BoolArray], counted: Table | None) -> None:
        self.whole, self.places, self.counted = whole, places, counted

    @lazy
    def rows(self) -> Answers:
        """The rows."""
        return self.whole.take(self.places(), self.counted)

    @lazy
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
    known: Container[str] = (),
) -> dict[str, Compared | str]:
    """Each metric of a slice, whose own metrics are `found`, minus that of the other rows; a string is why none.

    known : those that are compared already
    """
    positive = 0 if reading.positive is None else reading.positive
    out: dict[str, Compared | str] = {}
    for name, value in found.items():
        if name in known:
            continue
        mine = reading.own_named(name)
        way = "own" if mine is not None else METRICS[name].rest
        if way == "rate":
            out[name] = _rates(name, s.table, rest.table, positive, value)
        elif way and value["value"] is None:
            out[name] = value["why"]
        elif mine is not None:
            out[name] = _own(mine, s, rest, value["value"] or 0.0, reading)
        elif way == "spread":
            out[name] = _by_cells(spread.of_metric(name, positive), s, rest, value["value"] or 0.0)
        elif way == "recalls":
            out[name] = _recalls(name, s, rest, value["value"] or 0.0, reading)
        elif way == "carried":
            out[name] = _carried(name, s, rest, value["value"] or 0.0, reading)
    return out


def _rates(name: str, s: Table | None, rest: Table | None, positive: int, value: Metric) -> Compared | str:
    if s is None or rest is None or value["value"] is None:
        return value.get("why", "it is not defined here")
    a, b = (t.share(*counts.masks(t, positive)[name]) for t in (s, rest))
    if b.n <= 0:
        return NONE_THERE
    gap, kind = a.value - b.value, ""

    def interval(confidence: float) -> Interval:
        return hybrid_difference(a.value, a.interval(confidence), b.value, b.interval(confidence))

    if name == "f1":
        gap, kind = f1_of_share(a.value) - f1_of_share(b.value), "mover" + s.suffix

    def carried(confidence: float) -> Interval:
        """F1 is a monotone function of TP / (TP + FP + FN), and so are the ends of its interval."""
        ends = [(f1_of_share(low), f1_of_share(high)) for low, high in (a.interval(confidence), b.interval(confidence))]
        return hybrid_difference(f1_of_share(a.value), ends[0], f1_of_share(b.value), ends[1])

    ends = carried if kind else interval
    if s.suffix:
        variance = a.value * (1 - a.value) / a.effective + b.value * (1 - b.value) / b.effective
        p = normal_p((a.value - b.value) / math.sqrt(variance)) if variance > 0 else (1.0 if gap == 0 else None)
        return Compared(gap, p, "independent" + s.suffix, ends, "the rows show a difference and no variance", kind)
    return Compared(gap, float(hypergeometric_midp(a.k, a.n, b.k, b.n)), "hypergeometric_midp", ends, kind=kind)


def f1_of_share(share: Any) -> Any:
    """F1 from TP / (TP + FP + FN), numbers or arrays of them."""
    return 2.0 * share / (1.0 + share)


NO_VARIANCE = "the rows show a difference and no variance"


def _by_cells(of: spread.OfCells, part: Part, outside: Part, value: float) -> Compared | str:
    """A count metric by the delta method, two rows spread over the matrix of each side."""
    t, u = part.table, outside.table
    other = None if u is None or u.total <= 0 else of.value(u.cells.astype(np.float64))
    if t is None or u is None or other is None:
        return NONE_THERE
    whole = part.whole.table
    width = t.cells.shape[1] if whole is None else whole.cells.shape[1]
    first, second = (spread.Side(x, width, partial(_rows, y)) for x, y in ((t, part), (u, outside)))
    return spread.apart(of, first, second, value - other, part.whole.suffix)


def _rows(part: Part) -> Answers:
    return part.rows


def _recalls(name: str, part: Part, outside: Part, value: float, reading: Reading) -> Compared | str:
    """Mean (or sum) of the classes' recalls: the interval of the two own ones, a score test with pooled recalls."""
    t, u = part.table, outside.table
    other = None if u is None else counts.value(name, u, reading.positive or 0)
    if t is None or u is None or other is None:
        return NONE_THERE
    shares = [[x.share(*counts.masks(x, k)["recall"]) for x in (t, u)] for k in range(t.classes)]
    there = [(s, r) for s, r in shares if s.n > 0 and r.n > 0]
    gap, variance = 0.0, 0.0
    for s, r in there:
        pooled = (s.value * s.effective + r.value * r.effective) / (s.effective + r.effective)
        gap += s.value - r.value
        variance += pooled * (1 - pooled) * (1 / s.effective + 1 / r.effective)
    p = normal_p(gap / math.sqrt(variance)) if variance > 0 else 1.0 if value == other else None

    def interval(confidence: float) -> Interval:
        ends = [_recall_ends(name, x, reading, confidence) for x in (t, u)]
        return mover(value, ends[0], other, ends[1], limits=reach(name))

    return Compared(value - other, p, "pooled_score" + t.suffix, interval, NO_VARIANCE, "mover" + t.suffix)


def _recall_ends(name: str, t: Table, reading: Reading, confidence: float) -> Interval:
    shares = [t.share(*counts.masks(t, k)["recall"]) for k in range(t.classes)]
    found = [s for s in shares if s.n > 0]
    ends = [s.interval(confidence) for s in found]
    if name == "youden_j":
        low, high = mover_mean([s.value for s in found], ends, parts=1, limits=(0.0, float(len(found))))
        return low - 1.0, high - 1.0
    return mover_mean([s.value for s in found], ends, limits=(0.0, 1.0))


def _estimate(name: str, a: Answers) -> Estimate | None:
    """The metric of some rows with its own interval; None where it does not exist."""
    if METRICS[name].paired == "losses":
        m = moments(a, name) if a.is_probability and len(a.with_answer.actual) else None
        return None if m is None else mean_loss_estimate(a, m)
    t = a.tally
    if t is None or t.positives <= 0 or t.negatives <= 0:
        return None
    return ranking.roc_auc_estimate(a, t) if name == "roc_auc" else ranking.average_precision_estimate(a, t)


def _carried(name: str, part: Part, outside: Part, value: float, reading: Reading) -> Compared | str:
    """The interval of the two own ones; p where its end meets 0."""
    s, rest = part.rows, outside.rows
    first, second = _estimate(name, s), _estimate(name, rest)
    if first is None or second is None:
        return NONE_THERE
    few = METRICS[name].paired == "losses" and _fewest(s, rest) < FEW
    found = _from_own(first, second, s.suffix, reach(name))
    if found is None:
        return replace(_as_before(name, s, rest, first.value, second.value, reading), unreliable=few)
    return replace(found, unreliable=few)


def reach(name: str) -> Interval:
    """How far apart a metric of some rows and of others can be."""
    wide = METRICS[name].upper - METRICS[name].lower
    return -wide, wide


def _fewest(*sides: Answers) -> int:
    return min(int(np.bincount(x.with_answer.actual, minlength=x.classes).min()) for x in sides)


def _from_own(first: Estimate, second: Estimate, suffix: str, limits: Interval) -> Compared | None:
    if first.ends is None or second.ends is None:
        return None
    of, against = first.ends, second.ends

    def ends(z: float) -> Interval:
        return mover(first.value, of(z), second.value, against(z), limits=limits)

    gap = first.value - second.value
    p = p_by_inversion(gap, ends)
    return Compared(gap, p, "mover" + suffix, lambda confidence: ends(z_value(confidence)))


def _as_before(name: str, s: Answers, rest: Answers, value: float, other: float, reading: Reading) -> Compared:
    """Normal theory from the variances of both sides, where one of them has no interval of its own."""
    positive = 0 if reading.positive is None else reading.positive
    if name == "roc_auc":
        t, u = s.tally, rest.tally
        assert t is not None
        assert u is not None
        if min(t.positives, t.negatives, u.positives, u.negatives) < 2:
            return Compared(value - other, None, "none", None, "the test needs two rows of each class on both sides")
        variance = ranking.area_variance(s, t, value) + ranking.area_variance(rest, u, other)
        return tests.normal(value - other, variance, "delong" + s.suffix)
    psi, psi_rest = influence.of_rows(name, s, positive), influence.of_rows(name, rest, positive)
    if psi is None or psi_rest is None:
        return Compared(value - other, None, "none", None, "the difference has no variance estimate")
    variance = mean_variance(psi, s.weight, s.group) + mean_variance(psi_rest, rest.weight, rest.group)
    return tests.normal(value - other, variance, "influence" + s.suffix)


def _own(mine: OwnMetric, part: Part, outside: Part, value: float, reading: Reading) -> Compared | str:
    positive = reading.positive
    if mine.formula is not None and not mine.formula.sums and positive is not None:
        return _by_cells(spread.of_formula(mine, positive), part, outside, value)
    s, rest = part.rows, outside.rows
    other = panel.value(mine.name, rest, reading)
    if other is None:
        return NONE_THERE
    if mine.measure == "net_benefit":
        return _net_benefit(mine, part, outside, value - other)
    if mine.measure == "partial_area" and s.tally is not None and rest.tally is not None:
        first, second = (own.partial_area_estimate(mine, x, t) for x, t in ((s, s.tally), (rest, rest.tally)))
        found = _from_own(first, second, s.suffix, (-1.0, 1.0))
        if found is not None:
            return found
    gap = value - other
    psi, psi_rest = own.influence(mine, s), own.influence(mine, rest)
    if psi is None or psi_rest is None:
        return Compared(gap, None, "none", None, f"there is no test of {mine.name}")
    variance = mean_variance(psi, s.weight, s.group) + mean_variance(psi_rest, rest.weight, rest.group)
    return tests.normal(gap, variance, "influence" + s.suffix)


def _net_benefit(mine: OwnMetric, part: Part, outside: Part, gap: float) -> Compared | str:
    """Over the matrices at the measure's own threshold."""
    sides = []
    of = None
    for x in (part.rows, outside.rows):
        t, benefit, flagged = own.at_threshold(mine, x)
        of = spread.of_prices(benefit)
        sides.append(spread.Side(t, t.cells.shape[1], partial(_itself, flagged)))
    assert of is not None
    return spread.apart(of, sides[0], sides[1], gap, part.whole.suffix)


def _itself(a: Answers) -> Answers:
    return a
