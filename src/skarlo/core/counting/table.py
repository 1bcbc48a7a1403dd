"""The matrix as every count metric reads it: cells, and what its intervals need of weights and groups."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from ..number import BoolArray, FloatArray, IntArray
from ..once import lazy
from ..stats import intervals
from ..stats.draws import generator, resampled
from .tally import blocks

Cells = npt.NDArray[Any]


@dataclass(frozen=True)
class Sampling:
    """How intervals are made: the confidence, the seed and number of random draws, and what counts as thin."""

    confidence: float = 0.95
    seed: int = 1
    draws: int = 2000
    min_denominator: int = 10


def row_shares(matrix: Sequence[Sequence[float]]) -> list[list[float | None]]:
    """Each cell's share of its row, the actual class; None where a class has no rows.

    Examples
    --------
    >>> row_shares([[3, 1], [0, 0]])
    [[0.75, 0.25], [None, None]]
    """
    return [[x / whole if whole > 0 else None for x in row] for row, whole in ((row, sum(row)) for row in matrix)]


@dataclass(frozen=True)
class Table:
    """Counts by actual (rows) and predicted (columns) class.

    Attributes
    ----------
    cells : int64 or float64 (sums of weights), shape (K, L); L is K, or K + 1 with a last column for no answer
    rows : int64, shape (K, L); the numbers of rows behind the cells
    squares : float64, shape (K, L), sums of squared weights; None without weights
    clusters : shape (C, K, L), one table for each group of rows that belong together; None without groups
    """

    cells: Cells
    rows: IntArray
    squares: FloatArray | None = None
    clusters: Cells | None = None

    @property
    def classes(self) -> int:
        return int(self.cells.shape[0])

    @lazy
    def total(self) -> float:
        return float(self.cells.sum())

    @property
    def errors(self) -> float:
        """Rows whose predicted class is not their actual one, those without an answer among them; or their weights."""
        wrong: float = self.cells.sum().item() - np.trace(self.cells).item()
        return wrong

    @property
    def suffix(self) -> str:
        """What is added to an interval's name."""
        return ("_weighted" if self.squares is not None else "") + ("_clustered" if self.clusters is not None else "")

    def share(self, numerator: BoolArray, denominator: BoolArray) -> Share:
        """The share of the denominator's cells that are in the numerator."""
        k, n = self.cells[numerator].sum().item(), self.cells[denominator].sum().item()
        return Share(k, n, int(self.rows[denominator].sum()), self._effective(k, n, numerator, denominator))

    def _effective(self, k: float, n: float, numerator: BoolArray, denominator: BoolArray) -> float:
        """The effective number of rows behind a share."""
        if n <= 0:
            return 0.0
        if self.clusters is not None:
            p = k / n
            of, among = self.clusters[:, numerator].sum(axis=1), self.clusters[:, denominator].sum(axis=1)
            variance = float(np.add.reduce((of - p * among) ** 2)) / (n * n)
            if variance > 0 and 0 < p < 1:
                return p * (1 - p) / variance
            return float(n) ** 2 / float(np.add.reduce(among.astype(np.float64) ** 2))
        if self.squares is not None:
            return float(n * n / self.squares[denominator].sum())
        return float(n)

    @lazy
    def effective_rows(self) -> float:
        """The effective number of rows of the whole table."""
        if self.squares is None:
            return self.total
        return self.total**2 / float(self.squares.sum())

    def dirichlet(self, sampling: Sampling) -> FloatArray:
        """Draws of the table, shape (draws, K, L): Dirichlet around the counts, or resampled clusters."""
        if self.clusters is not None:
            return self._resampled(sampling)
        rng = generator(sampling.seed, "dirichlet", self.cells.shape, self.cells.reshape(-1))
        counts = self._effective_cells()
        return rng.dirichlet(counts.reshape(-1) + prior(self.cells.shape[1]), size=sampling.draws).reshape(
            -1, *self.cells.shape
        )

    def multinomial(self, sampling: Sampling) -> FloatArray:
        """Draws of the table, shape (draws, K, L): as many rows drawn again, or resampled clusters."""
        if self.clusters is not None:
            return self._resampled(sampling)
        rng = generator(sampling.seed, "multinomial", self.cells.shape, self.cells.reshape(-1))
        counts = self._effective_cells().reshape(-1)
        n = max(1, round(float(counts.sum())))
        drawn = rng.multinomial(n, counts / counts.sum(), size=sampling.draws)
        return drawn.reshape(-1, *self.cells.shape).astype(np.float64)

    def _effective_cells(self) -> FloatArray:
        if self.squares is None:
            return self.cells.astype(np.float64)
        return np.asarray(self.cells * (self.effective_rows / self.total))

    def _resampled(self, sampling: Sampling) -> FloatArray:
        assert self.clusters is not None
        flat = self.clusters.reshape(len(self.clusters), -1)
        rng = generator(sampling.seed, "clusters", self.clusters.shape, flat)
        out = resampled(flat, rng, sampling.draws)
        return out.reshape(-1, *self.cells.shape)


@dataclass(frozen=True)
class Share:
    """k of n, resting on so many rows, and effectively on so many."""

    k: float
    n: float
    rows: int
    effective: float

    @property
    def value(self) -> float:
        return self.k / self.n

    def interval(self, confidence: float) -> intervals.Interval:
        """Wilson's interval on the effective number of rows."""
        return intervals.wilson_share(self.value, self.effective, confidence)


def prior(columns: int) -> float:
    """What is added to each cell of a matrix before it is drawn: 2 / K², no answer being a class more."""
    return 2.0 / columns**2


def make(
    actual: IntArray, predicted: IntArray, classes: int, *, none_column: bool = False,
    weight: FloatArray | None = None, group: IntArray | None = None,
) -> Table:  # fmt: skip
    """Count rows.

    Parameters
    ----------
    actual, predicted : int64, shape (n,); codes 0 … classes-1, and -1 for no answer in `predicted`
    none_column : whether rows without an answer have a column of their own, the last
    weight : float64, shape (n,), or None
    group : int64 codes, shape (n,), of what belongs together, or None

    Examples
    --------
    >>> import numpy as np
    >>> make(np.array([0, 1, 1]), np.array([0, 1, 0]), 2).cells.tolist()
    [[1, 0], [1, 1]]
    """
    width = classes + (1 if none_column else 0)
    rows = make_each(actual, predicted, classes, (), none_column)[0]
    if weight is None and group is None:
        return Table(rows, rows)
    column = np.where(predicted < 0, classes, predicted) if none_column else predicted
    cell = actual * width + column
    shape = (classes, width)
    size = classes * width
    cells: Cells = rows
    squares = None
    if weight is not None:
        order = np.lexsort((weight, cell))  # one canonical order, so that permuted rows sum to the same bits
        cells = np.bincount(cell[order], weights=weight[order], minlength=size).reshape(shape)
        squares = np.asarray(np.bincount(cell[order], weights=weight[order] ** 2, minlength=size), float).reshape(shape)
    clusters = None
    if group is not None:
        _, code = np.unique(group, return_inverse=True)
        n = int(code.max()) + 1 if code.size else 0
        at = code * size + cell
        clusters = np.bincount(at, weights=weight, minlength=n * size).reshape(n, *shape)
        if weight is None:
            clusters = clusters.astype(np.int64)
    return Table(cells, rows, squares, clusters)


def make_each(
    actual: IntArray, predicted: IntArray, classes: int, codes: Sequence[tuple[IntArray, int]], none_column: bool
) -> IntArray:
    """The cells of many tables in one pass, of the rows that bear each combination of codes: shape (all, K, L).

    codes : for each field the rows' codes, shape (n,), and how many there are; the last runs fastest
    """
    width = classes + (1 if none_column else 0)
    at = np.empty(len(actual), dtype=np.int64)
    for i in blocks(len(actual)):
        here = at[i]
        here[:] = 0
        for code, size in codes:
            here *= size
            here += code[i]
        here *= classes
        here += actual[i]
        here *= width
        said = predicted[i]
        here += np.where(said < 0, classes, said) if none_column else said
    size = math.prod(size for _, size in codes) * classes * width
    return np.bincount(at, minlength=size).astype(np.int64).reshape(-1, classes, width)


def of_cells(cells: IntArray, classes: int) -> Table:
    """A table from counts; a last column for no answer stays only where it holds rows."""
    if cells.shape[1] > classes and not cells[:, classes:].any():
        cells = np.ascontiguousarray(cells[:, :classes])
    return Table(cells, cells)


def thin(rows: int, sampling: Sampling) -> bool:
    """Whether a rate rests on too few rows to be ranked."""
    return rows < sampling.min_denominator
