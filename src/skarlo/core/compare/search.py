"""The slices that are served worst: every condition of every field, one or more at a time, each held against the rest.

Only counts are made of the rows: each family of fields is counted once over its joint bins, and all conditions of the
family are sums of these. Whatever was looked at is corrected for together (Benjamini and Hochberg 1995, J. R. Stat.
Soc. B 57:289).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import combinations, pairwise

import numpy as np
from scipy.special import gammainc, gammaincc, ndtr

from ..language.condition import Kind, Numbers, Texts, field_written, quoted
from ..metrics.calibration import mass_edges
from ..number import BoolArray, FloatArray, IntArray, total
from ..stats import hypergeometric, intervals
from ..stats.intervals import Intervals
from ..writing import as_set

BINS = 5  # of a number
MOST_VALUES = 30  # of a category
OVERLAP = 0.8  # of its rows, from which on a find says the same as another
LEVEL = 1e-9  # skewness below which the losses of a slice are taken for normal
DEEPEST = 3


@dataclass(frozen=True)
class Cond:
    """One condition of a field: in words of the language of conditions, and which atoms of the field it takes."""

    text: str
    atoms: tuple[int, ...]


@dataclass(frozen=True)
class SearchField:
    """A field as it is searched: each row's atom, shape (n,), how many there are, and the conditions made of them."""

    name: str
    codes: IntArray
    atoms: int
    conditions: tuple[Cond, ...]


@dataclass(frozen=True)
class Rate:
    """A share: which rows it is over and which of these count, bool, shape (n,); whether less is worse; whether it is
    F1, which is a function of its share of TP among TP, FP and FN.

    weight : of each row, None where all weigh the same; design : how many rows one effective row stands for, above 1
    where rows belong together. With either the test is approximate: a normal one, on effective rows
    """

    over: BoolArray
    hit: BoolArray
    low_is_worse: bool
    f1: bool = False
    weight: FloatArray | None = None
    design: float = 1.0

    @property
    def plain(self) -> bool:
        """Whether rows count one each, so that the test is exact."""
        return self.weight is None and self.design == 1.0


@dataclass(frozen=True)
class Loss:
    """A loss by row, shape (n,), NaN where a row has none; more is worse."""

    value: FloatArray


@dataclass(frozen=True)
class Found:
    """One slice of those looked at.

    conditions : of each of its fields; rows, denominator : how many it has; difference, low, high : of the slice less
    the rest; p : one-sided, that it is no worse; p_bh : adjusted for every slice that was looked at
    """

    conditions: tuple[str, ...]
    fields: tuple[int, ...]
    places: tuple[int, ...]
    rows: int
    denominator: int
    difference: float
    low: float
    high: float
    p: float
    p_bh: float = 1.0

    @property
    def text(self) -> str:
        """The condition that is true of its rows."""
        return " and ".join(self.conditions)


@dataclass(frozen=True)
class Kept:
    """A find that stands on its own; `folded` say the same of fewer or more rows, `sharper` are worse than the rest of
    it."""

    found: Found
    folded: tuple[Found, ...]
    sharper: tuple[Found, ...]


@dataclass(frozen=True)
class Search:
    """What was looked at, what survives the correction, and what comes next below it."""

    looked_at: int
    kept: tuple[Kept, ...]
    below: tuple[Found, ...]


def field_of(name: str, values: Numbers | Texts, kind: Kind, searched: BoolArray) -> SearchField:
    """A field as it is searched.

    A category has a condition for each value (the 30 with most rows); a number or date has those of 5 bins of as many
    rows each, and the tails of 2, 3 and 4 bins from either end; what is absent is a condition of its own.

    Parameters
    ----------
    values : of all rows, shape (n,); searched : bool, the rows whose quantiles and frequencies are taken

    Examples
    --------
    >>> girth = Numbers(np.array([1.0, 2.0, 3.0, 4.0, 5.0]))
    >>> found = field_of("girth", girth, "number", np.ones(5, dtype=bool))
    >>> len(found.conditions), found.conditions[0].text, found.conditions[-1].text
    (11, 'girth <= 1', 'girth > 1')
    """
    own = field_written(name)
    if isinstance(values, Texts):
        return _category(name, own, values, searched)
    x = values.values
    there = ~np.isnan(x)
    distinct, rows = np.unique(x[there & searched], return_counts=True)
    edges = distinct[mass_edges((rows.astype(np.int64),), BINS)[1:-1] - 1] if len(distinct) else np.zeros(0)
    codes = np.where(there, np.searchsorted(edges, x, side="left"), len(edges) + 1)
    told = [_written(e, kind) for e in edges.tolist()]
    bins = len(edges) + 1
    out: list[Cond] = []
    if edges.size:
        out.append(Cond(f"{own} <= {told[0]}", (0,)))
        out += [Cond(f"{own} > {a} and {own} <= {b}", (i + 1,)) for i, (a, b) in enumerate(pairwise(told))]
        out.append(Cond(f"{own} > {told[-1]}", (bins - 1,)))
        for size in range(2, bins):
            out.append(Cond(f"{own} <= {told[size - 1]}", tuple(range(size))))
            out.append(Cond(f"{own} > {told[bins - size - 1]}", tuple(range(bins - size, bins))))
    if not there.all():
        out.append(Cond(f"{own} is absent", (bins,)))
    return SearchField(name, codes.astype(np.int64), bins + 1, tuple(out))


def _category(name: str, own: str, values: Texts, searched: BoolArray) -> SearchField:
    k = len(values.categories)
    inside = values.codes[searched]
    rows = np.bincount(inside[inside >= 0], minlength=k)
    chosen = [i for i in np.lexsort((np.arange(k), -rows)).tolist()[:MOST_VALUES] if rows[i] > 0]
    chosen.sort()
    atom = np.full(k + 1, len(chosen), dtype=np.int64)  # other values; the last is what is absent
    atom[chosen] = np.arange(len(chosen))
    atom[k] = len(chosen) + 1
    out = [Cond(f"{own} = {quoted(str(values.categories[i]))}", (j,)) for j, i in enumerate(chosen)]
    if (values.codes < 0).any():
        out.append(Cond(f"{own} is absent", (len(chosen) + 1,)))
    return SearchField(name, atom[values.codes], len(chosen) + 2, tuple(out))


def _written(x: float, kind: Kind) -> str:
    if kind != "date":
        return as_set(x).replace("−", "-")
    at = datetime.fromtimestamp(x, UTC).replace(tzinfo=None)
    return quoted(at.date().isoformat() if at.time() == at.min.time() else at.isoformat())


def rows_of(fields: Sequence[SearchField], found: Found) -> BoolArray:
    """Which rows a find takes, bool, shape (n,)."""
    return _rows(fields, found.fields, found.places)


def _rows(fields: Sequence[SearchField], family: Sequence[int], places: Sequence[int]) -> BoolArray:
    out = np.ones(len(fields[0].codes), dtype=bool)
    for i, place in zip(family, places, strict=True):
        f = fields[i]
        takes = np.zeros(f.atoms, dtype=bool)
        takes[list(f.conditions[place].atoms)] = True
        out &= takes[f.codes]
    return out


def search(
    fields: Sequence[SearchField], measure: Rate | Loss, inside: BoolArray, *, depth: int = 2, min_slice: int = 30,
    min_denominator: int = 10, confidence: float = 0.95, below: int = 8,
    tell: Callable[[int, int], None] = lambda done, of: None,
) -> Search:  # fmt: skip
    """Look at every slice of one field, of two, and of three on request.

    Parameters
    ----------
    inside : bool, shape (n,); the rows that are searched
    depth : how many fields at a time, 1 to 3
    min_slice, min_denominator : rows that a slice has at least; rows that a rate rests on, in the slice and outside
    below : how many of those that do not survive are told
    tell : told of each family of fields as it is done

    Raises
    ------
    ValueError
        For another depth.
    """
    if not 1 <= depth <= DEEPEST:
        raise ValueError(f"slices are of 1 to {DEEPEST} fields at a time")
    if not fields:
        return Search(0, (), ())
    counted = _Counted(fields, measure, inside)
    families = [c for d in range(1, depth + 1) for c in combinations(range(len(fields)), d)]
    kept = _Looked()
    for i, family in enumerate(families):
        kept.add(i, counted.of(family), counted.whole, min_slice, min_denominator)
        tell(i + 1, len(families))

    def places_of(family: int, place: int) -> tuple[int, ...]:
        shape = [len(fields[f].conditions) for f in families[family]]
        return tuple(int(x) for x in np.unravel_index(place, shape))

    def hashed(family: int, place: int) -> int:
        rows = _rows(fields, families[family], places_of(family, place)) & inside
        return hash(np.packbits(rows).tobytes())

    looked = kept.together(hashed)
    sums = looked.sums
    if not len(sums.rows):
        return Search(0, (), ())
    p = measure_p(measure, sums, counted.whole, counted.loss)
    p_bh = benjamini_hochberg(p)
    difference, (low, high) = _effects(measure, sums, counted.whole, confidence)
    alpha = 1.0 - confidence
    worse = -1.0 if isinstance(measure, Rate) and measure.low_is_worse else 1.0

    def told(i: int) -> Found:
        family = families[looked.family[i]]
        at = places_of(int(looked.family[i]), int(looked.place[i]))
        return Found(
            tuple(fields[f].conditions[x].text for f, x in zip(family, at, strict=True)), family, at,
            int(sums.rows[i]), int(sums.count[i]), float(difference[i]), float(low[i]), float(high[i]), float(p[i]),
            float(p_bh[i]),
        )  # fmt: skip

    # of a shortfall the end nearest to nought is the most that it may be short of
    nearest = worse * np.where(worse > 0, low, high)
    order = np.lexsort((np.arange(len(p)), -sums.rows, -nearest))
    survives = [int(i) for i in order if p_bh[i] <= alpha]
    by_p = np.lexsort((np.arange(len(p)), p))
    next_ones = [told(int(i)) for i in by_p[p_bh[by_p] > alpha][:below]]
    return Search(len(p), _folded([told(i) for i in survives], fields, measure, inside, alpha), tuple(next_ones))


@dataclass(frozen=True)
class _Sums:
    """Of slices, shape (m,): rows, rows that the measure is over, their weight, that of those that count (or the sum of
    losses), and the sum of the squares of the weights (or of losses)."""

    rows: FloatArray
    count: FloatArray
    over: FloatArray
    hit: FloatArray
    square: FloatArray

    @property
    def all(self) -> tuple[FloatArray, ...]:
        """Each of them."""
        return self.rows, self.count, self.over, self.hit, self.square

    def at(self, which: IntArray | BoolArray) -> _Sums:
        """Those of some slices."""
        return _Sums(*(x[which] for x in self.all))

    def less(self, other: _Sums) -> _Sums:
        """The rest."""
        return _Sums(*(x - y for x, y in zip(self.all, other.all, strict=True)))


class _Counted:
    """The sums of every condition of a family of fields, from one pass over the rows for each kind of sum."""

    def __init__(self, fields: Sequence[SearchField], measure: Rate | Loss, inside: BoolArray) -> None:
        self.fields = fields
        self.codes = [f.codes[inside] for f in fields]
        n = int(np.count_nonzero(inside))
        self.weights: list[FloatArray] = []
        if isinstance(measure, Rate):
            over = measure.over[inside]
            what = over.astype(np.int64) + (measure.hit[inside] & over)  # 0: not over it, 1: over it, 2: counts
            count, hits = int(np.count_nonzero(over)), int(np.count_nonzero(what == 2))
            self.loss = np.zeros(0)
            whole: tuple[float, ...] = (n, count, count, hits, count)
            if measure.weight is not None:
                w = np.where(over, measure.weight[inside], 0.0)
                self.weights = [w, np.where(what == 2, w, 0.0), w * w]
                whole = (n, count, *(total(x) for x in self.weights))
        else:
            value = measure.value[inside]
            what = (~np.isnan(value)).astype(np.int64)
            self.loss = value[what == 1]
            value = np.where(what == 1, value, 0.0)
            self.weights = [value, value * value]
            whole = (n, len(self.loss), len(self.loss), total(value), total(value * value))
        self.kinds = 3 if isinstance(measure, Rate) else 2
        self.whole = _Sums(*(np.array([float(x)]) for x in whole))
        # one width for all fields, so that the joint code of a family is a sum of what is at hand
        self.width = max((f.atoms for f in fields), default=1) * self.kinds
        self.last = [c * self.kinds + what for c in self.codes]
        self.scaled = [c * self.width for c in self.codes]
        self.takes = []
        for f in fields:
            takes = np.zeros((len(f.conditions), f.atoms))
            for i, c in enumerate(f.conditions):
                takes[i, list(c.atoms)] = 1.0
            self.takes.append(takes)

    def of(self, family: tuple[int, ...]) -> _Sums:
        """The sums of all conditions of a family, the last field's running fastest."""
        *before, final = family
        code = self.last[final]
        for depth, i in enumerate(reversed(before)):
            code = code + (self.scaled[i] if depth == 0 else self.codes[i] * self.width ** (depth + 1))
        cells = self._contracted(np.bincount(code, minlength=self._size(family)), family)
        rows, count = cells.sum(axis=-1), cells[..., 1:].sum(axis=-1)
        if self.kinds == 3 and not self.weights:
            return _Sums(rows, count, count, cells[..., 2], count)
        sums = [
            self._contracted(np.bincount(code, w, self._size(family)), family).sum(axis=-1) for w in self.weights
        ]  # fmt: skip
        return _Sums(rows, count, *sums) if len(sums) == 3 else _Sums(rows, count, count, *sums)

    def _size(self, family: tuple[int, ...]) -> int:
        return self.fields[family[0]].atoms * self.width ** (len(family) - 1) if len(family) > 1 else self.width

    def _contracted(self, counted: FloatArray | IntArray, family: tuple[int, ...]) -> FloatArray:
        """By condition in place of by atom, shape (m, kinds)."""
        atoms = [self.fields[i].atoms for i in family]
        table = counted.astype(np.float64).reshape(
            (-1, *[self.width] * (len(family) - 1)) if len(family) > 1 else (-1,)
        )
        table = table[tuple(slice(0, k * self.kinds if i == len(atoms) - 1 else k) for i, k in enumerate(atoms))]
        table = table.reshape((*atoms, self.kinds))
        for axis, i in enumerate(family):
            table = np.moveaxis(np.tensordot(self.takes[i], table, axes=(1, axis)), 0, axis)
        return np.asarray(table.reshape(-1, self.kinds))


@dataclass(frozen=True)
class _Together:
    sums: _Sums
    family: IntArray
    place: IntArray


class _Looked:
    """The slices that are looked at: large enough, and each set of rows once, as it came first."""

    def __init__(self) -> None:
        self.parts: list[tuple[int, IntArray, _Sums]] = []

    def add(self, family: int, s: _Sums, whole: _Sums, min_slice: int, min_denominator: int) -> None:
        """Those of a family that are large enough."""
        rest = whole.count - s.count
        at = np.flatnonzero((s.rows >= min_slice) & (s.count >= min_denominator) & (rest >= min_denominator))
        self.parts.append((family, at, s.at(at)))

    def together(self, hashed: Callable[[int, int], int]) -> _Together:
        """All of them in one. `hashed` tells which rows a slice has, by its family and place; it is asked only of
        slices whose sums are all the same."""
        every = _Sums(*(np.concatenate(x) for x in zip(*(s.all for _, _, s in self.parts), strict=True)))
        rows, over, hit = every.rows, every.count, every.hit
        family = np.concatenate([np.full(len(at), f, dtype=np.int64) for f, at, _ in self.parts])
        place = np.concatenate([at for _, at, _ in self.parts])
        keep = np.ones(len(rows), dtype=bool)
        order = np.lexsort((np.arange(len(rows)), hit, over, rows))
        same = np.zeros(len(rows), dtype=bool)
        same[1:] = (np.diff(rows[order]) == 0) & (np.diff(over[order]) == 0) & (np.diff(hit[order]) == 0)
        ends = np.append(np.flatnonzero(~same), len(rows))
        for start, end in pairwise(ends.tolist()):
            if end - start < 2:
                continue
            seen: set[int] = set()
            for i in sorted(order[start:end].tolist()):
                which = hashed(int(family[i]), int(place[i]))
                keep[i] = which not in seen
                seen.add(which)
        return _Together(every.at(keep), family[keep], place[keep])


def measure_p(measure: Rate | Loss, s: _Sums, whole: _Sums, losses: FloatArray) -> FloatArray:
    """One-sided p of each slice, that it is no worse than the rest."""
    if isinstance(measure, Loss):
        return loss_p(s.hit / s.over, s.over, losses)
    if measure.plain:
        return rate_p(s.hit, s.over, float(whole.hit[0]), float(whole.over[0]), measure.low_is_worse)
    rest = whole.less(s)
    r = whole.hit[0] / whole.over[0]
    spread = np.sqrt(r * (1 - r) * (1 / _effective(measure, s) + 1 / _effective(measure, rest)))
    with np.errstate(divide="ignore", invalid="ignore"):
        z = np.nan_to_num((s.hit / s.over - rest.hit / rest.over) / spread)
    return np.asarray(ndtr(z if measure.low_is_worse else -z))


def _effective(measure: Rate, s: _Sums) -> FloatArray:
    """How many rows of one weight, each on its own, say as much."""
    return np.asarray(s.over * s.over / s.square / measure.design)


def rate_p(hit: FloatArray, over: FloatArray, hits: float, overs: float, low_is_worse: bool) -> FloatArray:
    """The exact hypergeometric tail P(X <= k), or P(X >= k) where high is worse; shape (m,).

    Examples
    --------
    All three that count of six are outside a slice of three: one way of twenty.

    >>> rate_p(np.array([0.0]), np.array([3.0]), 3, 6, True).round(12).tolist()
    [0.05]
    """
    k, drawn = hit.astype(np.int64), over.astype(np.int64)
    marked, rows = np.full(len(k), int(hits)), np.full(len(k), int(overs))
    if not low_is_worse:  # as many that count as those that do not at most
        k, marked = drawn - k, rows - marked
    above = k * rows > drawn * marked  # the tail away from what is expected is summed
    mid = hypergeometric.mid_tail(
        np.where(above, drawn - k, k), drawn, np.where(above, rows - marked, marked), rows
    )  # fmt: skip
    half = 0.5 * np.exp(hypergeometric.log_probability(k, drawn, marked, rows))
    return np.asarray(np.clip(np.where(above, 1.0 - mid + half, mid + half), 0.0, 1.0))


def loss_p(mean: FloatArray, rows: FloatArray, losses: FloatArray) -> FloatArray:
    """The upper tail of a slice's mean loss among all slices of as many rows, by a Pearson type III curve (Mielke and
    Berry 2007, Permutation Methods); shape (m,).

    Examples
    --------
    >>> losses = np.array([0.1, 0.2, 0.9, 0.05, 0.4, 0.3, 0.02, 0.7, 0.15, 0.25])
    >>> round(float(loss_p(np.array([2.0 / 3]), np.array([3.0]), losses)[0]), 6)
    0.008993
    """
    n = len(losses)
    mu = total(losses) / n
    off = losses - mu
    variance = total(off * off) / (n - 1) if n > 1 else 0.0
    if variance <= 0:
        return np.ones(len(mean))
    skew = (total(off**3) / n) / (total(off * off) / n) ** 1.5
    f = rows / n
    with np.errstate(divide="ignore", invalid="ignore"):
        x = (mean - mu) / np.sqrt(variance * (1 - f) / rows)
        g = skew * (1 - 2 * f) / np.sqrt(rows * (1 - f))
        shape = 4.0 / (g * g)
        at = shape + x * np.sqrt(shape)
        back = shape - x * np.sqrt(shape)
        up = np.where(at > 0, gammaincc(shape, np.maximum(at, 0.0)), 1.0)
        down = np.where(back > 0, gammainc(shape, np.maximum(back, 0.0)), 0.0)
    return np.asarray(np.where(np.abs(g) < LEVEL, ndtr(-x), np.where(g > 0, up, down)))


def benjamini_hochberg(p: FloatArray) -> FloatArray:
    """p-values adjusted for the share of false ones among those found; ties in order; shape (m,).

    Examples
    --------
    >>> benjamini_hochberg(np.array([0.01, 0.04, 0.03, 0.005])).tolist()
    [0.02, 0.04, 0.04, 0.02]
    """
    m = len(p)
    order = np.argsort(p, kind="stable")
    steps = p[order] * m / np.arange(1, m + 1)
    out = np.empty(m)
    out[order] = np.minimum(1.0, np.minimum.accumulate(steps[::-1])[::-1])
    return out


def _effects(measure: Rate | Loss, s: _Sums, whole: _Sums, confidence: float) -> tuple[FloatArray, Intervals]:
    """The slice less the rest, with its interval: the hybrid of the two own ones."""
    rest = whole.less(s)
    a, b = s.hit / s.over, rest.hit / rest.over
    if isinstance(measure, Rate):
        one, two = (
            intervals.wilson_shares(x, _effective(measure, of), confidence) for x, of in ((a, s), (b, rest))
        )  # fmt: skip
        if measure.f1:
            a, b, one, two = _f1(a), _f1(b), (_f1(one[0]), _f1(one[1])), (_f1(two[0]), _f1(two[1]))
        return a - b, intervals.hybrid_differences(a, one, b, two)
    z = intervals.z_value(confidence)
    halves = []
    for mean, of in ((a, s), (b, rest)):
        variance = np.maximum(0.0, of.square - of.over * mean * mean) / np.maximum(1.0, of.over - 1)
        halves.append(z * np.sqrt(variance / of.over))
    reach = np.hypot(*halves)
    return a - b, (a - b - reach, a - b + reach)


def _f1(share: FloatArray) -> FloatArray:
    return np.asarray(2 * share / (1 + share))


def _folded(
    found: Sequence[Found], fields: Sequence[SearchField], measure: Rate | Loss, inside: BoolArray, alpha: float
) -> tuple[Kept, ...]:  # fmt: skip
    """Finds that say the same put under the first of them, in their order."""
    kept: list[tuple[Found, BoolArray, list[Found], list[Found]]] = []
    for f in found:
        rows = rows_of(fields, f) & inside
        for k, own, folded, sharper in kept:
            both = int(np.count_nonzero(rows & own))
            if both >= OVERLAP * f.rows:
                if _worse_than(measure, rows & own, own & ~rows) > alpha:
                    folded.append(f)
                else:
                    sharper.append(f)
                break
            if both >= OVERLAP * k.rows and _worse_than(measure, rows & ~own, inside & ~rows & ~own) > alpha:
                folded.append(f)
                break
        else:
            kept.append((f, rows, [], []))
    return tuple(Kept(f, tuple(folded), tuple(sharper)) for f, _, folded, sharper in kept)


def _worse_than(measure: Rate | Loss, some: BoolArray, others: BoolArray) -> float:
    """One-sided p that some rows are no worse than others; 1 where a side is empty."""
    return between(measure, some, others, 0.95)[0]


def between(
    measure: Rate | Loss, some: BoolArray, others: BoolArray, confidence: float
) -> tuple[float, float, float, float, int]:
    """Some rows against others: one-sided p that they are no worse (1 where a side is empty), the difference, its
    interval, and the rows that the measure is over among the first."""
    one, two = (_sums_of(measure, x) for x in (some, others))
    if not one.count[0] or not two.count[0]:
        return 1.0, math.nan, math.nan, math.nan, int(one.count[0])
    whole = _Sums(*(x + y for x, y in zip(one.all, two.all, strict=True)))
    losses = np.zeros(0)
    if isinstance(measure, Loss):
        value = measure.value[some | others]
        losses = value[~np.isnan(value)]
    p = measure_p(measure, one, whole, losses)
    difference, (low, high) = _effects(measure, one, whole, confidence)
    return float(p[0]), float(difference[0]), float(low[0]), float(high[0]), int(one.count[0])


def _sums_of(measure: Rate | Loss, rows: BoolArray) -> _Sums:
    if isinstance(measure, Loss):
        value = measure.value[rows]
        value = value[~np.isnan(value)]
        told = [float(len(value)), float(len(value)), total(value), total(value * value)]
    else:
        over = rows & measure.over
        weight = np.ones(len(rows)) if measure.weight is None else measure.weight
        mine, count = weight[over], int(np.count_nonzero(over))
        told = [float(count), total(mine), total(weight[over & measure.hit]), total(mine * mine)]
    return _Sums(*(np.array([x]) for x in [float(np.count_nonzero(rows)), *told]))
