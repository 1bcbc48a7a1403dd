"""What the columns of a file look like, found piece by piece: the file is never whole in memory for it."""

from __future__ import annotations

import math
import os
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import numpy.typing as npt
import polars as pl

from skarlo.core import Progress, Steps

from .labels import near_labels
from .read import as_number, as_text

FIRST = 5
FEW = 40  # distinct values up to which they are listed, and a column may hold classes
# A column of numbers may hold a few stray words; intake then names the rows.
STRAY = 0.05
MOST_KEPT = 1 << 20  # distinct values that are counted one by one


class Distinct:
    """How many different values come by, with bounded memory: adaptive sampling by hash (Flajolet 1990).

    Exact up to MOST_KEPT; from there an estimate from the values whose hash ends in so many zeros, but still exactly
    as many as there were when none of those came twice.
    """

    def __init__(self, most: int = MOST_KEPT) -> None:
        self._most, self._level, self._total = most, 0, 0
        self._kept = pl.DataFrame(schema={"hash": pl.UInt64, "times": pl.UInt32})
        self._new: list[pl.DataFrame] = []

    def add(self, hashes: npt.NDArray[np.uint64]) -> None:
        """Take the hashes of more values."""
        self._total += len(hashes)
        if len(hashes):
            mask = np.uint64((1 << self._level) - 1)
            kept = hashes[(hashes & mask) == 0] if self._level else hashes
            self._new.append(pl.DataFrame({"hash": kept}).with_columns(times=pl.lit(1, pl.UInt32)))
        if sum(len(x) for x in self._new) >= self._most:
            self._merge()

    def _merge(self) -> None:
        both = pl.concat([self._kept, *self._new])
        self._new = []
        self._kept = both.group_by("hash").agg(pl.col("times").sum())
        while len(self._kept) > self._most:
            self._level += 1
            bit = np.uint64(1 << (self._level - 1))
            self._kept = self._kept.filter(pl.Series((self._kept["hash"].to_numpy() & bit) == 0))

    def count(self) -> int:
        """How many there were."""
        self._merge()
        if self._level == 0:
            return len(self._kept)
        if int(self._kept["times"].sum()) == len(self._kept):
            return self._total
        return min(len(self._kept) << self._level, self._total)


class _Column:
    """One column so far."""

    def __init__(self, name: str) -> None:
        self.name, self.rows, self.empty = name, 0, 0
        self.first: list[str] = []
        self.few: dict[str, int] | None = {}  # values and their rows, while they are few
        self.distinct, self.strays = Distinct(), Distinct()
        self.least, self.most = math.inf, -math.inf

    def add(self, column: pl.Series) -> None:
        text = as_text(column)
        self.rows += len(text)
        self.first += text.head(FIRST - len(self.first)).to_list()
        known = text.filter(text != "")
        self.empty += len(text) - len(known)
        hashes = known.hash().to_numpy()
        self.distinct.add(hashes)
        if self.few is not None:
            self._add_few(known)
        values, bad = as_number(known)
        self.strays.add(hashes[bad])
        if len(bad) < len(values):
            finite = values[np.isfinite(values)] if bad else values
            self.least, self.most = min(self.least, float(finite.min())), max(self.most, float(finite.max()))

    def _add_few(self, known: pl.Series) -> None:
        assert self.few is not None
        for value, rows in known.value_counts().head(FEW + 1).iter_rows():
            self.few[value] = self.few.get(value, 0) + rows
        if len(self.few) > FEW:
            self.few = None

    def told(self) -> dict[str, Any]:
        distinct = self.distinct.count() if self.few is None else len(self.few)
        counts = self.few or {}
        few = sorted(counts)
        known = self.least <= self.most
        return {
            "name": self.name, "rows": self.rows, "first": self.first, "distinct": distinct, "empty": self.empty,
            "values": few, "counts": [counts[v] for v in few], "alike": [list(pair) for pair in near_labels(few)],
            "numeric": distinct > 0 and self.strays.count() <= distinct * STRAY,
            "least": self.least if known else None, "most": self.most if known else None,
        }  # fmt: skip


def describe(pieces: Iterable[pl.DataFrame], progress: Progress | None = None, about: int = 1) -> list[dict[str, Any]]:
    """Each column's name, rows, first values, distinct and empty values, the values if few with their counts, which of
    them are nearly alike, and whether they are numbers.

    Parameters
    ----------
    pieces : a table in one or more pieces, in row order
    about : how many pieces there are, as far as is known
    progress : told of each piece before it is looked at; what it raises stops the work
    """
    columns: list[_Column] = []
    steps, rows = Steps(progress, about), 0
    with ThreadPoolExecutor(os.cpu_count()) as several:
        for piece in pieces:
            steps.next(f"{rows:,} rows read")
            rows += piece.height
            columns = columns or [_Column(name) for name in piece.columns]
            list(several.map(lambda column, piece=piece: column.add(piece[column.name]), columns))
        return list(several.map(_Column.told, columns))
