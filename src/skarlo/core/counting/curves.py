"""Curves as they are drawn: every point, or so few that no dropped one lies off the drawn line."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np

from ..number import FloatArray, IntArray
from ..stats.intervals import wilson_shares
from .tally import Counts, Tally, blocks

Curve = dict[str, FloatArray]
MANY = 10_000  # points from which on near neighbours are dropped before the exact thinning


ALL = slice(None)
Axes = Callable[[Tally, Counts, Counts], tuple[FloatArray, FloatArray]]


def _roc(t: Tally, tp: Counts, fp: Counts) -> tuple[FloatArray, FloatArray]:
    return fp / t.negatives, tp / t.positives


def _pr(t: Tally, tp: Counts, fp: Counts) -> tuple[FloatArray, FloatArray]:
    return tp / t.positives, tp / (tp + fp)


def _gain(t: Tally, tp: Counts, fp: Counts) -> tuple[FloatArray, FloatArray]:
    return (tp + fp) / t.rows, tp / t.positives


def _from_top(t: Tally, at: IntArray | slice) -> tuple[Counts, Counts, FloatArray]:
    """True positives, false positives and score, from the highest score down; without those at which no row weighs
    anything yet."""
    tp, fp, score = (x[::-1][at] for x in (t.tp, t.fp, t.score))
    there = tp + fp > 0
    return (tp, fp, score) if there.all() else (tp[there], fp[there], score[there])


def roc_curve(t: Tally, at: IntArray | slice = ALL) -> Curve:
    """The exact ROC curve from (0, 0), whose cutoff is absent (NaN), to (1, 1): one point a distinct score.

    at : which of the distinct scores, counted from the highest down
    """
    tp, fp, score = (x[::-1][at] for x in (t.tp, t.fp, t.score))
    fpr, tpr = _roc(t, tp, fp)
    return {
        "fpr": np.concatenate(([0.0], fpr)),
        "tpr": np.concatenate(([0.0], tpr)),
        "cutoff": np.concatenate(([np.nan], score)),
    }


def pr_curve(t: Tally, at: IntArray | slice = ALL) -> Curve:
    """Precision and recall at each distinct score, from the highest down; no point is invented."""
    tp, fp, score = _from_top(t, at)
    recall, precision = _pr(t, tp, fp)
    return {"recall": recall, "precision": precision, "cutoff": score}


def gain_curve(t: Tally, at: IntArray | slice = ALL) -> Curve:
    """Recall and lift against the share of rows flagged, from flagging nothing (no lift there) to flagging all."""
    tp, fp, score = _from_top(t, at)
    flagged, recall = _gain(t, tp, fp)
    return {
        "flagged_share": np.concatenate(([0.0], flagged)),
        "recall": np.concatenate(([0.0], recall)),
        "lift": np.concatenate(([np.nan], recall / flagged)),
        "cutoff": np.concatenate(([np.nan], score)),
    }


OF_SCORES: dict[str, tuple[Callable[..., Curve], Axes, bool]] = {  # how it is made, its axes, whether neither falls
    "roc": (roc_curve, _roc, True), "pr": (pr_curve, _pr, False), "gain": (gain_curve, _gain, True),
}  # fmt: skip


def whole(name: str, t: Tally) -> Curve:
    """One of the curves with every point."""
    return OF_SCORES[name][0](t)


def drawn(name: str, t: Tally, tolerance: float = 1e-4) -> Curve:
    """The points of one of the curves that are drawn, as `keep` picks them; most are never worked out."""
    make, axes, rises = OF_SCORES[name]
    if len(t.score) <= MANY:
        curve, left = make(t), tolerance
    else:
        tp, fp = t.tp[::-1], t.fp[::-1]
        begin = int(np.argmax(tp + fp > 0)) if t.pos.dtype.kind == "f" else 0  # rows before it weigh nothing
        tp, fp = tp[begin:], fp[begin:]
        few = _apart(len(tp), lambda here: axes(t, tp[here], fp[here]), tolerance / 4, rises)
        curve, left = make(t, begin + few), tolerance * 3 / 4
    x, y = list(curve.values())[:2]
    kept = _exact(x, y, left)
    return {key: values[kept] for key, values in curve.items()}


def _apart(
    n: int, points: Callable[[slice], tuple[FloatArray, FloatArray]], step: float, rises: bool = False
) -> IntArray:
    """Indexes of points of which each one dropped lies within a step, along the curve, of the one before it that stays;
    first and last stay.

    points : x and y of some of them; of a curve that `rises` neither ever falls
    """
    found: list[Any] = [[0]]
    (last_x, last_y), along, cell = points(slice(1)), 0.0, 0.0
    if rises:
        cell = math.floor(float(last_x[0] + last_y[0]) / step)
    for here in blocks(n):
        x, y = points(here)
        if rises:
            cells = x + y
        else:
            gone = np.abs(np.diff(x, prepend=last_x)) + np.abs(np.diff(y, prepend=last_y))
            cells = along + np.cumsum(gone)
            along, last_x, last_y = float(cells[-1]), x[-1:], y[-1:]
        cells = np.floor(np.divide(cells, step, out=cells), out=cells).astype(np.int64)
        found.append([here.start] if cells[0] != cell else [])
        found.append(here.start + 1 + np.flatnonzero(cells[1:] != cells[:-1]))
        cell = int(cells[-1])
    few = np.concatenate([*found, [n - 1]]).astype(np.int64)
    return np.asarray(few[np.concatenate(([True], few[1:] != few[:-1]))])


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
    if len(x) <= MANY:
        return _exact(x, y, tolerance)
    few = _apart(len(x), lambda here: (x[here], y[here]), tolerance / 4)
    return few[_exact(x[few], y[few], tolerance * 3 / 4)]


def _exact(x: FloatArray, y: FloatArray, tolerance: float) -> IntArray:
    """All spans of one depth are looked at together: each is cut at its farthest point until none lies too far."""
    n = len(x)
    if n <= 2:
        return np.arange(n)
    kept = np.zeros(n, dtype=bool)
    kept[[0, n - 1]] = True
    first, last = np.array([0]), np.array([n - 1])
    rises = bool((x[1:] >= x[:-1]).all() and (y[1:] >= y[:-1]).all())
    while True:
        wide = last - first > 1
        first, last = first[wide], last[wide]
        if not len(first):
            return np.flatnonzero(kept)
        inside = last - first - 1
        begins = np.cumsum(inside) - inside
        at = np.arange(int(inside.sum())) + np.repeat(first + 1 - begins, inside)
        far, limit = _far(x, y, first, last, at, inside, rises)
        most = np.maximum.reduceat(far, begins)
        reached = np.flatnonzero(far == np.repeat(most, inside))
        of = np.searchsorted(begins, reached, side="right")
        cut = at[reached[np.concatenate(([True], of[1:] != of[:-1]))]]  # the first of equals
        too_far = most > tolerance * tolerance * limit
        kept[cut[too_far]] = True
        ends = (first[too_far], cut[too_far], last[too_far])
        first, last = np.concatenate(ends[:2]), np.concatenate(ends[1:])


def _far(
    x: FloatArray, y: FloatArray, first: IntArray, last: IntArray, at: IntArray, inside: IntArray, rises: bool
) -> tuple[FloatArray, FloatArray]:
    """The squared distance of each point inside from its own span's segment, in a unit of its own for each span, and
    the square of that unit.

    On a curve that `rises` each foot of a perpendicular lies on its segment.
    """
    dx, dy = x[last] - x[first], y[last] - y[first]
    length = dx * dx + dy * dy
    gone_x, gone_y = x[at] - np.repeat(x[first], inside), y[at] - np.repeat(y[first], inside)
    if rises:
        gone_x *= np.repeat(dy, inside)
        gone_y *= np.repeat(dx, inside)
        gone_x -= gone_y
        return np.square(gone_x, out=gone_x), length
    wide, high = np.repeat(dx, inside), np.repeat(dy, inside)
    along = gone_x * wide
    along += gone_y * high
    along /= np.repeat(np.where(length > 0, length, np.inf), inside)
    np.minimum(np.maximum(along, 0.0, out=along), 1.0, out=along)
    gone_x -= along * wide
    gone_y -= along * high
    return gone_x * gone_x + gone_y * gone_y, np.ones(len(length))
