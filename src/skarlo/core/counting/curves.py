"""Curves as they are drawn: every point, or so few that no dropped one lies off the drawn line."""

from __future__ import annotations

import math

import numpy as np

from ..number import FloatArray, IntArray
from ..stats.intervals import wilson_shares
from .tally import Tally

Curve = dict[str, FloatArray]
MANY = 10_000  # points from which on near neighbours are dropped before the exact thinning


def roc_curve(t: Tally) -> Curve:
    """The exact ROC curve from (0, 0), whose cutoff is absent (NaN), to (1, 1): one point a distinct score."""
    return {
        "fpr": np.concatenate(([0.0], t.fp[::-1] / t.negatives)),
        "tpr": np.concatenate(([0.0], t.tp[::-1] / t.positives)),
        "cutoff": np.concatenate(([np.nan], t.score[::-1])),
    }


def pr_curve(t: Tally) -> Curve:
    """Precision and recall at each distinct score, from the highest down; no point is invented."""
    tp, fp = t.tp[::-1], t.fp[::-1]
    at = tp + fp > 0
    return {
        "recall": (tp / t.positives)[at],
        "precision": tp[at] / (tp + fp)[at],
        "cutoff": t.score[::-1][at],
    }


def gain_curve(t: Tally) -> Curve:
    """Recall and lift against the share of rows flagged, from flagging nothing (no lift there) to flagging all."""
    tp, fp = t.tp[::-1], t.fp[::-1]
    flagged, recall = (tp + fp) / t.rows, tp / t.positives
    at = flagged > 0
    return {
        "flagged_share": np.concatenate(([0.0], flagged[at])),
        "recall": np.concatenate(([0.0], recall[at])),
        "lift": np.concatenate(([np.nan], recall[at] / flagged[at])),
        "cutoff": np.concatenate(([np.nan], t.score[::-1][at])),
    }


def roc_band(t: Tally, rows: float, confidence: float) -> dict[str, Curve]:
    """What the curve may be at each cutoff: at each the box of both rates' Wilson intervals, which together hold the
    point with that confidence, since positives and negatives are other rows. Said of each cutoff, never of the whole.

    rows : how many independent rows stand behind each row

    Returns the upper side, level from each false-positive rate to the next, and the lower one, level up to each: "fpr"
    and "tpr", shape (k + 1,). Needs rows of both classes.
    """
    each = math.sqrt(confidence)
    sides = []
    for counts, of in ((t.fp, t.negatives), (t.tp, t.positives)):
        share = np.concatenate(([0.0], counts[::-1] / of))
        sides.append(wilson_shares(share, np.full(len(share), of * rows), each))
    (f_low, f_high), (r_low, r_high) = sides
    return {
        "upper": {"fpr": f_low, "tpr": np.maximum.accumulate(r_high)},
        "lower": {"fpr": f_high, "tpr": np.minimum.accumulate(r_low[::-1])[::-1]},
    }


PLACES = 400  # of recall, at which the band of a precision-recall curve is told


def pr_band(t: Tally, rows: float, confidence: float, least: int) -> Curve | None:
    """What precision may be at each recall: over all cutoffs whose box holds that recall, the lowest and the highest
    end. A box is of both shares' Wilson intervals, each with half the doubt, since the two are of the same rows
    (Bonferroni); cutoffs with fewer than `least` flagged rows are left out. Said of each cutoff, never of the whole.

    rows : how many independent rows stand behind each row

    Returns "recall", "low" and "high", shape (PLACES + 1,), NaN where no box holds that recall; None without a cutoff.
    """
    tp, flagged = t.tp[::-1], (t.tp + t.fp)[::-1]
    enough = flagged * rows >= max(least, 1)
    if not enough.any():
        return None
    tp, flagged, each = tp[enough], flagged[enough], 1 - (1 - confidence) / 2
    r_low, r_high = wilson_shares(tp / t.positives, np.full(len(tp), t.positives * rows), each)
    p_low, p_high = wilson_shares(tp / flagged, flagged * rows, each)
    recall = np.arange(PLACES + 1) / PLACES
    # recall rises from cutoff to cutoff, and so do its interval's ends: the boxes that hold a recall are neighbours
    first, last = np.searchsorted(r_high, recall), np.searchsorted(r_low, recall, side="right")
    low, high = np.full((2, PLACES + 1), np.nan)
    for i in np.flatnonzero(first < last):
        low[i], high[i] = p_low[first[i] : last[i]].min(), p_high[first[i] : last[i]].max()
    return {"recall": recall, "low": low, "high": high}


def listed(curve: Curve, kept: IntArray | slice = slice(None)) -> dict[str, list[float | None]]:
    """The points as they are written: absent numbers are None."""
    return {name: [None if math.isnan(x) else x for x in values[kept].tolist()] for name, values in curve.items()}


def thinned(curve: Curve) -> IntArray:
    """Indexes of the points to draw; a curve's first two series are its axes."""
    x, y = list(curve.values())[:2]
    return keep(x, y)


def keep(x: FloatArray, y: FloatArray, tolerance: float = 1e-4) -> IntArray:
    """Indexes of the points to draw (Douglas and Peucker 1973), first and last always among them.

    x, y : float64, shape (n,). The distance is that to the drawn segment, in the units of the axes.

    Of many points, first those go that lie within a quarter of the tolerance along the curve of one that stays; the
    exact thinning of the others then has three quarters left.
    """
    n = len(x)
    if n <= 2:
        return np.arange(n)
    if n > MANY:
        along = np.concatenate(([0.0], np.cumsum(np.abs(np.diff(x)) + np.abs(np.diff(y)))))
        cell = np.floor(along / (tolerance / 4))
        few = np.flatnonzero(np.concatenate(([True], cell[1:] != cell[:-1])))
        few = few if few[-1] == n - 1 else np.append(few, n - 1)
        return few[_exact(x[few], y[few], tolerance * 3 / 4)]
    return _exact(x, y, tolerance)


def _exact(x: FloatArray, y: FloatArray, tolerance: float) -> IntArray:
    """All spans of one depth are looked at together: each is cut at its farthest point until none lies too far."""
    n = len(x)
    kept = np.zeros(n, dtype=bool)
    kept[[0, n - 1]] = True
    first, last = np.array([0]), np.array([n - 1])
    while True:
        wide = last - first > 1
        first, last = first[wide], last[wide]
        if not len(first):
            return np.flatnonzero(kept)
        inside = last - first - 1
        begins = np.cumsum(inside) - inside
        span = np.repeat(np.arange(len(first)), inside)
        at = np.arange(len(span)) - begins[span] + first[span] + 1
        far = _distance(x[at], y[at], *(z[ends][span] for ends in (first, last) for z in (x, y)))
        most = np.maximum.reduceat(far, begins)
        reached = np.flatnonzero(far == most[span])
        _, where = np.unique(span[reached], return_index=True)  # the first of equals
        cut, too_far = at[reached[where]], most > tolerance
        kept[cut[too_far]] = True
        ends = (first[too_far], cut[too_far], last[too_far])
        first, last = np.concatenate(ends[:2]), np.concatenate(ends[1:])


def _distance(
    x: FloatArray, y: FloatArray, x0: FloatArray, y0: FloatArray, x1: FloatArray, y1: FloatArray
) -> FloatArray:
    """Of each point from its own segment."""
    dx, dy = x1 - x0, y1 - y0
    length = dx * dx + dy * dy
    with np.errstate(invalid="ignore", divide="ignore"):
        along = np.clip(((x - x0) * dx + (y - y0) * dy) / length, 0.0, 1.0)
    along = np.where(length == 0.0, 0.0, along)
    return np.hypot(x - x0 - along * dx, y - y0 - along * dy)
