"""First-order influence of a row on a metric: what the delta method and every robust variance sum."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..counting.answers import Answers
from ..counting.table import Table
from ..number import FloatArray
from . import ranking
from .counts import masks
from .definitions import METRICS
from .losses import row_loss


def of_cells(name: str, cells: FloatArray, positive: int) -> FloatArray | None:
    """Influence of each cell of a matrix on a count metric, mean 0 over the rows.

    Parameters
    ----------
    name : any count metric
    cells : counts or sums of weights, shape (K, L), rows actual, first K columns predicted in the same order
    positive : the class read against the rest

    Returns
    -------
    float64, shape (K, L), or None where the metric does not exist.
    """
    n = float(cells.sum())
    if n <= 0:
        return None
    q = cells / n
    if name in AGREEMENT:
        psi = AGREEMENT[name](q)
        return psi if np.isfinite(psi).all() else None
    if METRICS[name].paired == "recalls":
        return _recalls(q, positive, halve=name == "balanced_accuracy")
    numerator, denominator = masks(Table(q, q.astype(np.int64)), positive)[name]
    below = float(q[denominator].sum())
    if below <= 0:
        return None
    share = float(q[numerator].sum()) / below
    psi = np.asarray((numerator - share * denominator) / below)
    return psi * 2 / (1 + share) ** 2 if name == "f1" else psi


def _recalls(q: FloatArray, positive: int, *, halve: bool) -> FloatArray | None:
    """Influence on the mean (or sum) of recalls; two classes: recall and specificity."""
    out = np.zeros_like(q)
    found = 0
    for k in range(q.shape[0]):
        share = float(q[k].sum())
        if share == 0:
            continue
        found += 1
        hit = np.zeros(q.shape[1])
        hit[k] = 1.0
        out[k] = (hit - float(q[k, k]) / share) / share
    if q.shape[0] == 2 and found < 2:
        return None
    return out / found if halve else out


@dataclass(frozen=True)
class _Agreement:
    """Of matrices of shares, shape (..., K, L): observed and expected agreement, shape (..., 1, 1), what each cell adds
    to them, and the shares of actual classes (..., K, 1) and predicted ones (..., 1, L)."""

    d_observed: FloatArray
    d_expected: FloatArray
    observed: FloatArray
    expected: FloatArray
    actual: FloatArray
    predicted: FloatArray

    @staticmethod
    def of(q: FloatArray) -> _Agreement:
        k, width = q.shape[-2:]
        actual, predicted = q.sum(axis=-1), q.sum(axis=-2)
        observed = np.trace(q[..., :k], axis1=-2, axis2=-1)[..., None, None]
        expected = (actual * predicted[..., :k]).sum(axis=-1)[..., None, None]
        padded = np.zeros(predicted.shape)
        padded[..., :k] = actual
        d_expected = predicted[..., :k, None] + padded[..., None, :] - 2 * expected
        return _Agreement(
            np.eye(k, width) - observed, d_expected, observed, expected, actual[..., :, None], predicted[..., None, :]
        )  # fmt: skip


def _kappa(q: FloatArray) -> FloatArray:
    a = _Agreement.of(q)
    rest = np.where(a.expected < 1.0, 1 - a.expected, np.nan)
    return np.asarray((a.d_observed * rest - (1 - a.observed) * a.d_expected) / rest**2)


def _mcc(q: FloatArray) -> FloatArray:
    m = _Agreement.of(q)
    a = (m.actual**2).sum(axis=(-2, -1), keepdims=True)
    b = (m.predicted**2).sum(axis=(-2, -1), keepdims=True)
    there = (a < 1.0) & (b < 1.0)
    a, b = np.where(there, a, np.nan), np.where(there, b, np.nan)
    scale = np.sqrt((1 - a) * (1 - b))
    value = (m.observed - m.expected) / scale
    relative = -((m.actual - a) / (1 - a)) - ((m.predicted - b) / (1 - b))
    return np.asarray((m.d_observed - m.d_expected) / scale - value * relative)


def of_agreement(name: str, cells: FloatArray) -> FloatArray:
    """Influence of each cell of many matrices with rows, shape (m, K, L), on Matthews' coefficient or kappa; NaN where
    there is none."""
    return AGREEMENT[name](cells / cells.sum(axis=(-2, -1), keepdims=True))


AGREEMENT = {"mcc": _mcc, "kappa": _kappa}


def of_rows(name: str, a: Answers, positive: int) -> FloatArray | None:
    """Influence of each row on a metric, shape (n,); rows without an answer have none on metrics of scores."""
    if METRICS[name].needs != "counts":
        return _of_scores(name, a)
    t = a.table
    if t is None:
        return None
    psi = of_cells(name, t.cells.astype(np.float64), positive)
    if psi is None:
        return None
    assert a.predicted is not None
    return np.asarray(psi[a.actual, a.predicted])  # -1, no answer, is the last column


def _of_scores(name: str, a: Answers) -> FloatArray:
    b, t = a.with_answer, a.tally
    if METRICS[name].paired == "losses":
        loss = row_loss(a, name)
        weight = np.ones(len(loss)) if b.weight is None else b.weight
        part = loss - float(np.add.reduce(weight * loss)) / float(np.add.reduce(weight))
    else:
        assert t is not None
        if name == "roc_auc":
            area = ranking.roc_area(t)
            v10, v01 = ranking.placements(t)
            share = t.positives / t.rows
            on_pos, on_neg = (v10 - area) / share, (v01 - area) / (1 - share)
        else:
            on_pos, on_neg = ranking.average_precision_influence(t, ranking.average_precision_value(t))
        part = a.of_rows(on_pos, on_neg)
    return over_all_rows(np.asarray(part), a)


def over_all_rows(psi: FloatArray, a: Answers) -> FloatArray:
    """Influence over all rows from that over the answered ones: the others have none."""
    if a.all_answered:
        return psi
    out = np.zeros(len(a.actual))
    weight = np.ones(len(a.actual)) if a.weight is None else a.weight
    out[a.answered] = psi * (float(np.add.reduce(weight)) / float(np.add.reduce(weight[a.answered])))
    return out
