"""Tests and intervals of the difference between two candidates on the same rows."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..counting.answers import Answers, Scored, mean_variance
from ..counting.joint import Joint
from ..metrics import classes, counts, influence, own, ranking, spread
from ..metrics.definitions import METRICS
from ..metrics.losses import row_loss
from ..number import BoolArray, FloatArray, total
from ..once import lazy
from ..stats.estimate import Estimate
from ..stats.intervals import Interval, wilson_share, z_value
from ..stats.mover import correlation, mover, mover_mean
from ..stats.tests import Compared, agreement, normal, normal_p, paired_interval, predictive_value
from ..study import OwnMetric
from .together import PairSums, Together, of_one_score


@dataclass(frozen=True)
class Both:
    """Two candidates on the same rows, and what several of their differences read.

    whole : the scores that these are left of where rows without a score went, as they stand in `together`
    """

    a: Answers
    b: Answers
    together: Together | None = None
    whole: tuple[Scored, Scored] | None = None

    def sums(self, name: str) -> PairSums | None:
        """What the rows bear on a metric of scores, summed pair by pair; None where rows have weights or groups, where
        the two give no scores of two classes, or where there are not rows of both classes."""
        a, b = self.a.scored, self.b.scored
        if a is None or b is None or self.a.designed or not (a.complete and b.complete):
            return None
        if not (a.tally.positives and a.tally.negatives):
            return None
        rows = a.tally.positives, a.tally.negatives
        found = None if self.together is None else self.together.of(name, *(self.whole or (a, b)), rows)
        return found or of_one_score(name, a, b) or self._two.of(name, a, b)

    @lazy
    def _two(self) -> Together:
        return Together([x.scored for x in self.sides if x.scored is not None])

    @lazy
    def joint(self) -> Joint:
        """Their rows as counts of (actual, predicted by a, predicted by b)."""
        return Joint.of(self.a, self.b)

    @property
    def sides(self) -> tuple[Answers, Answers]:
        return self.a, self.b

    def placement_variance(self, on_pos: FloatArray, on_neg: FloatArray) -> float:
        """The variance of an area, or of a difference of two, from centred placements."""
        a = self.a
        pos = a.is_positive
        if a.designed:
            group = np.arange(len(pos)) if a.group is None else a.group
            weights = (None, None) if a.weight is None else (a.weight[pos], a.weight[~pos])
            return ranking.clustered_area_variance(on_pos, on_neg, weights, (group[pos], group[~pos]))
        p, n = len(on_pos), len(on_neg)
        return total(on_pos**2) / (p - 1) / p + total(on_neg**2) / (n - 1) / n


def by_influence(
    psi_a: FloatArray | None, psi_b: FloatArray | None, a: Answers, gap: float, test: str
) -> Compared:  # fmt: skip
    """Difference of two values by the rows' influence: linearised with weights, cluster-robust with groups."""
    if psi_a is None or psi_b is None:
        return Compared(gap, None, test, None, "the difference has no variance estimate")
    return normal(gap, mean_variance(psi_a - psi_b, a.weight, a.group), test + a.suffix)


def carried(found: Compared, estimates: Sequence[Estimate], rho: float) -> Compared:
    """The same test, its interval carried over from the two own ones; as it was where one of them has none."""
    first, second = estimates
    if first.ends is None or second.ends is None:
        return found

    def interval(confidence: float) -> Interval:
        z = z_value(confidence)
        assert first.ends is not None
        assert second.ends is not None
        return mover(first.value, first.ends(z), second.value, second.ends(z), rho)

    return Compared(found.difference, found.p, found.test, interval, found.why, "mover")


def areas(both: Both, gap: float) -> Compared:
    """Paired difference of two areas.

    Test: DeLong, DeLong and Clarke-Pearson 1988, Biometrics 44:837. Interval: of the two areas' own.
    """
    test = "delong_paired" + both.a.suffix
    sums = both.sums("roc_auc")
    if sums is not None and min(sums.rows) >= 2:
        (p, n), squares = sums.rows, (*sums.squares, sums.squared_gap)
        of_a, of_b, of_gap = (float(s[0]) / (p - 1) / p + float(s[1]) / (n - 1) / n for s in squares)
        return _areas(both, gap, test, (of_a, of_b, of_gap))
    (pos_a, neg_a), (pos_b, neg_b) = (ranking.placed_rows(x) for x in both.sides)
    if len(pos_a) < 2 or len(neg_a) < 2:
        return Compared(gap, None, test, None, "the test needs two rows of each class")
    of_a, of_b = both.placement_variance(pos_a, neg_a), both.placement_variance(pos_b, neg_b)
    of_gap = both.placement_variance(pos_a - pos_b, neg_a - neg_b)
    return _areas(both, gap, test, (of_a, of_b, of_gap))


def _areas(both: Both, gap: float, test: str, variances: tuple[float, float, float]) -> Compared:
    """By the variances of the first, the second and the difference."""
    of_a, of_b, of_gap = variances
    found = normal(gap, of_gap, test)
    estimates = [
        ranking.roc_auc_estimate(x, x.tally, own if _left(x) and not x.designed else None)
        for x, own in zip(both.sides, variances, strict=False) if x.tally is not None
    ]  # fmt: skip
    return carried(found, estimates, correlation((of_a + of_b - of_gap) / 2, of_a, of_b))


def losses(name: str, both: Both) -> Compared:
    """Paired difference of two mean losses."""
    a, b = both.sides
    sums = both.sums(name)
    if sums is not None:
        n, around = sum(sums.rows), total(sums.gap)
        mean = sums.means[0] - sums.means[1] + around / n
        if n < 2:
            return Compared(mean, None, "influence", None, "the test needs two rows")
        variance = max(0.0, total(sums.squared_gap) - around * around / n) / (n - 1) / n
        return normal(mean, variance, "influence")
    if a.designed:
        weight = np.ones(len(a.actual)) if a.weight is None else a.weight
        d = row_loss(a, name) - row_loss(b, name)
        mean = total(weight * d) / total(weight)
        return normal(mean, mean_variance(d - mean, a.weight, a.group), "influence" + a.suffix)
    gap = row_loss(a, name) - row_loss(b, name)
    n = len(gap)
    mean = total(gap) / n
    if n < 2:
        return Compared(mean, None, "influence", None, "the test needs two rows")
    return normal(mean, total((gap - mean) ** 2) / (n - 1) / n, "influence")


def _grouped(psi: FloatArray, a: Answers) -> FloatArray:
    """Influence times weight, summed within groups."""
    part = psi if a.weight is None else psi * a.weight
    if a.group is None:
        return part
    _, code = np.unique(a.group, return_inverse=True)
    return np.asarray(np.bincount(code, weights=part), dtype=np.float64)


def influence_correlation(psi_a: FloatArray, psi_b: FloatArray, a: Answers) -> float:
    """How two values are correlated, from the rows' influence on each."""
    x, y = _grouped(psi_a, a), _grouped(psi_b, a)
    return correlation(total(x * y), total(x * x), total(y * y))


def _carried_by_influence(both: Both, psi: Sequence[FloatArray | None], gap: float, test: str,
                          estimates: Sequence[Estimate]) -> Compared:  # fmt: skip
    found = by_influence(psi[0], psi[1], both.a, gap, test)
    if psi[0] is None or psi[1] is None:
        return found
    return carried(found, estimates, influence_correlation(psi[0], psi[1], both.a))


def _average_precision(name: str, both: Both, gap: float, positive: int) -> Compared:
    sums = both.sums(name)
    if sums is not None:
        n = float(sum(sums.rows))
        found = normal(gap, total(sums.squared_gap) / (n * n), "influence")
        own = [total(s) for s in sums.squares]
        steps = [
            ranking.average_precision_estimate(x, x.tally, s / (n * n) if _left(x) else None)
            for x, s in zip(both.sides, own, strict=True) if x.tally is not None
        ]  # fmt: skip
        return carried(found, steps, correlation(sums.cross, *own))
    psi = [influence.of_rows(name, x, positive) for x in both.sides]
    estimates = [ranking.average_precision_estimate(x, x.tally) for x in both.sides if x.tally is not None]
    return _carried_by_influence(both, psi, gap, "influence", estimates)


def _left(a: Answers) -> bool:
    """Whether these rows are those that were left of others, and nobody else reads them."""
    return a.scored is not None and a.scored.source is not None


def _pooled(name: str, both: Both, gap: float) -> Compared:
    """Areas over all pairs of a row and a class, whose groups are the rows."""
    pairs = Both(classes.pooled(both.a), classes.pooled(both.b))
    return areas(pairs, gap) if name == "roc_auc_micro" else _average_precision("average_precision", pairs, gap, 1)


# What classes were predicted.


def _cells(both: Both, positive: int) -> dict[str, BoolArray]:
    return _cells_of(*both.joint.cells.shape[:2], positive)


@lru_cache(maxsize=256)
def _cells_of(k: int, width: int, positive: int) -> dict[str, BoolArray]:
    row, column = np.indices((k, width))
    flagged, answered = column == positive, column < k
    return {
        "right": row == column, "flagged": flagged, "not_flagged": ~flagged, "passed": ~flagged & answered,
    }  # fmt: skip


# Of which rows (all, positives, negatives), and which cells count.
AGREEMENT = {
    "accuracy": (None, "right"), "recall": (True, "flagged"), "fnr": (True, "not_flagged"),
    "specificity": (False, "passed"), "fpr": (False, "flagged"),
}  # fmt: skip


def _agreement(name: str, both: Both, gap: float, positive: int) -> Compared:
    if both.a.designed:
        return _rate_by_influence(name, both, gap, positive)
    of, which = AGREEMENT[name]
    cells = _cells(both, positive)[which]
    joint = both.joint
    if of is not None:
        rows = (np.arange(joint.cells.shape[0]) == positive) == of
        joint, cells = joint.within(rows), cells[rows]
    return agreement(*joint.quad(cells))


def _predictive(name: str, both: Both, gap: float, positive: int) -> Compared:
    """Precision or negative predictive value: Kosinski's test, the interval of the two Wilson intervals.

    Their covariance: Moskowitz and Pepe 2006, Clin. Trials 3:272.
    """
    if both.a.designed:
        return _rate_by_influence(name, both, gap, positive)
    cells = _cells(both, positive)["flagged" if name == "precision" else "passed"]
    joint = both.joint
    is_so = (np.arange(joint.cells.shape[0]) == positive) == (name == "precision")
    both_so, first, second, _ = joint.quad(cells)
    hits, hits_a, hits_b, _ = joint.within(is_so).quad(cells[is_so])
    called_a, called_b = both_so + first, both_so + second
    found = predictive_value(hits + hits_a, called_a, hits + hits_b, called_b, hits, both_so)
    p, q = (hits + hits_a) / called_a, (hits + hits_b) / called_b
    covariance = (hits * (1 - p) * (1 - q) + (both_so - hits) * p * q) / (called_a * called_b)
    rho = correlation(covariance, p * (1 - p) / called_a, q * (1 - q) / called_b)

    def interval(confidence: float) -> Interval:
        return mover(p, wilson_share(p, called_a, confidence), q, wilson_share(q, called_b, confidence), rho)

    return Compared(found.difference, found.p, found.test, interval, found.why, "mover")


def _rate_by_influence(name: str, both: Both, gap: float, positive: int) -> Compared:
    """A rate with weights or groups: the delta method, the interval of the two Wilson intervals on effective rows."""
    psi = [influence.of_rows(name, x, positive) for x in both.sides]
    found = by_influence(psi[0], psi[1], both.a, gap, "delta")
    tables = [x.table for x in both.sides]
    if (
        METRICS[name].paired != "predictive"
        or psi[0] is None
        or psi[1] is None
        or tables[0] is None
        or tables[1] is None
    ):
        return found
    shares = [t.share(*counts.masks(t, positive)[name]) for t in tables if t is not None]
    rho = influence_correlation(psi[0], psi[1], both.a)

    def interval(confidence: float) -> Interval:
        ends = [s.interval(confidence) for s in shares]
        return mover(shares[0].value, ends[0], shares[1].value, ends[1], rho)

    return Compared(found.difference, found.p, found.test, interval, found.why, "mover" + both.a.suffix)


def _recalls(name: str, both: Both, gap: float, positive: int) -> Compared:
    """Mean (or sum) of the classes' recalls: method 10 for each class with rows, then the mean of independent parts."""
    if both.a.designed:
        psi = [influence.of_rows(name, x, 0) for x in both.sides]
        return by_influence(psi[0], psi[1], both.a, gap, "delta")
    joint = both.joint
    right = _cells(both, 0)["right"]
    quads = []
    for k in range(joint.cells.shape[0]):
        rows = np.arange(joint.cells.shape[0]) == k
        quad = joint.within(rows).quad(right[rows])
        if sum(quad):
            quads.append(quad)
    parts = len(quads) if name == "balanced_accuracy" else 1
    gaps = [(q[1] - q[2]) / sum(q) for q in quads]
    variance = sum((q[1] + q[2]) / sum(q) ** 2 for q in quads)
    p = normal_p(sum(gaps) / math.sqrt(variance)) if variance > 0 else 1.0

    def interval(confidence: float) -> Interval:
        ends = [paired_interval(*q, confidence) for q in quads]
        most = len(quads) / parts
        return mover_mean(gaps, ends, parts=parts, limits=(-most, most))

    return Compared(gap, p, "null_score", interval, kind="mover_paired")


def compare(
    name: str, both: Both, values: tuple[float, float], positive: int, mine: OwnMetric | None = None
) -> Compared:
    """The paired difference of a metric between two candidates on the same rows.

    both : answers over the same rows; for metrics of scores only rows that both answered
    values : the metric's value for each
    positive : the class read against the rest
    mine : the study's own metric of that name, if it is one
    """
    gap = values[0] - values[1]
    if mine is not None:
        return _own(mine, both, gap, positive)
    return WAYS[METRICS[name].paired](name, both, gap, positive)


def _none(name: str, both: Both, gap: float, positive: int) -> Compared:
    return Compared(gap, None, "none", None, f"there is no paired test of {METRICS[name].title}")


# By what a metric's entry says of it.
WAYS: dict[str, Callable[[str, Both, float, int], Compared]] = {
    "": _none,
    "agreement": _agreement,
    "predictive": _predictive,
    "recalls": _recalls,
    "spread": lambda name, both, gap, k: spread.pair(spread.of_metric(name, k), both.a, both.b, both.joint, gap),
    "areas": lambda name, both, gap, k: areas(both, gap),
    "steps": _average_precision,
    "losses": lambda name, both, gap, k: losses(name, both),
    "macro": lambda name, both, gap, k: classes.macro_area_difference(both.a, both.b),
    "pooled": lambda name, both, gap, k: _pooled(name, both, gap),
}


def _own(mine: OwnMetric, both: Both, gap: float, positive: int) -> Compared:
    if mine.formula is not None and not mine.formula.sums and both.a.positive is not None:
        return spread.pair(spread.of_formula(mine, positive), both.a, both.b, both.joint, gap)
    psi = [own.influence(mine, x) for x in both.sides]
    if psi[0] is None and psi[1] is None:
        return Compared(gap, None, "none", None, f"there is no paired test of {mine.name}")
    if mine.measure == "partial_area":
        estimates = [own.partial_area_estimate(mine, x, x.tally) for x in both.sides if x.tally is not None]
        return _carried_by_influence(both, psi, gap, "delta", estimates)
    return by_influence(psi[0], psi[1], both.a, gap, "delta")
