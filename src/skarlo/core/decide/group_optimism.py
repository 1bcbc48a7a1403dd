"""What cutoffs for groups owe to having been chosen on the rows they are read on, by choosing them over again.

Stone 1974, J. R. Stat. Soc. B 36:111 (cross-validatory choice), as for one cutoff in `optimism`: the same tenths of the
rows of each class, each read at the cutoffs that the other nine choose for the groups.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..counting.answers import Answers
from ..counting.tally import Tally
from ..number import FloatArray, IntArray, clean, total
from ..results import Optimism
from . import group_cutoffs
from .group_cutoffs import LEAST_COST
from .optimism import FEW, MANY, PARTS, REPEATS, rows_by_part

Prices = tuple[float, float]


@dataclass(frozen=True)
class Mine:
    """The rows of a group among all, and its rows of each class, answered or not."""

    rows: IntArray
    positives: float
    negatives: float


@dataclass(frozen=True)
class _Sums:
    """A group's distinct scores, and what stands at each in each part: shape (10, k)."""

    score: FloatArray
    neg: FloatArray
    pos: FloatArray

    def but(self, part: int) -> Tally:
        """All other parts together."""
        others = np.flatnonzero(np.arange(PARTS) != part)
        pos, neg = (np.add.reduce(x[others], axis=0) for x in (self.pos, self.neg))
        there = (pos > 0) | (neg > 0)
        return Tally(self.score[there], pos[there], neg[there])

    def flagged(self, part: int, cutoff: float) -> tuple[float, float]:
        """True and false positives of a part."""
        above = self.score >= cutoff
        return total(self.pos[part][above]), total(self.neg[part][above])


def of_choice(
    a: Answers, groups: Sequence[Mine], rule: str, prices: Prices, gap_at_most: float, one: float,
    chosen: tuple[float, float | None], seed: int,
) -> dict[str, Optimism]:  # fmt: skip
    """The cost a row and, where a rate is to be equal, its gap, as chosen and as tenths are read at the cutoffs that
    the other nine choose. Above 0 the choice looks too good.

    Parameters
    ----------
    a : the rows that the cutoffs are chosen on
    groups : those that get a cutoff of their own
    rule, prices, gap_at_most : as they are chosen by
    one : the cutoff that a group keeps of which nine tenths have no choice
    chosen : total cost and gap of the choice on all the rows
    seed : of the parts
    """
    b, found = a.with_answer, []
    names = ("cost",) if rule == LEAST_COST else ("cost", "gap")
    if min(np.count_nonzero(b.is_positive), np.count_nonzero(~b.is_positive)) < PARTS:
        return {name: {"value": None, "cross_chosen": None, "difference": None, "why": FEW} for name in names}
    asked = np.flatnonzero(a.answered)
    code = np.full(len(a.actual), -1)
    for g, mine in enumerate(groups):
        code[mine.rows] = g
    code = code[asked]
    every = total(np.array([g.positives + g.negatives for g in groups]))
    for repeat in range(REPEATS if len(b.actual) <= MANY else 1):
        sums = _sums(b, code, len(groups), seed, repeat)
        found.append(_crossed(sums, groups, rule, prices, gap_at_most, one))
    out = {"cost": _told(chosen[0] / every, [cost / every for cost, _ in found])}
    return out if rule == LEAST_COST else {**out, "gap": _told(chosen[1], [gap for _, gap in found])}


def _told(value: float | None, found: Sequence[float | None]) -> Optimism:
    there = [x for x in found if x is not None]
    if value is None or len(there) < len(found):
        why = "a group has no such rate where its tenths are read"
        return {"value": value, "cross_chosen": None, "difference": None, "why": why}
    crossed = total(np.array(there)) / len(there)
    return {"value": clean(value), "cross_chosen": clean(crossed), "difference": clean(crossed - value)}


def _sums(b: Answers, code: IntArray, groups: int, seed: int, repeat: int) -> list[_Sums]:
    score = b.score
    assert score is not None
    part = np.empty(len(score), dtype=np.int64)
    for k in (0, 1):
        rows, of = rows_by_part(b, seed, repeat, k)
        part[rows] = of
    out = []
    for g in range(groups):
        mine = np.flatnonzero(code == g)
        distinct, place = np.unique(score[mine], return_inverse=True)
        cell, weight = part[mine] * len(distinct) + place, np.ones(len(mine)) if b.weight is None else b.weight[mine]
        neg, pos = (
            np.bincount(cell, weight * (b.is_positive[mine] == k), PARTS * len(distinct)).astype(np.float64)
            for k in (False, True)
        )
        out.append(_Sums(distinct, neg.reshape(PARTS, -1), pos.reshape(PARTS, -1)))
    return out


def _crossed(
    sums: Sequence[_Sums], groups: Sequence[Mine], rule: str, prices: Prices, gap_at_most: float, one: float
) -> tuple[float, float | None]:
    """Total cost and gap over all parts, each read at the cutoffs that the others choose; no gap where a group has no
    such rate."""
    tp, fp = np.zeros(len(groups)), np.zeros(len(groups))
    share = (PARTS - 1) / PARTS
    for part in range(PARTS):
        cutoffs, places, choices = np.full(len(groups), one), [], []
        for g, (mine, of) in enumerate(zip(groups, sums, strict=True)):
            rest = of.but(part)
            missed = mine.positives - total(of.pos.ravel()), mine.negatives - total(of.neg.ravel())
            options = group_cutoffs.options(
                rest, rest.positives + share * missed[0], rest.negatives + share * missed[1], rule, prices
            )
            if rest.rows > 0 and len(options.rate):
                places.append(g)
                choices.append(options)
        if choices:
            cutoffs[places] = group_cutoffs.choose(choices, None if rule == LEAST_COST else gap_at_most).cutoffs
        for g, of in enumerate(sums):
            flagged = of.flagged(part, float(cutoffs[g]))
            tp[g] += flagged[0]
            fp[g] += flagged[1]
    positives, negatives = (np.array([getattr(g, name) for g in groups]) for name in ("positives", "negatives"))
    cost = total(prices[0] * fp + prices[1] * (positives - tp))
    if rule == LEAST_COST:
        return cost, None
    top, below = group_cutoffs.rates(rule, tp, fp, positives, negatives)
    return cost, float(np.ptp(top / below)) if (below > 0).all() else None
