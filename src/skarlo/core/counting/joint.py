"""Two candidates on the same rows, as counts: all that a paired test of predicted classes reads."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..number import BoolArray, FloatArray, IntArray
from .answers import Answers

Quad = tuple[int, int, int, int]


@dataclass(frozen=True)
class Joint:
    """Rows by actual class and by what each of two candidates predicts.

    cells : int64, shape (K, L, L); L is K, or K + 1 where either has rows without an answer, in the last place
    """

    cells: IntArray

    @staticmethod
    def of(a: Answers, b: Answers) -> Joint:
        """Count the rows of two candidates that predict classes."""
        assert a.predicted is not None
        assert b.predicted is not None
        k = a.classes
        width = k if a.all_answered and b.all_answered else k + 1
        first, second = (np.where(x < 0, k, x) for x in (a.predicted, b.predicted))
        at = (a.actual * width + first) * width + second
        return Joint(np.bincount(at, minlength=k * width * width).astype(np.int64).reshape(k, width, width))

    def quad(self, first: BoolArray, second: BoolArray) -> Quad:
        """Rows that both, only the first, only the second and neither have in their own cells.

        first, second : which (actual, predicted) cells count for each, shape (K, L)
        """
        x, y = first[:, :, None], second[:, None, :]
        return tuple(int(self.cells[m].sum()) for m in (x & y, x & ~y, ~x & y, ~x & ~y))  # type: ignore[return-value]

    def within(self, rows: BoolArray) -> Joint:
        """Only the rows of some actual classes, shape (K,)."""
        return Joint(self.cells[rows])

    @property
    def sides(self) -> tuple[IntArray, IntArray]:
        """The matrix of each, shape (K, L)."""
        return self.cells.sum(axis=2), self.cells.sum(axis=1)

    def squared_gap(self, first: FloatArray, second: FloatArray) -> float:
        """Σ over the rows of (what the first's cell bears - what the second's cell bears)²."""
        gap = first[:, :, None] - second[:, None, :]
        return float(np.add.reduce((self.cells * gap * gap).reshape(-1)))
