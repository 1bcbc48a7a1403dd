"""Tests and intervals of the difference between two candidates on the same rows."""

from __future__ import annotations

import numpy as np

from ..counting.answers import Answers, mean_variance
from ..metrics import influence, ranking
from ..metrics.definitions import METRICS
from ..metrics.losses import row_loss
from ..metrics.own import influence as own_influence
from ..number import BoolArray, FloatArray, IntArray, total
from ..stats.tests import Compared, agreement, normal, predictive_value
from ..study import OwnMetric


def by_influence(
    psi_a: FloatArray | None, psi_b: FloatArray | None, a: Answers, gap: float, test: str
) -> Compared:  # fmt: skip
    """Difference of two values by the rows' influence: linearised with weights, cluster-robust with groups."""
    if psi_a is None or psi_b is None:
        return Compared(gap, None, test, None, "the difference has no variance estimate")
    return normal(gap, mean_variance(psi_a - psi_b, a.weight, a.group), test + a.suffix)


def areas(a: Answers, b: Answers, gap: float) -> Compared:
    """Paired difference of two areas (DeLong, DeLong and Clarke-Pearson 1988, Biometrics 44:837)."""
    assert a.tally is not None
    assert b.tally is not None
    (pos_a, neg_a), (pos_b, neg_b) = ranking.placements(a.tally), ranking.placements(b.tally)
    pos = a.is_positive
    d10 = pos_a[a.place[pos]] - pos_b[b.place[pos]] - gap
    d01 = neg_a[a.place[~pos]] - neg_b[b.place[~pos]] - gap
    if len(d10) < 2 or len(d01) < 2:
        return Compared(gap, None, "delong_paired" + a.suffix, None, "the test needs two rows of each class")
    if a.designed:
        group = np.arange(len(pos)) if a.group is None else a.group
        weights = (None, None) if a.weight is None else (a.weight[pos], a.weight[~pos])
        variance = ranking.clustered_area_variance(d10, d01, weights, (group[pos], group[~pos]))
    else:
        p, n = len(d10), len(d01)
        variance = total(d10**2) / (p - 1) / p + total(d01**2) / (n - 1) / n
    return normal(gap, variance, "delong_paired" + a.suffix)


def losses(name: str, a: Answers, b: Answers) -> Compared:
    """Paired difference of two mean losses."""
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


def _quad(a: BoolArray, b: BoolArray) -> tuple[int, int, int, int]:
    """Rows where both, only the first, only the second, neither."""
    return (int((a & b).sum()), int((a & ~b).sum()), int((~a & b).sum()), int((~a & ~b).sum()))


AGREEMENT = ("accuracy", "recall", "fnr", "specificity", "fpr")
DELTA = ("f1", "mcc", "kappa", "balanced_accuracy", "youden_j")


def compare(
    name: str, a: Answers, b: Answers, values: tuple[float, float], positive: int, own: OwnMetric | None = None
) -> Compared:
    """The paired difference of a metric between two candidates on the same rows.

    a, b : answers over the same rows; for metrics of scores only rows that both answered
    values : the metric's value for each
    positive : the class read against the rest
    own : the study's own metric of that name, if it is one
    """
    gap = values[0] - values[1]
    if own is not None:
        psi = [own_influence(own, x) for x in (a, b)]
        if psi[0] is None and psi[1] is None:
            return Compared(gap, None, "none", None, f"there is no paired test of {name}")
        return by_influence(psi[0], psi[1], a, gap, "delta")
    if name == "roc_auc":
        return areas(a, b, gap)
    if name in ("brier", "log_loss"):
        return losses(name, a, b)
    if name == "average_precision":
        return _by_rows(name, a, b, gap, positive, "influence")
    if name in DELTA or (a.designed and name in (*AGREEMENT, "precision", "npv")):
        return _by_rows(name, a, b, gap, positive, "delta")
    if name in AGREEMENT:
        return agreement(*_agreement(name, a, b, positive))
    if name in ("precision", "npv"):
        return _predictive(name, a, b, positive)
    return Compared(gap, None, "none", None, f"there is no paired test of {METRICS[name].title}")


def _by_rows(name: str, a: Answers, b: Answers, gap: float, positive: int, test: str) -> Compared:
    return by_influence(influence.of_rows(name, a, positive), influence.of_rows(name, b, positive), a, gap, test)


def _said(a: Answers) -> IntArray:
    assert a.predicted is not None
    return a.predicted


def _agreement(name: str, a: Answers, b: Answers, positive: int) -> tuple[int, int, int, int]:
    x, y = _said(a), _said(b)
    if name == "accuracy":
        return _quad(x == a.actual, y == a.actual)
    rows = (a.actual == positive) == (name in ("recall", "fnr"))
    x, y = x[rows], y[rows]
    if name in ("recall", "fpr"):
        return _quad(x == positive, y == positive)
    if name == "fnr":
        return _quad(x != positive, y != positive)
    return _quad((x != positive) & (x >= 0), (y != positive) & (y >= 0))


def _predictive(name: str, a: Answers, b: Answers, positive: int) -> Compared:
    x, y = _said(a), _said(b)
    is_so = a.actual == positive
    if name == "precision":
        x_so, y_so = x == positive, y == positive
    else:
        is_so, x_so, y_so = ~is_so, (x != positive) & (x >= 0), (y != positive) & (y >= 0)
    both = x_so & y_so
    return predictive_value(
        int((x_so & is_so).sum()), int(x_so.sum()), int((y_so & is_so).sum()), int(y_so.sum()),
        int((both & is_so).sum()), int(both.sum()),
    )  # fmt: skip
