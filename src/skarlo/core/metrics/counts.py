"""Metrics that come from the matrix alone, each with its interval."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from ..counting import outcomes
from ..counting.table import Sampling, Table, prior, thin
from ..number import BoolArray, FloatArray, IntArray, Metric, absent, bounded, measured, point
from ..once import lazy
from ..stats import intervals
from ..stats.draws import NO_DRAW, ends
from . import agreement
from .definitions import METRICS

Names = dict[str, str]
Masks = tuple[BoolArray, BoolArray]


def masks(table: Table, positive: int) -> dict[str, Masks]:
    """For each rate, which cells are in its numerator and its denominator, one class read against the rest."""
    return _masks(table.classes, int(table.cells.shape[1]), positive)


# Each rate, and F1, as one outcome over another.
OVER = {d.name: d.over for d in METRICS.values() if d.over is not None}
WHY = {name: METRICS[name].why for name in OVER}
RATES = tuple(name for name in OVER if name != "f1")


@lru_cache(maxsize=256)
def _masks(k: int, width: int, positive: int) -> dict[str, Masks]:
    which = outcomes.masks(k, width, positive)
    return {name: (which[top], which[below]) for name, (top, below) in OVER.items()}


def value(name: str, table: Table, positive: int) -> float | None:
    """A count metric's value alone; None where there is none."""
    if table.total <= 0:
        return None
    if name in agreement.FORMULAS:
        found = _scalar(agreement.FORMULAS[name], table.cells.astype(np.float64))
        return None if found is None else min(1.0, max(-1.0, found))
    if METRICS[name].paired == "recalls":
        shares = [table.share(*masks(table, k)["recall"]) for k in range(table.classes)]
        recalls = [s.value for s in shares if s.n > 0]
        if not recalls or (table.classes == 2 and len(recalls) < 2):
            return None
        return sum(recalls) / len(recalls) if name == "balanced_accuracy" else sum(recalls) - 1
    share = table.share(*masks(table, positive)[name])
    if share.n <= 0:
        return None
    return 2 * share.k / (share.k + share.n) if name == "f1" else share.value


def values(name: str, cells: IntArray, positive: int) -> FloatArray:
    """The same of many matrices of plain counts at once, shape (m, K, L); NaN where there is none.

    Examples
    --------
    >>> values("recall", np.array([[[8, 2], [1, 3]], [[8, 2], [0, 0]]]), 1).tolist()
    [0.75, nan]
    """
    if name in agreement.FORMULAS:
        with np.errstate(invalid="ignore", divide="ignore"):
            found = np.asarray(agreement.FORMULAS[name](cells.astype(np.float64)), dtype=np.float64)
        return np.where(np.isfinite(found), np.clip(found, -1.0, 1.0), np.nan)
    k, width = cells.shape[1:]
    if METRICS[name].paired == "recalls":
        each = [shares_in(cells, *_masks(k, width, one)["recall"]) for one in range(k)]
        there = np.stack([s.exists for s in each])
        rows = np.where(there, np.stack([s.value for s in each]), 0.0).sum(axis=0)
        least = 2 if k == 2 else 1
        many = there.sum(axis=0)
        whole = rows / np.maximum(many, 1) if name == "balanced_accuracy" else rows - 1
        return np.where(many >= least, whole, np.nan)
    share = shares_in(cells, *_masks(k, width, positive)[name])
    found = 2 * share.k / np.maximum(share.k + share.n, 1) if name == "f1" else share.value
    return np.where(share.exists, found, np.nan)


@dataclass(frozen=True)
class Shares:
    """k of n in each of m tables, resting on so many rows and effectively on so many; each shape (m,)."""

    k: FloatArray
    n: FloatArray
    rows: FloatArray
    effective: FloatArray

    @lazy
    def exists(self) -> BoolArray:
        return np.asarray(self.n > 0)

    @lazy
    def value(self) -> FloatArray:
        """The shares; 0 where there is nothing to share, which `exists` says."""
        return np.divide(self.k, self.n, out=np.zeros(len(self.k)), where=self.exists)

    def interval(self, confidence: float) -> intervals.Intervals:
        """Wilson's interval on the effective numbers of rows."""
        return intervals.wilson_shares(self.value, np.where(self.exists, self.effective, 1.0), confidence)


def _shares_of(table: Table, numerator: BoolArray, denominator: BoolArray) -> Shares:
    s = table.share(numerator, denominator)
    return Shares(*(np.array([x], dtype=np.float64) for x in (s.k, s.n, s.rows, s.effective)))


def shares_in(cells: IntArray, numerator: BoolArray, denominator: BoolArray) -> Shares:
    """The share of each of many tables, shape (m, K, L), of plain counts."""
    flat = cells.reshape(len(cells), -1)
    k = flat[:, numerator.reshape(-1)].sum(axis=1).astype(np.float64)
    n = flat[:, denominator.reshape(-1)].sum(axis=1).astype(np.float64)
    return Shares(k, n, n, n)


def rate(name: str, table: Table, positive: int, sampling: Sampling, names: Names) -> Metric:
    """One rate (or F1) of the class read against the rest, with its interval; marked thin on few rows."""
    return _rates(name, _shares_of(table, *masks(table, positive)[name]), sampling, names, table.suffix)[0]


def _rates(name: str, s: Shares, sampling: Sampling, names: Names, suffix: str) -> list[Metric]:
    low, high = s.interval(sampling.confidence)
    value, kind = s.value, "wilson"
    if name == "f1":
        value = 2 * s.k / np.where(s.exists, s.k + s.n, 1.0)
        kind, low, high = "wilson_mapped", 2 * low / (1 + low), 2 * high / (1 + high)
    ends_ = np.maximum(0.0, np.minimum(low, value)), np.minimum(1.0, np.maximum(high, value))
    found = _told(value, ends_, kind + suffix, s.rows < sampling.min_denominator)
    for i in np.flatnonzero(~s.exists).tolist():
        found[i] = absent(WHY[name].format(**names))
    return found


def share(table: Table, numerator: BoolArray, denominator: BoolArray, sampling: Sampling, why: str) -> Metric:
    """Any share of a table's cells with Wilson's interval, marked thin on few rows; `why` says what it lacks."""
    s = _shares_of(table, numerator, denominator)
    if not s.exists[0]:
        return absent(why)
    low, high = s.interval(sampling.confidence)
    ends_ = np.maximum(0.0, np.minimum(low, s.value)), np.minimum(1.0, np.maximum(high, s.value))
    return _told(s.value, ends_, "wilson" + table.suffix, s.rows < sampling.min_denominator)[0]


def _told(value: FloatArray, ends_: intervals.Intervals, kind: str, few: BoolArray) -> list[Metric]:
    """Metrics of many tables; `few` says which are thin."""
    rows = zip((value + 0.0).tolist(), (ends_[0] + 0.0).tolist(), (ends_[1] + 0.0).tolist(), strict=True)
    out: list[Metric] = [{"value": x, "low": low, "high": high, "interval": kind} for x, low, high in rows]
    for i in np.flatnonzero(few).tolist():
        out[i]["thin"] = True
    return out


def count_metrics(table: Table, positive: int, sampling: Sampling, names: Names) -> dict[str, Metric]:
    """All count metrics of a two-class matrix.

    Parameters
    ----------
    table : shape (2, 2), or (2, 3) with a last column for no answer
    positive : which class is the positive one
    sampling : confidence, seed and draws
    names : "positive" and "negative" -> the classes' labels, for the reasons of absent numbers

    Examples
    --------
    >>> import numpy as np
    >>> cells = np.array([[28, 2], [4, 6]])
    >>> m = count_metrics(Table(cells, cells), 1, Sampling(), {"positive": "yes", "negative": "no"})
    >>> m["precision"]["value"], m["recall"]["value"]
    (0.75, 0.6)
    """
    shares = {name: _shares_of(table, *which) for name, which in masks(table, positive).items()}
    return _all_metrics(shares, [agreement_metrics(table, sampling)], sampling, names, table.suffix)[0]


def count_metrics_each(cells: IntArray, positive: int, sampling: Sampling, names: Names) -> list[dict[str, Metric]]:
    """The same of many matrices at once, shape (m, 2, L), of plain counts."""
    if not len(cells):
        return []
    which = _masks(cells.shape[1], cells.shape[2], positive)
    shares = {name: shares_in(cells, *masks_) for name, masks_ in which.items()}
    return _all_metrics(shares, _agreement_each(cells, sampling), sampling, names, "")


ORDER = tuple(name for name in METRICS.counts if not METRICS[name].expression)


def _all_metrics(
    shares: dict[str, Shares], agreements: list[dict[str, Metric]], sampling: Sampling, names: Names, suffix: str
) -> list[dict[str, Metric]]:
    found = {name: _rates(name, s, sampling, names, suffix) for name, s in shares.items()}
    found |= _both_rates(found, shares["recall"], shares["specificity"], sampling, suffix)
    found |= {name: [one[name] for one in agreements] for name in ("mcc", "kappa")}
    return [dict(zip(ORDER, of_table, strict=True)) for of_table in zip(*(found[name] for name in ORDER), strict=True)]


def _both_rates(
    rates: dict[str, list[Metric]], recall: Shares, specificity: Shares, sampling: Sampling, suffix: str
) -> dict[str, list[Metric]]:
    """balanced_accuracy and youden_j: recall and specificity together."""
    a, b = (s.interval(sampling.confidence) for s in (recall, specificity))
    low, high = intervals.hybrid_sums(recall.value, a, specificity.value, b)
    both = recall.value + specificity.value
    few = (recall.rows < sampling.min_denominator) | (specificity.rows < sampling.min_denominator)
    out = {}
    for name, value, ends_, least in (
        ("balanced_accuracy", both / 2, (low / 2, high / 2), 0.0),
        ("youden_j", both - 1, (low - 1, high - 1), -1.0),
    ):
        kept = np.maximum(least, np.minimum(ends_[0], value)), np.minimum(1.0, np.maximum(ends_[1], value))
        metrics = _told(value, kept, "mover" + suffix, few)
        for i in np.flatnonzero(~(recall.exists & specificity.exists)).tolist():
            why = next(rates[r][i]["why"] for r in ("recall", "specificity") if "why" in rates[r][i])
            metrics[i] = absent(why)
        out[name] = metrics
    return out


def mean_recall(table: Table, sampling: Sampling) -> Metric:
    """Balanced accuracy of any number of classes: mean recall over those that have rows, hybrid interval."""
    shares = [table.share(*masks(table, k)["recall"]) for k in range(table.classes)]
    found = [s for s in shares if s.n > 0]
    if not found:
        return absent("there are no rows")
    value = sum(s.value for s in found) / len(found)
    ends_ = [s.interval(sampling.confidence) for s in found]
    down = sum((s.value - low) ** 2 for s, (low, _) in zip(found, ends_, strict=True)) ** 0.5
    up = sum((high - s.value) ** 2 for s, (_, high) in zip(found, ends_, strict=True)) ** 0.5
    low, high = value - down / len(found), value + up / len(found)
    metric = measured(value, *bounded(value, low, high, 0.0, 1.0), "mover" + table.suffix)
    if any(thin(s.rows, sampling) for s in found):
        metric["thin"] = True
    return metric


NO_AGREEMENT = {
    "mcc": "all rows have one actual class or one predicted class",
    "kappa": "the expected agreement is 1: all rows have one actual and predicted class",
}


def agreement_metrics(table: Table, sampling: Sampling) -> dict[str, Metric]:
    """mcc and kappa, from one set of draws, or from the expansion where every cell is large."""
    if table.suffix == "" and len(table.cells):
        return _agreement_each(table.cells[None], sampling)[0]
    return _agreement_drawn(table, sampling)


def _agreement_each(cells: IntArray, sampling: Sampling) -> list[dict[str, Metric]]:
    whole = cells.astype(np.float64)
    large = agreement.expandable(whole)
    told = {}
    for name, formula in agreement.FORMULAS.items():
        value = formula(whole[large])
        ends_ = agreement.quantiles(name, whole[large] + prior(cells.shape[2]), sampling.confidence)
        told[name] = iter(_told(value, ends_, "dirichlet", np.zeros(len(value), dtype=bool)))
    return [
        {name: next(told[name]) for name in told} if here else _agreement_drawn(Table(one, one), sampling)
        for here, one in zip(large.tolist(), cells, strict=True)
    ]


def _agreement_drawn(table: Table, sampling: Sampling) -> dict[str, Metric]:
    whole = table.cells.astype(np.float64)
    values = {name: _scalar(formula, whole) for name, formula in agreement.FORMULAS.items()}
    if all(v is None for v in values.values()):
        return {name: absent(NO_AGREEMENT[name]) for name in values}
    draws = table.dirichlet(sampling)
    return {
        name: drawn(values[name], formula(draws), table, sampling, NO_AGREEMENT[name], (-1.0, 1.0))
        for name, formula in agreement.FORMULAS.items()
    }


def _scalar(f: Callable[[FloatArray], FloatArray], matrix: FloatArray) -> float | None:
    if matrix.sum() <= 0:
        return None
    value = float(f(matrix))
    return value if np.isfinite(value) else None


def drawn(
    value: float | None, draws: FloatArray, table: Table, sampling: Sampling, why: str,
    limits: tuple[float, float] = (-np.inf, np.inf),
) -> Metric:  # fmt: skip
    """A value with the quantiles of its draws; a shrunk interval that misses the value says so."""
    if value is None:
        return absent(why)
    value = min(limits[1], max(limits[0], value))
    if not np.isfinite(draws).any():
        return point(value, NO_DRAW)
    low, high = ends(draws, sampling.confidence)
    metric = measured(value, low, high, "dirichlet" + table.suffix)
    if not low <= value <= high:
        metric["why_interval"] = "the interval is shrunk toward the middle and leaves the value outside"
    return metric


# Averages over classes.


def no_averages(why: str) -> dict[str, dict[str, Metric]]:
    """Averages where there are none, and why."""
    return {kind: dict.fromkeys(("precision", "recall", "f1"), absent(why)) for kind in ("macro", "weighted", "micro")}


def averages(table: Table, sampling: Sampling, per_class: list[dict[str, Metric]]) -> dict[str, dict[str, Metric]]:
    """Macro, weighted and micro averages of precision, recall and F1."""
    rows = table.cells.sum(axis=1).astype(np.float64)
    if rows.sum() <= 0:
        return no_averages("there are no rows")
    draws = table.multinomial(sampling)
    drawn_classes = _class_scores(draws)
    drawn_rows = draws.sum(axis=2)
    few = bool(table.rows.sum(axis=1)[rows > 0].min() < 10)
    out: dict[str, dict[str, Metric]] = {"macro": {}, "weighted": {}, "micro": {}}
    for name in ("precision", "recall", "f1"):
        values = np.array([m[name]["value"] or 0.0 for m in per_class])
        for kind in ("macro", "weighted"):
            weight = (rows > 0).astype(np.float64) if kind == "macro" else rows
            drawn_weight = (drawn_rows > 0).astype(np.float64) if kind == "macro" else drawn_rows
            value = float((values * weight).sum() / weight.sum())
            whole = drawn_weight.sum(axis=1)
            spread = np.divide((drawn_classes[name] * drawn_weight).sum(axis=1), whole, out=np.full(len(whole), np.nan),
                               where=whole > 0)  # fmt: skip
            if not np.isfinite(spread).any():
                out[kind][name] = point(value, NO_DRAW)
                continue
            low, high = ends(spread, sampling.confidence)
            metric = measured(value, low, high, "multinomial" + table.suffix)
            if not low <= value <= high:
                metric["why_interval"] = "the interval is shrunk toward the middle and leaves the value outside"
            if few:
                metric["unreliable"] = True
            out[kind][name] = metric
    out["micro"] = _micro(table, sampling)
    return out


def _class_scores(draws: FloatArray) -> dict[str, FloatArray]:
    """Precision (0 where undefined), recall and F1 of each class in each draw, shape (draws, K)."""
    k = draws.shape[1]
    hit = np.diagonal(draws[:, :, :k], axis1=1, axis2=2)
    actual, said = draws.sum(axis=2), draws.sum(axis=1)[:, :k]
    with np.errstate(invalid="ignore", divide="ignore"):
        return {
            "precision": np.where(said > 0, hit / said, 0.0),
            "recall": np.where(actual > 0, hit / actual, 0.0),
            "f1": np.where(actual + said > 0, 2 * hit / (actual + said), 0.0),
        }


def _micro(table: Table, sampling: Sampling) -> dict[str, Metric]:
    k = table.classes
    right = np.zeros(table.cells.shape, dtype=bool)
    right[np.arange(k), np.arange(k)] = True
    answered = np.zeros(table.cells.shape, dtype=bool)
    answered[:, :k] = True
    whole = table.share(right, np.ones(table.cells.shape, dtype=bool))
    accuracy = rate("accuracy", table, 0, sampling, {})
    if table.cells.shape[1] == k:
        return {"precision": accuracy, "recall": accuracy, "f1": accuracy}
    hit, said, actual = whole.k, float(table.cells[answered].sum()), whole.n
    why = "pooled counts that are not accuracy's have no interval"
    return {
        "precision": point(hit / said, why) if said > 0 else absent("no row is answered"),
        "recall": accuracy,
        "f1": point(2 * hit / (said + actual), why),
    }
