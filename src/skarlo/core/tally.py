"""The tally: how many positives and negatives stand at each distinct score.

ROC, precision-recall, both areas, cutoff rules, the monotone fit and the live cutoff all read this one structure. It
is made by a plain sort of integers, never an argsort: the float64 scores in [0, 2) leave their top bits free, so the
actual class is put in the lowest bit of the shifted pattern and one integer sort orders both.

With sampling weights, `pos` and `neg` hold sums of weights; the rows are then put in one canonical order (score, class,
weight) before anything is summed, so that the order they came in changes no bit.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from .values import BoolArray, FloatArray, IntArray

Counts = npt.NDArray[Any]


@dataclass(frozen=True)
class Tally:
    """Counts at the distinct scores.

    Attributes
    ----------
    score : float64, shape (k,), strictly ascending
    pos, neg : int64, shape (k,); rows of the positive and of the negative class at each score; with sampling weights
        float64, the sums of their weights
    """

    score: FloatArray
    pos: Counts
    neg: Counts

    @cached_property
    def positives(self) -> Any:
        return self.pos.sum().item()

    @cached_property
    def negatives(self) -> Any:
        return self.neg.sum().item()

    @property
    def rows(self) -> Any:
        return self.positives + self.negatives

    @cached_property
    def tp(self) -> Counts:
        """True positives with the cutoff at each score, aligned with `score`."""
        return _from_above(self.pos)

    @cached_property
    def fp(self) -> Counts:
        """False positives with the cutoff at each score, aligned with `score`."""
        return _from_above(self.neg)

    @cached_property
    def steps(self) -> Steps:
        """The same at the scores where a positive stands, from the highest down: most numbers need no others."""
        at = np.flatnonzero(self.pos > 0)[::-1]
        pos = self.pos[at]
        return Steps(self.score[at], pos, self.neg[at], np.cumsum(pos), self.fp[at])

    @cached_property
    def both(self) -> Counts:
        """Rows at each score."""
        return self.pos + self.neg

    def at(self, cutoff: float) -> tuple[Any, Any]:
        """True and false positives when a row is predicted positive at score >= cutoff."""
        i = int(np.searchsorted(self.score, cutoff, side="left"))
        if i == len(self.score):
            return 0, 0
        return self.tp[i].item(), self.fp[i].item()


@dataclass(frozen=True)
class Steps:
    """Counts at the scores where a positive stands, from the highest down: what each adds, and the running counts."""

    score: FloatArray
    pos: Counts
    neg: Counts
    tp: Counts
    fp: Counts


def _from_above(counts: Counts) -> Counts:
    """Cumulative counts from the highest score down; sums of weights are added in that order."""
    if counts.dtype.kind == "f":
        return np.cumsum(counts[::-1])[::-1]
    below = np.cumsum(counts)
    whole = below[-1] if below.size else 0
    below -= counts
    np.subtract(whole, below, out=below)
    return below


def make(score: FloatArray, positive: BoolArray, weight: FloatArray | None = None) -> Tally:
    """Tally rows.

    Parameters
    ----------
    score : float64, shape (n,), finite
    positive : bool, shape (n,)
    weight : float64, shape (n,), at least 0, or None

    Raises
    ------
    ValueError
        When the shapes differ or a score is not finite.

    Examples
    --------
    >>> import numpy as np
    >>> t = make(np.array([0.2, 0.9, 0.2]), np.array([False, True, True]))
    >>> t.score.tolist(), t.pos.tolist(), t.neg.tolist()
    ([0.2, 0.9], [1, 1], [1, 0])
    """
    score = np.ascontiguousarray(score, dtype=np.float64)
    if score.shape != positive.shape or score.ndim != 1:
        raise ValueError(f"scores have shape {score.shape}, classes {positive.shape}; both must be (rows,)")
    if score.size == 0:
        empty = np.zeros(0, dtype=np.int64 if weight is None else np.float64)
        return Tally(score, empty, empty)
    low, high = score.min(), score.max()
    if not (np.isfinite(low) and np.isfinite(high)):
        raise ValueError("every score must be a finite number")
    score = score + 0.0  # -0.0 and 0.0 are one score
    if weight is not None:
        return _make_weighted(score, positive, weight)
    if low >= 0.0 and high < 2.0:
        return _make_packed(score, positive)
    return merge([_one_class(np.sort(score[positive]), True), _one_class(np.sort(score[~positive]), False)])


def _make_packed(score: FloatArray, positive: BoolArray) -> Tally:
    key = score.view(np.int64)
    key <<= 1
    key |= positive
    key.sort()
    change = np.empty(key.size, dtype=bool)
    np.greater(key[1:] ^ key[:-1], 1, out=change[:-1])
    change[-1] = True
    last = np.flatnonzero(change)
    rows = np.diff(last, prepend=-1)
    distinct = (key[last] >> 1).view(np.float64)
    key &= 1
    pos = np.diff(np.cumsum(key, out=key)[last], prepend=0)
    return Tally(distinct, pos, rows - pos)


def _make_weighted(score: FloatArray, positive: BoolArray, weight: FloatArray) -> Tally:
    order = _canonical_order(score, positive, weight)
    score, positive, weight = score[order], positive[order], weight[order]
    first = np.flatnonzero(np.concatenate(([True], score[1:] != score[:-1])))
    return Tally(
        score[first],
        np.add.reduceat(np.where(positive, weight, 0.0), first),
        np.add.reduceat(np.where(positive, 0.0, weight), first),
    )


def _canonical_order(score: FloatArray, positive: BoolArray, weight: FloatArray) -> IntArray:
    """Rows by score, class and weight. Only rows of equal score need more than one sort to have one order."""
    order = np.argsort(score)
    ordered = score[order]
    same = ordered[1:] == ordered[:-1]
    tied = np.flatnonzero(np.concatenate((same, [False])) | np.concatenate(([False], same)))
    if tied.size:
        rows = order[tied]
        order[tied] = rows[np.lexsort((weight[rows], positive[rows], score[rows]))]
    return order


def _one_class(ordered: FloatArray, positive: bool) -> Tally:
    """The tally of one class's sorted scores."""
    last = np.flatnonzero(np.concatenate((ordered[1:] != ordered[:-1], [True]))) if ordered.size else np.zeros(0, int)
    rows = np.diff(last, prepend=-1)
    none = np.zeros_like(rows)
    return Tally(ordered[last], rows if positive else none, none if positive else rows)


def merge(parts: Iterable[Tally]) -> Tally:
    """The tally of all rows from the tallies of any partition of them, bit for bit (without weights)."""
    tallies = list(parts)
    if not tallies:
        return make(np.zeros(0), np.zeros(0, dtype=bool))
    score = np.concatenate([t.score for t in tallies])
    order = np.argsort(score, kind="stable")
    pos = np.concatenate([t.pos for t in tallies])[order]
    neg = np.concatenate([t.neg for t in tallies])[order]
    return _collapse(score[order], pos, neg)


def _collapse(score: FloatArray, pos: Counts, neg: Counts) -> Tally:
    """Sum the counts of equal neighbours."""
    if score.size == 0:
        return Tally(score, pos, neg)
    first = np.flatnonzero(np.concatenate(([True], score[1:] != score[:-1])))
    return Tally(score[first], np.add.reduceat(pos, first), np.add.reduceat(neg, first))


def mirrored(t: Tally, probability: bool) -> Tally:
    """The tally of the other class: its score is 1 - score, or -score where scores only rank."""
    score = (1.0 - t.score if probability else -t.score)[::-1] + 0.0
    return _collapse(np.ascontiguousarray(score), t.neg[::-1], t.pos[::-1])


def coarse(t: Tally, cells: int) -> tuple[IntArray, Counts, Counts]:
    """The tally on at most `cells` runs of neighbouring scores with about as many rows each: (ends, pos, neg)."""
    k = len(t.score)
    if k <= cells:
        return np.arange(k), t.pos, t.neg
    rows = np.cumsum(t.both)
    ends = np.unique(np.searchsorted(rows, rows[-1] * np.arange(1, cells + 1) / cells).clip(0, k - 1))
    first = np.concatenate(([0], ends[:-1] + 1))
    return ends, np.add.reduceat(t.pos, first), np.add.reduceat(t.neg, first)
