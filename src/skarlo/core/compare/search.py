"""The slices that are served worst: every condition of every field, one or more at a time, each held against the rest.

Only counts are made of the rows: each family of fields is counted once over its joint bins, and all conditions of the
family are sums of these. Whatever was looked at is corrected for together (Benjamini and Hochberg 1995, J. R. Stat.
Soc. B 57:289).
"""

from __future__ import annotations

from collections.abc import Callable, Generator, Sequence
from dataclasses import dataclass
from itertools import combinations, pairwise
from typing import cast

import numpy as np

from ..number import BoolArray, FloatArray, IntArray, total
from ..once import beside, threads
from .search_fields import SearchField, rows_at
from .search_measures import Loss, Rate, Sums, benjamini_hochberg, between, effects, measure_p

OVERLAP = 0.8  # of its rows, from which on a find says the same as another
DEEPEST = 3


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


def rows_of(fields: Sequence[SearchField], found: Found) -> BoolArray:
    """Which rows a find takes, bool, shape (n,)."""
    return rows_at(fields, found.fields, found.places)


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
    with threads(len(inside)) as pool:
        found = pool.map(counted.of, families)
        try:
            for i, of_family in enumerate(found):
                kept.add(i, of_family, counted.whole, min_slice, min_denominator)
                tell(i + 1, len(families))
        finally:
            cast(Generator[Sums, None, None], found).close()  # who stops waits for no other family

    def places_of(family: int, place: int) -> tuple[int, ...]:
        shape = [len(fields[f].conditions) for f in families[family]]
        return tuple(int(x) for x in np.unravel_index(place, shape))

    def hashed(family: int, place: int) -> int:
        rows = rows_at(fields, families[family], places_of(family, place)) & inside
        return hash(np.packbits(rows).tobytes())

    looked = kept.together(hashed)
    sums = looked.sums
    if not len(sums.rows):
        return Search(0, (), ())
    p = measure_p(measure, sums, counted.whole, counted.loss)
    p_bh = benjamini_hochberg(p)
    difference, (low, high) = effects(measure, sums, counted.whole, confidence)
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


class _Counted:
    """The sums of every condition of a family of fields, from one pass over the rows for each kind of sum."""

    def __init__(self, fields: Sequence[SearchField], measure: Rate | Loss, inside: BoolArray) -> None:
        self.fields = fields
        n = int(np.count_nonzero(inside))
        self.codes = [f.codes for f in fields] if n == len(inside) else beside(lambda f: f.codes[inside], fields, n)
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
        self.whole = Sums(*(np.array([float(x)]) for x in whole))
        # one width for all fields, so that the joint code of a family is a sum of what is at hand
        self.width = max((f.atoms for f in fields), default=1) * self.kinds
        self.last = beside(lambda c: c * self.kinds + what, self.codes, n)
        self.scaled = beside(lambda c: c * self.width, self.codes, n)
        self.takes = []
        for f in fields:
            takes = np.zeros((len(f.conditions), f.atoms))
            for i, c in enumerate(f.conditions):
                takes[i, list(c.atoms)] = 1.0
            self.takes.append(takes)

    def of(self, family: tuple[int, ...]) -> Sums:
        """The sums of all conditions of a family, the last field's running fastest."""
        *before, final = family
        code = self.last[final]
        for depth, i in enumerate(reversed(before)):
            code = code + (self.scaled[i] if depth == 0 else self.codes[i] * self.width ** (depth + 1))
        cells = self._contracted(np.bincount(code, minlength=self._size(family)), family)
        rows, count = cells.sum(axis=-1), cells[..., 1:].sum(axis=-1)
        if self.kinds == 3 and not self.weights:
            return Sums(rows, count, count, cells[..., 2], count)
        sums = [
            self._contracted(np.bincount(code, w, self._size(family)), family).sum(axis=-1) for w in self.weights
        ]  # fmt: skip
        return Sums(rows, count, *sums) if len(sums) == 3 else Sums(rows, count, count, *sums)

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
    sums: Sums
    family: IntArray
    place: IntArray


class _Looked:
    """The slices that are looked at: large enough, and each set of rows once, as it came first."""

    def __init__(self) -> None:
        self.parts: list[tuple[int, IntArray, Sums]] = []

    def add(self, family: int, s: Sums, whole: Sums, min_slice: int, min_denominator: int) -> None:
        """Those of a family that are large enough."""
        rest = whole.count - s.count
        at = np.flatnonzero((s.rows >= min_slice) & (s.count >= min_denominator) & (rest >= min_denominator))
        self.parts.append((family, at, s.at(at)))

    def together(self, hashed: Callable[[int, int], int]) -> _Together:
        """All of them in one. `hashed` tells which rows a slice has, by its family and place; it is asked only of
        slices whose sums are all the same."""
        every = Sums(*(np.concatenate(x) for x in zip(*(s.all for _, _, s in self.parts), strict=True)))
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
