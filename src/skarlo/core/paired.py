"""Tests and intervals of the difference between two candidates on the same rows."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from scipy.special import ndtr

from . import influence, ranking
from .answers import Answers, mean_variance
from .definitions import METRICS
from .intervals import Interval, wilson, z_value
from .own import influence as own_influence
from .probability import row_loss
from .study import OwnMetric
from .values import BoolArray, Difference, FloatArray, IntArray, clean, total


@dataclass(frozen=True)
class Compared:
    """A difference whose interval can still be asked for at any confidence (Holm's needs two)."""

    difference: float
    p: float | None
    test: str
    interval: Callable[[float], Interval] | None
    why: str = ""


def normal(difference: float, variance: float, test: str) -> Compared:
    """Normal theory. No difference and no variance: p = 1; a difference and no variance: no p."""
    if variance <= 1e-30:
        if abs(difference) <= 1e-15:
            return Compared(difference, 1.0, test, lambda confidence: (difference, difference))
        return Compared(difference, None, test, None, "the rows show a difference and no variance")
    se = math.sqrt(variance)
    p = min(1.0, 2.0 * float(ndtr(-abs(difference) / se)))

    def interval(confidence: float) -> Interval:
        half = z_value(confidence) * se
        return difference - half, difference + half

    return Compared(difference, p, test, interval)


def mcnemar_midp(b: int, c: int) -> float:
    """Mid-p McNemar test of b against c discordant rows.

    Fagerland, Lydersen and Laake 2013, BMC Med. Res. Methodol. 13:91.

    Examples
    --------
    Their table 1 (b = 1, c = 7): p = 0.039.

    >>> round(mcnemar_midp(1, 7), 3)
    0.039
    """
    from scipy.stats import binom  # slow to import

    if b + c == 0:
        return 1.0
    k = min(b, c)
    return min(1.0, float(2.0 * binom.cdf(k, b + c, 0.5) - binom.pmf(k, b + c, 0.5)))


def paired_interval(a: int, b: int, c: int, d: int, confidence: float) -> Interval:
    """Interval of (b - c)/n for paired proportions (Newcombe 1998, Stat. Med. 17:2635, method 10).

    a: both right, b: only the first, c: only the second, d: neither.
    """
    n = a + b + c + d
    p1, p2 = (a + b) / n, (a + c) / n
    l1, u1 = wilson(a + b, n, confidence)
    l2, u2 = wilson(a + c, n, confidence)
    margins = (a + b) * (c + d) * (a + c) * (b + d)
    phi = 0.0
    if margins > 0:
        cross = a * d - b * c
        phi = (max(cross - n / 2.0, 0.0) if cross > 0 else float(cross)) / math.sqrt(margins)
    down = (p1 - l1) ** 2 - 2 * phi * (p1 - l1) * (u2 - p2) + (u2 - p2) ** 2
    up = (u1 - p1) ** 2 - 2 * phi * (u1 - p1) * (p2 - l2) + (p2 - l2) ** 2
    difference = (b - c) / n
    return max(-1.0, difference - math.sqrt(max(down, 0.0))), min(1.0, difference + math.sqrt(max(up, 0.0)))


def agreement(a: int, b: int, c: int, d: int) -> Compared:
    """Difference of two paired shares by McNemar's mid-p and Newcombe's method 10."""
    n = a + b + c + d
    return Compared(
        (b - c) / n, mcnemar_midp(b, c), "mcnemar_midp", lambda confidence: paired_interval(a, b, c, d, confidence)
    )


def predictive_value(
    hits_a: int, called_a: int, hits_b: int, called_b: int, hits_both: int, called_both: int
) -> Compared:
    """Difference of two paired predictive values: weighted generalised score (Kosinski 2013, Stat. Med. 32:964).

    `called` are the rows each predicts so, `hits` those that are; `both` are the rows that both predict so.
    """
    difference = hits_a / called_a - hits_b / called_b
    rows = called_a + called_b
    pooled = (hits_a + hits_b) / rows
    shared = (hits_both * (1 - pooled) ** 2 + (called_both - hits_both) * pooled**2) / rows
    variance = (pooled * (1 - pooled) - 2 * shared) * (1 / called_a + 1 / called_b)
    return normal(difference, max(variance, 0.0), "kosinski")


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


def holm(p_values: Iterable[float | None]) -> list[float | None]:
    """Holm's (1979) step-down adjustment over the p-values that exist.

    Examples
    --------
    >>> holm([0.01, None, 0.04, 0.03])
    [0.03, None, 0.06, 0.06]
    """
    ps = list(p_values)
    order = sorted((i for i, p in enumerate(ps) if p is not None), key=lambda i: ps[i] or 0.0)
    out: list[float | None] = [None] * len(ps)
    running = 0.0
    for rank, i in enumerate(order):
        running = max(running, min(1.0, (len(order) - rank) * (ps[i] or 0.0)))
        out[i] = running
    return out


def family(pairs: list[Compared | str], confidence: float) -> list[Difference]:
    """The differences of one metric over all pairs, adjusted together. A string is why there is none."""
    adjusted = holm([p.p if isinstance(p, Compared) else None for p in pairs])
    m = sum(1 for p in adjusted if p is not None)
    out: list[Difference] = []
    for pair, p_adjusted in zip(pairs, adjusted, strict=True):
        if isinstance(pair, str):
            out.append({"difference": None, "why": pair})
            continue
        entry: Difference = {"difference": clean(pair.difference)}
        plain = pair.interval(confidence) if pair.interval else None
        wide = pair.interval(1 - (1 - confidence) / m) if pair.interval and m else None
        entry["low"], entry["high"] = (clean(plain[0]), clean(plain[1])) if plain else (None, None)
        entry["low_adjusted"], entry["high_adjusted"] = (clean(wide[0]), clean(wide[1])) if wide else (None, None)
        entry["p"], entry["p_adjusted"], entry["test"] = pair.p, p_adjusted, pair.test
        if pair.p is None:
            entry["why"] = pair.why
        out.append(entry)
    return out
