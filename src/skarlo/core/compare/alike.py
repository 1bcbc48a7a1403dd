"""Whether groups are treated alike: a rate side by side over the groups of a field, and the largest gap between two.

The interval of the largest gap holds for all pairs of groups at once, so also for the one that turned out largest. Not
all criteria can hold together where the shares of positives differ (Chouldechova 2017, Big Data 5:153; Kleinberg,
Mullainathan and Raghavan 2017).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from ..counting import outcomes
from ..counting.answers import Answers
from ..counting.table import Share, Table
from ..metrics.panel import Reading
from ..metrics.reliability import shifted
from ..number import clean
from ..results import AgainstGroup, AlikeResult, Criterion, GroupValue
from ..stats import hypergeometric
from ..stats.intervals import Interval
from ..stats.mover import mover, p_by_inversion
from ..stats.tests import Compared, family, normal_p

# Each rate as one outcome over another, in the order in which they are told.
RATES: dict[str, tuple[str, str]] = {
    "flagged_share": ("flagged", "rows"), "recall": ("TP", "P"), "fpr": ("FP", "N"), "precision": ("TP", "flagged"),
    "npv": ("TN", "passed"), "accuracy": ("right", "rows"),
}  # fmt: skip
WHOLE = (-math.inf, math.inf)
BOTH = "recall_and_fpr"
LARGE = "calibration_in_the_large"


@dataclass(frozen=True)
class Group:
    """A group by name, with its rows as a candidate is judged on them."""

    name: str
    rows: Answers


@dataclass(frozen=True)
class _Value:
    """A number of a group, its interval at any confidence, and the share that it is, where it is one; else its interval
    so many standard errors away."""

    group: str
    value: float
    interval: Callable[[float], Interval]
    share: Share | None
    ends: Callable[[float], Interval] = lambda z: (math.nan, math.nan)


def alike(groups: Sequence[Group], positive: int, reading: Reading, against: str = "") -> AlikeResult:
    """Every criterion over some groups.

    Parameters
    ----------
    groups : at least two are needed for a gap; those under `min_slice` rows are named and left out of every gap
    positive : the class that is read against the rest
    against : a group that each of the others is held against as well
    """
    least = reading.settings.min_slice
    large = [g for g in groups if len(g.rows.actual) >= least]
    small = [g.name for g in groups if len(g.rows.actual) < least]
    values = {name: [_rate(g, positive, *over) for g in large] for name, over in RATES.items()}
    values[LARGE] = [_large(g, positive) for g in large]
    thin = reading.settings.min_denominator
    told: dict[str, Criterion] = {}
    for name, each in values.items():
        there = [v for v in each if v is not None]
        told[name] = _criterion(there, thin, reading, name != LARGE)
        if against in [v.group for v in there]:
            told[name]["against"] = _against(against, there, thin, reading)
    told[BOTH] = _both(told["recall"], told["fpr"], values, thin, reading)
    if reading.untested:
        told = {name: _untested(c, reading.untested) for name, c in told.items()}
    return {
        "groups": {g.name: len(g.rows.actual) for g in groups}, "small": small, "criteria": told,
        "not_all_at_once": _not_all(large, positive),
    }  # fmt: skip


def _rate(g: Group, positive: int, top: str, below: str) -> _Value | None:
    t = g.rows.table
    if t is None:
        return None
    which = outcomes.masks(t.classes, t.cells.shape[1], positive)
    share = t.share(which[top], which[below])
    return _Value(g.name, share.value, share.interval, share) if share.n > 0 else None


def _large(g: Group, positive: int) -> _Value | None:
    """Mean score less the share of positives, over the rows with an answer."""
    a = g.rows.with_answer
    if a.probable is not None and a.probabilities is not None:
        score = a.probabilities[:, positive]
    elif a.score is not None and a.is_probability:
        score = a.score
    else:
        return None
    if not len(a.actual) or (a.weight is not None and not a.weight.any()):
        return None
    found = shifted(a, score, (a.actual == positive).astype(np.float64))
    return _Value(g.name, clean(found.mean - found.share), found.interval, None, found.ends)


def _criterion(values: Sequence[_Value], thin: int, reading: Reading, is_share: bool) -> Criterion:
    out: Criterion = {"values": {v.group: _told(v, reading) for v in values}, "gap": None}
    within = [v for v in values if v.share is None or v.share.rows >= thin]
    left = [v.group for v in values if v not in within]
    if left:
        out["thin"] = left
    if len(within) < 2:
        return {**out, "gap": None, "why": "under two groups are large enough for it"}
    most, fewest = max(within, key=lambda v: v.value), min(within, key=lambda v: v.value)
    pairs = len(within) * (len(within) - 1) // 2
    low, high, p = _of_pairs(within, 1.0, pairs, reading)
    gap = most.value - fewest.value
    top = 1.0 if is_share else math.inf
    out |= {"gap": gap, "low": clean(min(gap, max(0.0, low))), "high": clean(max(gap, min(top, high))), "p": p,
            "largest": most.group, "smallest": fewest.group}  # fmt: skip
    if is_share:
        out["ratio"] = fewest.value / most.value if most.value > 0 else None
    return out


def _against(name: str, values: Sequence[_Value], thin: int, reading: Reading) -> AgainstGroup:
    """Each group less one of them, adjusted over the groups (Holm); of few rows only where it says so."""
    one = next(v for v in values if v.group == name)
    others = [v for v in values if v is not one and (v.share is None or v.share.rows >= thin)]

    def compared(v: _Value) -> Compared:
        def interval(confidence: float) -> Interval:
            return _less(v, one, confidence)

        test = "hypergeometric_midp" if v.share is not None else "mover"
        return Compared(v.value - one.value, _pair_p(v, one), test, interval, kind="mover")

    found = family([compared(v) for v in others], reading.settings.confidence)
    return {"group": name, "groups": {v.group: d for v, d in zip(others, found, strict=True)}}


def _less(a: _Value, b: _Value, confidence: float) -> Interval:
    """The interval of a difference of two groups, from the intervals of both (Newcombe's hybrid)."""
    first, second = (x.interval(confidence) for x in (a, b))
    return (
        a.value - b.value - math.hypot(a.value - first[0], second[1] - b.value),
        a.value - b.value + math.hypot(first[1] - a.value, b.value - second[0]),
    )


def _told(v: _Value, reading: Reading) -> GroupValue:
    low, high = v.interval(reading.settings.confidence)
    return {"value": clean(v.value), "low": clean(min(low, v.value)), "high": clean(max(high, v.value))}


def _of_pairs(values: Sequence[_Value], times: float, pairs: int, reading: Reading) -> tuple[float, float, float]:
    """The greatest low and the greatest high end of any ordered pair, at a confidence that holds for all pairs, and the
    least p of a pair, corrected. times : by how much more is looked at than these pairs."""
    alpha = (1.0 - reading.settings.confidence) / (pairs * times)
    low, high, least = -math.inf, -math.inf, 1.0
    for one, other in combinations(values, 2):
        for a, b in ((one, other), (other, one)):
            reach = _less(a, b, 1.0 - alpha)
            low, high = max(low, reach[0]), max(high, reach[1])
        least = min(least, _pair_p(one, other))
    return low, high, min(1.0, pairs * times * least)


def _pair_p(a: _Value, b: _Value) -> float:
    if a.share is None or b.share is None:
        of, against = a.ends, b.ends
        return p_by_inversion(a.value - b.value, lambda z: mover(a.value, of(z), b.value, against(z), limits=WHOLE))
    if a.share.effective != a.share.n or b.share.effective != b.share.n:  # weights, or rows that belong together
        n = a.share.n + b.share.n
        r = (a.share.k + b.share.k) / n
        variance = r * (1 - r) * (1 / a.share.effective + 1 / b.share.effective)
        return normal_p((a.value - b.value) / math.sqrt(variance)) if variance > 0 else 1.0
    k, drawn, marked, rows = (
        np.array([int(x)]) for x in (a.share.k, a.share.n, a.share.k + b.share.k, a.share.n + b.share.n)
    )
    return float(hypergeometric.mid_p(k, drawn, marked, rows)[0])


def _untested(found: Criterion, why: str) -> Criterion:
    """A gap with its interval and no p."""
    return found if found["gap"] is None else {**{k: v for k, v in found.items() if k != "p"}, "why": why}  # type: ignore[typeddict-item]


def _both(
    recall: Criterion, fpr: Criterion, values: Mapping[str, Sequence[_Value | None]], thin: int, reading: Reading
) -> Criterion:  # fmt: skip
    """The larger of the gaps of recall and of the false-positive rate."""
    if recall["gap"] is None or fpr["gap"] is None:
        return {"values": {}, "gap": None, "why": "one of the two has no gap"}
    ends = []
    for name in ("recall", "fpr"):
        within = [v for v in values[name] if v is not None and (v.share is None or v.share.rows >= thin)]
        ends.append(_of_pairs(within, 2.0, len(within) * (len(within) - 1) // 2, reading))
    more = recall if recall["gap"] >= fpr["gap"] else fpr
    low, high = max(e[0] for e in ends), max(e[1] for e in ends)
    return {"values": {}, "gap": more["gap"], "low": clean(max(0.0, min(more["gap"] or 0.0, low))),
            "high": clean(min(1.0, max(more["gap"] or 0.0, high))), "p": min(e[2] for e in ends),
            "largest": more["largest"], "smallest": more["smallest"]}  # fmt: skip


def _not_all(groups: Sequence[Group], positive: int) -> dict[str, object] | None:
    """What equal precision and equal recall would force the false-positive rates to be, at the pooled values of both:
    p / (1 - p) · (1 - v) / v · r. None where the shares of positives are equal, or precision or recall is 0 or 1."""
    tables: list[Table] = [g.rows.table for g in groups if g.rows.table is not None]
    if len(tables) < 2:
        return None
    n = [outcomes.counted(t.cells, positive) for t in tables]
    tp, flagged, p = (sum(float(x[key]) for x in n) for key in ("TP", "flagged", "P"))
    if not flagged or not p:
        return None
    v, r = tp / flagged, tp / p
    shares = [float(x["P"]) / float(x["rows"]) if x["rows"] else 0.0 for x in n]
    if v in (0.0, 1.0) or r in (0.0, 1.0) or max(shares) - min(shares) <= 0:
        return None
    named = {
        g.name: {"prevalence": s, "fpr": min(1.0, s / (1 - s) * (1 - v) / v * r) if s < 1 else None}
        for g, s in zip(groups, shares, strict=True)
    }
    return {"precision": v, "recall": r, "groups": named}
