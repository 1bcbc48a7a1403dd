"""Cutoffs for groups: each group's own of least cost, or those by which a rate is as good as equal at the least cost.

Hardt, Price and Srebro 2016 equalise rates by cutoffs that are drawn by lot; these are not, so that the same row always
gets the same answer: every achieved rate is tried.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..counting.tally import Tally
from ..number import FloatArray, IntArray

RATES = ("recall", "fpr", "flagged_share", "precision")
LEAST_COST = "least_cost"
CLOSE = 1e-12


@dataclass(frozen=True)
class Options:
    """The cutoffs that a group could have, each with its rate and cost, shape (m,): its distinct scores, and flagging
    nothing (infinity)."""

    cutoff: FloatArray
    rate: FloatArray
    cost: FloatArray


@dataclass(frozen=True)
class Chosen:
    """A cutoff for each group, the total cost, and how far the rates lie apart; `fits` says whether they are as near as
    was asked."""

    cutoffs: tuple[float, ...]
    rates: tuple[float, ...]
    cost: float
    gap: float
    fits: bool = True


def options(t: Tally, positives: float, negatives: float, rate: str, prices: tuple[float, float]) -> Options:
    """What a group could have.

    t : the group's scores; positives, negatives : its rows of each class, answered or not
    rate : one of RATES, or "least_cost"; prices : of a needless flag and of a miss
    """
    tp = np.concatenate(([0.0], np.cumsum(t.pos[::-1]).astype(np.float64)))
    fp = np.concatenate(([0.0], np.cumsum(t.neg[::-1]).astype(np.float64)))
    cutoff = np.concatenate(([math.inf], t.score[::-1]))
    top, below = rates(rate, tp, fp, np.full(len(tp), positives), np.full(len(tp), negatives))
    cost = prices[0] * fp + prices[1] * (positives - tp)
    there = below > 0
    return Options(cutoff[there], top[there] / below[there], cost[there])


def rates(
    rate: str, tp: FloatArray, fp: FloatArray, positives: FloatArray, negatives: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """What a rate is of: above and below the line, shape (m,)."""
    return {
        "recall": (tp, positives), "fpr": (fp, negatives), "flagged_share": (tp + fp, positives + negatives),
        "precision": (tp, tp + fp), LEAST_COST: (np.zeros(len(tp)), np.ones(len(tp))),
    }[rate]  # fmt: skip


def choose(groups: Sequence[Options], gap_at_most: float | None = None) -> Chosen:
    """The cutoffs of least total cost; with `gap_at_most`, of those whose rates lie no further apart.

    Equal cost: the higher cutoff within a group, then the smaller gap, then the lower rates. Where no cutoffs lie near
    enough, those that lie nearest, of least cost.

    Examples
    --------
    >>> one = Options(np.array([3.0, 2.0, 1.0]), np.array([0.0, 0.5, 1.0]), np.array([9.0, 5.0, 8.0]))
    >>> two = Options(np.array([3.0, 2.0, 1.0]), np.array([0.25, 0.75, 1.0]), np.array([6.0, 4.0, 7.0]))
    >>> choose([one, two], 0.3).rates, choose([one, two], 0.3).cost
    ((0.5, 0.75), 9.0)
    """
    if gap_at_most is None:
        best = [int(np.lexsort((-g.cutoff, g.cost))[0]) for g in groups]
        return _chosen(groups, best, fits=True)
    ordered = [_by_rate(g) for g in groups]
    starts = np.unique(np.concatenate([g.rate for g in ordered]))
    found = _within(ordered, starts, gap_at_most)
    if found is not None:
        return found
    narrowest = _smallest_range([g.rate for g in ordered])
    nearest = _within(ordered, starts, narrowest)
    assert nearest is not None
    return Chosen(nearest.cutoffs, nearest.rates, nearest.cost, nearest.gap, fits=False)


def _chosen(groups: Sequence[Options], at: Sequence[int], fits: bool) -> Chosen:
    rates = tuple(float(g.rate[i]) for g, i in zip(groups, at, strict=True))
    cost = sum(float(g.cost[i]) for g, i in zip(groups, at, strict=True))
    cutoffs = tuple(float(g.cutoff[i]) for g, i in zip(groups, at, strict=True))
    return Chosen(cutoffs, rates, cost, max(rates) - min(rates), fits)


def _by_rate(g: Options) -> Options:
    order = np.argsort(g.rate, kind="stable")
    return Options(g.cutoff[order], g.rate[order], g.cost[order])


def _within(groups: Sequence[Options], starts: FloatArray, gap: float) -> Chosen | None:
    """Of all stretches of so great a width that begin at an achieved rate the one of least (cost, gap, start)."""
    total, low, high = np.zeros(len(starts)), np.full(len(starts), np.inf), np.full(len(starts), -np.inf)
    picks: list[IntArray] = []
    there = np.ones(len(starts), dtype=bool)
    for g in groups:
        first = np.searchsorted(g.rate, starts, side="left")
        last = np.searchsorted(g.rate, starts + gap + CLOSE, side="right")
        there &= last > first
        pick = _cheapest(g, first, np.maximum(last, first + 1))
        picks.append(pick)
        total += g.cost[pick]
        low, high = np.minimum(low, g.rate[pick]), np.maximum(high, g.rate[pick])
    at = np.flatnonzero(there)
    if not len(at):
        return None
    best = int(at[np.lexsort((starts[at], (high - low)[at], total[at]))[0]])
    return _chosen(groups, [int(pick[best]) for pick in picks], fits=True)


def _cheapest(g: Options, first: IntArray, last: IntArray) -> IntArray:
    """The cheapest option from `first` up to, without, `last`, of equal ones the higher cutoff: looked up in the least
    of stretches of 1, 2, 4 … options (a sparse table)."""
    n = len(g.rate)
    order = np.lexsort((-g.cutoff, g.cost))
    rank = np.empty(n, dtype=np.int64)
    rank[order] = np.arange(n)
    first, last = np.minimum(first, n - 1), np.minimum(last, n)
    size = np.maximum(last - first, 1)
    level = np.floor(np.log2(size)).astype(np.int64)
    out = np.full(len(first), n, dtype=np.int64)
    least, width = rank, 1
    for k in range(int(level.max(initial=0)) + 1):
        here = np.flatnonzero(level == k)
        out[here] = np.minimum(least[first[here]], least[np.maximum(last[here] - width, first[here])])
        if 2 * width <= n:
            least = np.concatenate((np.minimum(least[: n - width], least[width:]), least[n - width :]))
        width *= 2
    return order[np.minimum(out, n - 1)]


def _smallest_range(rates: Sequence[FloatArray]) -> float:
    """The width of the smallest stretch that holds a rate of each group."""
    value = np.concatenate(list(rates))
    group = np.concatenate([np.full(len(r), i) for i, r in enumerate(rates)])
    order = np.argsort(value, kind="stable")
    count, missing, left, best = [0] * len(rates), len(rates), 0, math.inf
    for right in order.tolist():
        missing -= count[group[right]] == 0
        count[group[right]] += 1
        while missing == 0:
            first = int(order[left])
            best = min(best, float(value[right] - value[first]))
            count[group[first]] -= 1
            missing += count[group[first]] == 0
            left += 1
    return best
