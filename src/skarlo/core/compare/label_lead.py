"""How few labels would have to be wrong for another candidate to lead, and which ranks each could have.

A pair changes its order by rows where only the one ahead is right: each that is turned takes from it and gives to the
other. How many of these are positive and how many negative is tried out.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations_with_replacement

import numpy as np

from ..metrics import counts
from ..number import FloatArray, IntArray
from .wrong_labels import How

CLOSE = 1e-12  # values nearer than this are equal
OTHERS = 4  # flips of other rows that are tried too, where those do not suffice
FEW = 6  # candidates, of whose pairs other rows are tried too
MOST_TABLES = 500_000
ONE = np.ones(1, dtype=np.int64)
Kind = tuple[int, int, int]  # of a row: actual, predicted by the one ahead, by the other; -1 for no answer


@dataclass(frozen=True)
class Seen:
    """A candidate's matrix over all rows, shape (K, L), and what it predicted for the rows in doubt, shape (u,)."""

    name: str
    cells: IntArray
    said: IntArray


@dataclass(frozen=True)
class InDoubt:
    """The rows in doubt: their labels and what these may be instead, shape (u,)."""

    actual: IntArray
    other: IntArray


def to_change(
    name: str, ahead: Seen, behind: Seen, rows: InDoubt, positive: int | None, how: How, most: int, also: bool = True
) -> int | None:  # fmt: skip
    """The fewest wrong labels, at most so many, with which the one behind is ahead; None where none of these do.

    name : a metric of counts, higher is better; of three classes and more only accuracy
    also : whether up to four other rows are tried where those on which only the one ahead is right do not suffice
    """
    if positive is None:
        return _by_accuracy(ahead, behind, rows, how, most)
    kinds, many = np.unique(np.stack([rows.actual, ahead.said, behind.said], axis=1), axis=0, return_counts=True)
    there = {(y, a, b): int(n) for (y, a, b), n in zip(kinds.tolist(), many.tolist(), strict=True)}
    only_ahead: list[Kind] = [(1, 1, 0), (0, 0, 1)]
    rest = [kind for kind in there if kind not in only_ahead]
    least = [np.arange(min(there.get(kind, 0), most) + 1) for kind in only_ahead]
    if math.prod(len(x) for x in least) > MOST_TABLES:
        least = [np.unique(np.linspace(0, x[-1], min(len(x), 700)).astype(np.int64)) for x in least]
    i, j = (g.ravel() for g in np.meshgrid(*least, indexing="ij"))
    spent = i + j
    best: int | None = None
    for further in _also(rest, there) if also and how == "flipped" else [[]]:
        fits = spent + len(further) <= (most if best is None else best - 1)
        if not fits.any():
            continue
        moves = [
            (only_ahead[0], i[fits]),
            (only_ahead[1], j[fits]),
            *((kind, np.ones(1, np.int64)) for kind in further),
        ]
        gap = _value(name, behind.cells, [(k[0], k[2], n) for k, n in moves], positive, how)
        gap = gap - _value(name, ahead.cells, [(k[0], k[1], n) for k, n in moves], positive, how)
        found = spent[fits][gap > CLOSE]
        if len(found):
            best = int(found.min()) + len(further)
            if not further:
                break  # others are tried only where these do not suffice
    return best


def _also(rest: Sequence[Kind], there: dict[Kind, int]) -> Iterator[list[Kind]]:
    """No other rows; then one of them, two, and so on, each as often as there are such rows."""
    for many in range(OTHERS + 1):
        for kinds in combinations_with_replacement(rest, many):
            if all(kinds.count(kind) <= there[kind] for kind in set(kinds)):
                yield list(kinds)


def _value(
    name: str, cells: IntArray, moves: Sequence[tuple[int, int, IntArray]], positive: int, how: How
) -> FloatArray:
    """The metric after moves (actual, predicted, how many), shape (m,)."""
    m = max(len(n) for _, _, n in moves)
    out = np.repeat(np.asarray(cells, dtype=np.int64)[None], m, axis=0)
    for actual, said, n in moves:
        column = said if said >= 0 else out.shape[2] - 1
        if said < 0 and out.shape[2] == 2:
            continue
        out[:, actual, column] -= n
        if how == "flipped":
            out[:, 1 - actual, column] += n
    return counts.values(name, out, positive)


def _by_accuracy(ahead: Seen, behind: Seen, rows: InDoubt, how: How, most: int) -> int | None:
    """Each row changes how many more the one ahead gets right by a known number: the largest changes first."""
    right = [int(np.trace(s.cells[:, : len(s.cells)])) for s in (ahead, behind)]
    gained = [-(s.said == rows.actual).astype(np.int64) for s in (ahead, behind)]
    if how == "flipped":
        gained = [g + (s.said == rows.other) for g, s in zip(gained, (ahead, behind), strict=True)]
    change = np.sort(gained[1] - gained[0])[::-1]
    found = np.flatnonzero(np.cumsum(change[:most]) > right[0] - right[1])
    return int(found[0]) + 1 if len(found) else None


def ranks(
    name: str, seen: Sequence[Seen], values: Sequence[float], rows: InDoubt, positive: int | None, how: How, k: int
) -> dict[str, list[int]]:
    """Of each candidate the best and the worst rank over all ways in which at most k labels are wrong, pair by pair."""
    also = len(seen) <= FEW
    out = {}
    for i, one in enumerate(seen):
        over, under = 0, 0
        for j, other in enumerate(seen):
            if i == j:
                continue
            if values[j] > values[i] + CLOSE:
                under += 1
                over += to_change(name, other, one, rows, positive, how, k, also) is None
            else:
                under += to_change(name, one, other, rows, positive, how, k, also) is not None
        out[one.name] = [1 + over, 1 + under]
    return out
