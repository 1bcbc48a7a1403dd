"""The tally: how many positives and negatives stand at each distinct score.

ROC, precision-recall, both areas, cutoff rules, the monotone fit and the live cutoff all read this one structure. It
is made by a plain sort of integers, never an argsort: the float64 scores in [0, 2) leave their top bits free, so the
actual class is put in the lowest bit of the shifted pattern and one integer sort orders both.

With sampling weights, `pos` and `neg` hold sums of weights; the rows are then put in one canonical order (score, class,
weight) before anything is summed, so that the order they came in changes no bit.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from ..number import BoolArray, FloatArray, IntArray
from ..once import Once, lazy

T = TypeVar("T", bound=np.generic)
Counts = npt.NDArray[Any]

NARROW = 2**31  # rows from which on a count no longer fits into 32 bits


def narrow(rows: int) -> type[np.signedinteger[Any]]:
    """The type of counts that no number of rows can leave."""
    return np.int32 if rows < NARROW else np.int64


# Passes over all rows go block by block, so that each block stays in the processor's cache from step to step; smaller
# ones would have two threads wait for the interpreter at each step.
BLOCK = 1 << 15


def blocks(n: int, size: int = BLOCK) -> Iterator[slice]:
    """The places 0 … n-1 in blocks, in order."""
    return (slice(i, min(n, i + size)) for i in range(0, n, size))


FEW = 64  # places that are stepped over one by one


def without(x: npt.NDArray[T], gone: IntArray) -> npt.NDArray[T]:
    """What stands elsewhere than at some places, ascending; nothing is copied where there are none."""
    if not len(gone):
        return x
    if len(gone) > FEW:
        return np.delete(x, gone)
    ends = [*gone.tolist(), len(x)]
    return np.concatenate([x[: ends[0]], *(x[i + 1 : j] for i, j in pairwise(ends))])


@dataclass(frozen=True)
class Tally:
    """Counts at the distinct scores.

    Attributes
    ----------
    score : float64, shape (k,), strictly ascending
    pos, neg : int32 (int64 from 2^31 rows on), shape (k,); rows of the positive and of the negative class at each
        score; with sampling weights float64, the sums of their weights
    once : what was worked out of it, for whoever asks next
    source : what all but few of its rows were left of
    """

    score: FloatArray
    pos: Counts
    neg: Counts
    once: Once = field(default_factory=Once, compare=False, repr=False)
    source: Left | None = field(default=None, compare=False, repr=False)

    def of_score(self, name: str, make: Callable[[FloatArray], FloatArray]) -> FloatArray:
        """What hangs on the score alone, shape (k,): of a tally that was left of another it is read from there, where
        it is worked out once."""
        if self.source is None:
            return make(self.score)
        whole = self.source.whole
        return without(whole.once.get(name, lambda: make(whole.score)), self.source.gone)

    @lazy
    def positives(self) -> Any:
        return self.pos.sum().item()

    @lazy
    def negatives(self) -> Any:
        return self.neg.sum().item()

    @property
    def rows(self) -> Any:
        return self.positives + self.negatives

    @lazy
    def tp(self) -> Counts:
        """True positives with the cutoff at each score, aligned with `score`."""
        return _from_above(self.pos)

    @lazy
    def fp(self) -> Counts:
        """False positives with the cutoff at each score, aligned with `score`."""
        return _from_above(self.neg)

    @lazy
    def steps(self) -> Steps:
        """The same at the scores where a positive stands, from the highest down: most numbers need no others."""
        if self.source is not None:
            return _left_steps(self.source, self.pos.dtype)
        if self.pos.dtype.kind == "i":
            return _steps(self)
        at = np.flatnonzero(self.pos > 0)[::-1]
        pos = self.pos[at]
        return Steps(self.score[at], pos, self.neg[at], np.cumsum(pos), self.fp[at])

    def at(self, cutoff: float) -> tuple[Any, Any]:
        """True and false positives when a row is predicted positive at score >= cutoff."""
        i = int(np.searchsorted(self.score, cutoff, side="left"))
        if i == len(self.score):
            return 0, 0
        return self.tp[i].item(), self.fp[i].item()


@dataclass(frozen=True)
class Left:
    """What a tally was left of.

    Attributes
    ----------
    whole : the tally with the rows that were left out
    place, positive : where these rows stand in it and which of them are positive, each shape (rows,)
    gone : the places at which no row stayed, ascending
    """

    whole: Tally
    place: IntArray
    positive: BoolArray
    gone: IntArray

    def placed(self, at: IntArray) -> IntArray:
        """Of places in what was left, the same in the whole; ends at the ends."""
        out = at + np.searchsorted(self.gone - np.arange(len(self.gone)), at, side="right")
        return np.where(at == 0, 0, np.where(at == len(self.whole.score) - len(self.gone), len(self.whole.score), out))


def left_of(whole: Tally, place: IntArray, positive: BoolArray) -> Tally:
    """The tally without some rows, of which where they stand and which are positive is given, each shape (rows,)."""
    pos, neg = whole.pos.copy(), whole.neg.copy()
    np.subtract.at(pos, place[positive], 1)
    np.subtract.at(neg, place[~positive], 1)
    gone = np.unique(place[pos[place] + neg[place] == 0])
    score, pos, neg = (without(x, gone) for x in (whole.score, pos, neg))
    return Tally(score, pos, neg, source=Left(whole, place, positive, gone))


@dataclass(frozen=True)
class Steps:
    """Counts at the scores where a positive stands, from the highest down: what each adds, and the running counts."""

    score: FloatArray
    pos: Counts
    neg: Counts
    tp: Counts
    fp: Counts


def _steps(t: Tally) -> Steps:
    """Filled from the lowest score up, so from the last place down; counts below turn into counts from above."""
    if len(t.score) == t.rows:  # no two rows tie: each positive's rank tells all
        at = np.flatnonzero(t.pos > 0)[::-1]
        tp = np.arange(1, at.size + 1)
        one, none = (np.broadcast_to(np.int32(x), tp.shape) for x in (1, 0))
        return Steps(t.score[at], one, none, tp, t.rows - at - tp)
    stands = t.pos != 0
    k = int(np.count_nonzero(stands))
    score, (pos, neg), (tp, fp) = np.empty(k), np.empty((2, k), dtype=t.pos.dtype), np.empty((2, k), dtype=np.int64)
    end, left = k, t.negatives
    for i in range(0, len(t.score), BLOCK):
        at = np.flatnonzero(stands[i : i + BLOCK])
        here = slice(end - at.size, end)
        end -= at.size
        at = at[::-1]
        part = t.neg[i : i + BLOCK]
        below = np.cumsum(part, dtype=part.dtype)
        np.take(t.score[i : i + BLOCK], at, out=score[here], mode="clip")
        np.take(t.pos[i : i + BLOCK], at, out=pos[here], mode="clip")
        np.take(part, at, out=neg[here], mode="clip")
        np.add(neg[here], left - below[at], out=fp[here])
        left -= int(below[-1])
    tp[:] = pos
    np.cumsum(tp, out=tp)
    return Steps(score, pos, neg, tp, fp)


def _left_steps(left: Left, kind: np.dtype[Any]) -> Steps:
    """Those of the whole, less the rows that are gone."""
    s = left.whole.steps
    gone, k = left.whole.score[left.place], len(s.score)
    if not k:
        return s
    below = k - np.searchsorted(s.score[::-1], gone, side="right")  # the first step at or below each
    here = ~left.positive & (s.score[np.minimum(below, k - 1)] == gone)
    fewer_pos, fewer_neg, fewer_here = (
        np.bincount(below[which], minlength=k + 1)[:k] for which in (left.positive, ~left.positive, here)
    )
    pos = (s.pos - fewer_pos).astype(kind)
    found = (s.score, pos, (s.neg - fewer_here).astype(kind), s.tp - np.cumsum(fewer_pos), s.fp - np.cumsum(fewer_neg))
    return Steps(*found) if pos.all() else Steps(*(x[pos > 0] for x in found))


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
        empty = np.zeros(0, dtype=np.int32 if weight is None else np.float64)
        return Tally(score, empty, empty)
    low, high = score.min(), score.max()
    if not (np.isfinite(low) and np.isfinite(high)):
        raise ValueError("every score must be a finite number")
    if weight is not None:
        return weighted(score, np.where(positive, weight, -weight)).tally()
    if low >= 0.0 and high < 2.0:
        return _from_keys(_packed(score, positive), lambda bits: bits)
    if low > -2.0 and high < 2.0:
        return _from_keys(_packed_signed(score, positive), _swapped)
    origin = _origin(score)
    if origin is not None:
        return _from_keys(_packed_wide(score, positive, origin), lambda m: _unpacked_wide(m, origin))
    score = score + 0.0
    return merge([_one_class(np.sort(score[positive]), True), _one_class(np.sort(score[~positive]), False)])


def _packed(score: FloatArray, positive: BoolArray) -> IntArray:
    """Scores in [0, 2) as shifted bit patterns with the class in the lowest bit (the shift drops the sign of -0.0)."""
    key = np.empty(score.size, dtype=np.int64)
    bits, which = score.view(np.int64), np.ascontiguousarray(positive).view(np.int8)
    for i in range(0, score.size, BLOCK):
        part = key[i : i + BLOCK]
        np.left_shift(bits[i : i + BLOCK], 1, out=part)
        part |= which[i : i + BLOCK]
    return key


def _swapped(bits: IntArray) -> IntArray:
    """Bit patterns of floats as integers in the same order, and back: what is below 0 runs the other way."""
    return bits ^ ((bits >> 63) & np.int64(2**63 - 1))


def _packed_signed(score: FloatArray, positive: BoolArray) -> IntArray:
    """Scores in (-2, 2) as integers in the same order, whose two top bits are alike, with the class in the lowest."""
    key = np.empty(score.size, dtype=np.int64)
    which = np.ascontiguousarray(positive).view(np.int8)
    for at in blocks(score.size):
        part = _swapped((score[at] + 0.0).view(np.int64))  # -0.0 and 0.0 are one score
        part <<= 1
        part |= which[at]
        key[at] = part
    return key


def _origin(score: FloatArray) -> int | None:
    """What to take off the bit patterns so that any sign and the class find room; None where they do not."""
    least, most = 2**63 - 1, 0
    for i in range(0, score.size, BLOCK):
        bits = np.abs(score[i : i + BLOCK]).view(np.int64)
        least = min(least, int(np.where(bits == 0, 2**63 - 1, bits).min()))
        most = max(most, int(bits.max()))
    origin = min(least, most + 1) - 1
    return origin if most - origin < 2**61 else None


def _packed_wide(score: FloatArray, positive: BoolArray, origin: int) -> IntArray:
    """Scores of any sign as order-preserving integers around 0, with the class in the lowest bit."""
    key = np.empty(score.size, dtype=np.int64)
    which = np.ascontiguousarray(positive).view(np.int8)
    for i in range(0, score.size, BLOCK):
        x = score[i : i + BLOCK]
        bits = np.abs(x).view(np.int64)
        part = np.where(bits == 0, 0, bits - origin)
        np.negative(part, out=part, where=x < 0)
        part <<= 1
        key[i : i + BLOCK] = part | which[i : i + BLOCK]
    return key


def _unpacked_wide(m: IntArray, origin: int) -> IntArray:
    """The bit patterns of the scores again."""
    bits = np.where(m == 0, 0, np.abs(m) + origin)
    return np.where(m < 0, bits | np.int64(-(2**63)), bits)


def _from_keys(key: IntArray, bits_of: Callable[[IntArray], IntArray]) -> Tally:
    """Sort keys in place and count what stands at each distinct score, whose bit patterns take the keys' place."""
    key.sort()
    n = key.size
    pos, neg = np.empty((2, n), dtype=narrow(n))
    room, flags = np.empty(BLOCK, dtype=np.int64), np.empty(BLOCK, dtype=bool)
    out = rows_told = pos_told = running = 0
    for i in range(0, n, BLOCK):
        part, following = key[i : i + BLOCK], key[i + 1 : i + 1 + BLOCK]
        m = part.size
        x, ends_here = room[:m], flags[:m]
        np.bitwise_xor(following, part[: following.size], out=x[: following.size])
        np.greater(x[: following.size].view(np.uint64), 1, out=ends_here[: following.size])
        ends_here[following.size :] = True
        np.bitwise_and(part, 1, out=x)
        last = np.flatnonzero(ends_here)
        k = last.size
        p, q = pos[out : out + k], neg[out : out + k]
        if k == m and rows_told == i:  # every row has a score of its own
            p[:] = x
            np.subtract(1, x, out=q)
            running += int(x.sum())
            pos_told, rows_told = running, i + m
            key[out : out + k] = bits_of(part >> 1)
        else:
            np.cumsum(x, out=x)
            x += running
            running = int(x[-1])
            if k:
                reached, rows = x[last], last + (i + 1)
                p[0], q[0] = reached[0] - pos_told, rows[0] - rows_told
                np.subtract(reached[1:], reached[:-1], out=p[1:])
                np.subtract(rows[1:], rows[:-1], out=q[1:])
                q -= p
                pos_told, rows_told = int(reached[-1]), int(rows[-1])
                key[out : out + k] = bits_of(part[last] >> 1)
        out += k
    score = key[:out].view(np.float64)
    if out < n // 2:
        return Tally(score.copy(), pos[:out].copy(), neg[:out].copy())
    return Tally(score, pos[:out], neg[:out])


@dataclass(frozen=True)
class WeightedRows:
    """Rows with sampling weights in one order, by score, class and weight: what can be merged before it is summed.

    Attributes
    ----------
    score : float64, shape (n,), ascending
    signed : float64, shape (n,); the weight of a row of the positive class, less the weight of one of the negative
    """

    score: FloatArray
    signed: FloatArray

    def tally(self) -> Tally:
        """Sums of weights at the distinct scores."""
        pos, neg = np.maximum(self.signed, 0.0), np.maximum(-self.signed, 0.0)
        new = self.score[1:] != self.score[:-1]
        if new.all():
            return Tally(self.score, pos, neg)
        first = np.flatnonzero(np.concatenate(([True], new)))
        return Tally(self.score[first], np.add.reduceat(pos, first), np.add.reduceat(neg, first))


def weighted(score: FloatArray, signed: FloatArray) -> WeightedRows:
    """Rows put in order; `score` and `signed` as in WeightedRows, in any order."""
    score = score + 0.0  # -0.0 and 0.0 are one score
    rows = order(score, signed)
    out = np.empty(score.size), np.empty(score.size)
    for at in blocks(score.size):
        np.take(score, rows[at], out=out[0][at], mode="clip")
        np.take(signed, rows[at], out=out[1][at], mode="clip")
    return WeightedRows(*out)


def merge_weighted(parts: Iterable[WeightedRows]) -> WeightedRows:
    """The rows of a whole from any partition of them: its tally is that of the whole, bit for bit."""
    rows = list(parts)
    return weighted(np.concatenate([r.score for r in rows]), np.concatenate([r.signed for r in rows]))


def order(score: FloatArray, signed: FloatArray | None = None) -> IntArray:
    """The rows by score, class and weight; without weights those of one score in any order. No score is -0.0 or NaN.

    The low bits of the scores' integers give way to the row's number, so that a plain sort orders all but the few rows
    that share the bits left, and those that tie; these are put in order by themselves.
    """
    if signed is None and score.size < BLOCK:
        return np.argsort(score)
    bits = max(1, (score.size - 1).bit_length())
    numbers = np.int64((1 << bits) - 1)
    key = np.empty(score.size, dtype=np.int64)
    for at in blocks(score.size):
        part = _swapped(score[at].view(np.int64))
        part &= ~numbers
        part |= np.arange(at.start, at.stop)
        key[at] = part
    key.sort()
    same = np.zeros(score.size + 1, dtype=bool)
    for at in blocks(score.size - 1):
        after = slice(at.start + 1, at.stop + 1)
        differ = (key[at] ^ key[after]).view(np.uint64)
        np.less_equal(differ, np.uint64(numbers), out=same[after])
    key &= numbers
    tied = np.flatnonzero(same[1:] | same[:-1])
    if tied.size:
        rows = key[tied]
        mine = score[rows]
        key[tied] = rows[np.argsort(mine) if signed is None else np.lexsort((signed[rows], mine))]
    return key


def _one_class(ordered: FloatArray, positive: bool) -> Tally:
    """The tally of one class's sorted scores."""
    last = np.flatnonzero(np.concatenate((ordered[1:] != ordered[:-1], [True]))) if ordered.size else np.zeros(0, int)
    rows = np.diff(last, prepend=-1).astype(narrow(ordered.size))
    none = np.zeros_like(rows)
    return Tally(ordered[last], rows if positive else none, none if positive else rows)


def merge(parts: Iterable[Tally]) -> Tally:
    """The tally of all rows from the tallies of any partition of them, bit for bit; weighted rows merge before a tally.

    Raises ValueError for sums of weights: which of them were added first would show in the last bits.
    """
    tallies = list(parts)
    if any(t.pos.dtype.kind == "f" for t in tallies):
        raise ValueError("tallies of weights do not merge; merge their rows with merge_weighted")
    if not tallies:
        return make(np.zeros(0), np.zeros(0, dtype=bool))
    score, width = np.concatenate([t.score for t in tallies]), narrow(sum(t.rows for t in tallies))
    rows = np.argsort(score, kind="stable")
    pos, neg = (np.concatenate(x)[rows].astype(width) for x in zip(*((t.pos, t.neg) for t in tallies), strict=True))
    return _collapse(score[rows], pos, neg)


def _collapse(score: FloatArray, pos: Counts, neg: Counts) -> Tally:
    """Sum the counts of equal neighbours."""
    if score.size == 0:
        return Tally(score, pos, neg)
    first = np.flatnonzero(np.concatenate(([True], score[1:] != score[:-1])))
    pos, neg = (np.add.reduceat(x, first, dtype=x.dtype) for x in (pos, neg))
    return Tally(score[first], pos, neg)


def mirrored(t: Tally, probability: bool) -> Tally:
    """The tally of the other class: its score is 1 - score, or -score where scores only rank."""
    score = (1.0 - t.score if probability else -t.score)[::-1] + 0.0
    return _collapse(np.ascontiguousarray(score), t.neg[::-1], t.pos[::-1])


def coarse(t: Tally, cells: int) -> tuple[IntArray, Counts, Counts]:
    """The tally on at most `cells` runs of neighbouring scores with about as many rows each: (ends, pos, neg)."""
    k = len(t.score)
    if k <= cells:
        return np.arange(k), t.pos, t.neg
    ends = np.unique(at_ranks((t.pos, t.neg), t.rows * np.arange(1, cells + 1) / cells))
    first = np.concatenate(([0], ends[:-1] + 1))
    return ends, np.add.reduceat(t.pos, first, dtype=t.pos.dtype), np.add.reduceat(t.neg, first, dtype=t.neg.dtype)


def at_ranks(counts: tuple[Counts, ...], ranks: npt.NDArray[Any]) -> IntArray:
    """The first place at which so many rows are reached, for each of the ascending ranks; `counts` are added up."""
    n = len(counts[0])
    out = np.full(len(ranks), n - 1, dtype=np.int64)
    before: Any = 0
    done = 0
    for at in blocks(n):
        rows = counts[0][at]
        for more in counts[1:]:
            rows = more[at] + rows
        reached = np.cumsum(rows, dtype=rows.dtype)
        reached += before
        here = int(np.searchsorted(ranks, reached[-1], side="right"))
        out[done:here] = at.start + np.searchsorted(reached, ranks[done:here])
        before, done = reached[-1], max(done, here)
    return out
