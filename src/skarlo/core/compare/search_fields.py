"""Fields as slices are searched by them: the conditions of each, over the atoms that its rows fall into."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from itertools import pairwise

import numpy as np

from ..language.condition import field_written, quoted
from ..language.truth import Kind, Numbers, Texts
from ..metrics.calibration import mass_edges
from ..number import BoolArray, IntArray
from ..writing import as_set

BINS = 5  # of a number
MOST_VALUES = 30  # of a category


@dataclass(frozen=True)
class Cond:
    """One condition of a field: in words of the language of conditions, which atoms of the field it takes, and the name
    of that part, as slices are named; "" is absent."""

    text: str
    atoms: tuple[int, ...]
    part: str = ""


@dataclass(frozen=True)
class SearchField:
    """A field as it is searched: each row's atom, shape (n,), how many there are, and the conditions made of them."""

    name: str
    codes: IntArray
    atoms: int
    conditions: tuple[Cond, ...]


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
    plain = [x.strip('"') for x in told]
    bins = len(edges) + 1
    out: list[Cond] = []
    if edges.size:
        out.append(Cond(f"{own} <= {told[0]}", (0,), f"<= {plain[0]}"))
        out += [
            Cond(f"{own} > {told[i]} and {own} <= {told[i + 1]}", (i + 1,), f"> {a}, <= {b}")
            for i, (a, b) in enumerate(pairwise(plain))
        ]
        out.append(Cond(f"{own} > {told[-1]}", (bins - 1,), f"> {plain[-1]}"))
        for size in range(2, bins):
            out.append(Cond(f"{own} <= {told[size - 1]}", tuple(range(size)), f"<= {plain[size - 1]}"))
            at = bins - size
            out.append(Cond(f"{own} > {told[at - 1]}", tuple(range(at, bins)), f"> {plain[at - 1]}"))
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
    out = [
        Cond(f"{own} = {quoted(str(values.categories[i]))}", (j,), str(values.categories[i]))
        for j, i in enumerate(chosen)
    ]
    if (values.codes < 0).any():
        out.append(Cond(f"{own} is absent", (len(chosen) + 1,)))
    return SearchField(name, atom[values.codes], len(chosen) + 2, tuple(out))


def _written(x: float, kind: Kind) -> str:
    if kind != "date":
        return as_set(x).replace("−", "-")
    at = datetime.fromtimestamp(x, UTC).replace(tzinfo=None)
    return quoted(at.date().isoformat() if at.time() == at.min.time() else at.isoformat())


def rows_at(fields: Sequence[SearchField], family: Sequence[int], places: Sequence[int]) -> BoolArray:
    """Which rows meet one condition of each field of a family, bool, shape (n,)."""
    out = np.ones(len(fields[0].codes), dtype=bool)
    for i, place in zip(family, places, strict=True):
        f = fields[i]
        takes = np.zeros(f.atoms, dtype=bool)
        takes[list(f.conditions[place].atoms)] = True
        out &= takes[f.codes]
    return out
