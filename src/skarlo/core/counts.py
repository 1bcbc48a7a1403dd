"""Metrics that come from the matrix alone, each with its interval."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from . import intervals
from .draws import NO_DRAW, ends
from .table import Sampling, Share, Table, thin
from .values import BoolArray, FloatArray, Metric, absent, bounded, clean, measured, point

Names = dict[str, str]
Masks = tuple[BoolArray, BoolArray]


def masks(table: Table, positive: int) -> dict[str, Masks]:
    """For each rate, which cells are in its numerator and its denominator, one class read against the rest."""
    return _masks(table.classes, int(table.cells.shape[1]), positive)


@lru_cache(maxsize=256)
def _masks(k: int, width: int, positive: int) -> dict[str, Masks]:
    shape = (k, width)
    row, column = np.indices(shape)
    is_pos, said_pos = row == positive, column == positive
    answered = column < k
    right = row == column
    everything = np.ones(shape, dtype=bool)
    said_neg = answered & ~said_pos
    return {
        "accuracy": (right, everything),
        "precision": (is_pos & said_pos, said_pos),
        "recall": (is_pos & said_pos, is_pos),
        "specificity": (~is_pos & said_neg, ~is_pos),
        "npv": (~is_pos & said_neg, said_neg),
        "fpr": (~is_pos & said_pos, ~is_pos),
        "fnr": (is_pos & ~said_pos, is_pos),
        "flagged_share": (said_pos, everything),
        "prevalence": (is_pos, everything),
        "f1": (is_pos & said_pos, is_pos | said_pos),
    }


WHY = {
    "accuracy": "there are no rows",
    "precision": "no row is predicted {positive}",
    "recall": "no row is actually {positive}",
    "specificity": "no row is actually {negative}",
    "npv": "no row is predicted {negative}",
    "fpr": "no row is actually {negative}",
    "fnr": "no row is actually {positive}",
    "flagged_share": "there are no rows",
    "prevalence": "there are no rows",
    "f1": "no row is actually or predicted {positive}",
}
RATES = tuple(name for name in WHY if name != "f1")


def rate(name: str, table: Table, positive: int, sampling: Sampling, names: Names) -> Metric:
    """One rate (or F1) of the class read against the rest, with its interval; marked thin on few rows."""
    return _rate(name, table, table.share(*masks(table, positive)[name]), sampling, names)


def _rate(name: str, table: Table, share: Share, sampling: Sampling, names: Names) -> Metric:
    if share.n <= 0:
        return absent(WHY[name].format(**names))
    low, high = share.interval(sampling.confidence)
    value, kind = share.value, "wilson"
    if name == "f1":
        value, kind = 2 * share.k / (share.k + share.n), "wilson_mapped"
        low, high = 2 * low / (1 + low), 2 * high / (1 + high)
    metric = measured(value, *bounded(value, low, high, 0.0, 1.0), kind + table.suffix)
    if thin(share.rows, sampling):
        metric["thin"] = True
    return metric


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
    which = masks(table, positive)
    shares = {name: table.share(*which[name]) for name in which}
    rates = {name: _rate(name, table, shares[name], sampling, names) for name in which}
    agreement = agreement_metrics(table, sampling)
    both = {
        "balanced_accuracy": _both_rates(table, rates, shares, sampling, halve=True),
        "youden_j": _both_rates(table, rates, shares, sampling, halve=False),
    }
    order = ("accuracy", "balanced_accuracy", "precision", "recall", "specificity", "npv", "f1", "mcc", "kappa",
             "youden_j", "fpr", "fnr", "flagged_share", "prevalence")  # fmt: skip
    return {name: (rates | agreement | both)[name] for name in order}


def _both_rates(
    table: Table, rates: dict[str, Metric], shares: dict[str, Share], sampling: Sampling, *, halve: bool
) -> Metric:
    recall, specificity = rates["recall"]["value"], rates["specificity"]["value"]
    if recall is None or specificity is None:
        return absent(rates["recall"].get("why") or rates["specificity"]["why"])
    a, b = (shares[name].interval(sampling.confidence) for name in ("recall", "specificity"))
    low, high = intervals.hybrid_sum(recall, a, specificity, b)
    kind = "mover" + table.suffix
    if halve:
        value = (recall + specificity) / 2
        metric = measured(value, *bounded(value, low / 2, high / 2, 0.0, 1.0), kind)
    else:
        value = recall + specificity - 1
        metric = measured(value, *bounded(value, low - 1, high - 1, -1.0, 1.0), kind)
    if rates["recall"].get("thin") or rates["specificity"].get("thin"):
        metric["thin"] = True
    return metric


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


def mcc(matrix: FloatArray) -> FloatArray:
    """Gorodkin's (2004) multi-class Matthews coefficient of matrices, shape (..., K, L), L >= K; NaN where undefined.

    Rows are actual, columns predicted; the first K columns are the classes in the same order.
    """
    n = matrix.sum(axis=(-2, -1))
    actual, predicted = matrix.sum(axis=-1), matrix.sum(axis=-2)
    k = matrix.shape[-2]
    right = np.trace(matrix[..., :k], axis1=-2, axis2=-1)
    cov = right * n - (actual * predicted[..., :k]).sum(axis=-1)
    a, b = n * n - (actual**2).sum(axis=-1), n * n - (predicted**2).sum(axis=-1)
    with np.errstate(invalid="ignore", divide="ignore"):
        result: FloatArray = np.where((a > 0) & (b > 0), cov / np.sqrt(a) / np.sqrt(b), np.nan)
    return result


def kappa(matrix: FloatArray) -> FloatArray:
    """Cohen's (1960) kappa of matrices, shape (..., K, L), L >= K; NaN where the expected agreement is 1."""
    n = matrix.sum(axis=(-2, -1))
    k = matrix.shape[-2]
    actual, predicted = matrix.sum(axis=-1), matrix.sum(axis=-2)[..., :k]
    right = np.trace(matrix[..., :k], axis1=-2, axis2=-1)
    expected = (actual * predicted).sum(axis=-1)
    with np.errstate(invalid="ignore", divide="ignore"):
        result: FloatArray = np.where(n * n > expected, (right * n - expected) / (n * n - expected), np.nan)
    return result


def agreement_metrics(table: Table, sampling: Sampling) -> dict[str, Metric]:
    """mcc and kappa, from one set of draws."""
    whole = table.cells.astype(np.float64)
    values = {"mcc": _scalar(mcc, whole), "kappa": _scalar(kappa, whole)}
    why = {
        "mcc": "all rows have one actual class or one predicted class",
        "kappa": "the expected agreement is 1: all rows have one actual and predicted class",
    }
    if all(v is None for v in values.values()):
        return {name: absent(why[name]) for name in values}
    draws = table.dirichlet(sampling)
    return {
        "mcc": drawn(values["mcc"], mcc(draws), table, sampling, why["mcc"], (-1.0, 1.0)),
        "kappa": drawn(values["kappa"], kappa(draws), table, sampling, why["kappa"], (-1.0, 1.0)),
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


def averages(table: Table, sampling: Sampling, per_class: list[dict[str, Metric]]) -> dict[str, dict[str, Metric]]:
    """Macro, weighted and micro averages of precision, recall and F1."""
    rows = table.cells.sum(axis=1).astype(np.float64)
    if rows.sum() <= 0:
        none = absent("there are no rows")
        return {kind: dict.fromkeys(("precision", "recall", "f1"), none) for kind in ("macro", "weighted", "micro")}
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
    accuracy = _rate("accuracy", table, whole, sampling, {})
    if table.cells.shape[1] == k:
        return {"precision": accuracy, "recall": accuracy, "f1": accuracy}
    hit, said, actual = whole.k, float(table.cells[answered].sum()), whole.n
    why = "pooled counts that are not accuracy's have no interval"
    return {
        "precision": point(hit / said, why) if said > 0 else absent("no row is answered"),
        "recall": accuracy,
        "f1": point(2 * hit / (said + actual), why),
    }


def outcome_counts(table: Table, positive: int) -> dict[str, float]:
    """tp, fp, fn, tn, flagged, no_answer, P, N and rows of one class against the rest, as plain numbers."""
    c, k = table.cells, table.classes
    flagged = c[:, positive].sum()
    actual = c[positive].sum()
    tp = c[positive, positive]
    none = c[:, k:].sum()
    negatives = c.sum() - actual
    out = {
        "tp": tp, "fp": flagged - tp, "fn": actual - tp, "tn": negatives - (flagged - tp) - c[:, k:].sum() +
        c[positive, k:].sum(), "flagged": flagged, "no_answer": none, "P": actual, "N": negatives, "rows": c.sum(),
    }  # fmt: skip
    return {name: clean(v) for name, v in out.items()}
